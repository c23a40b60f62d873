package io.wexrun.core.expression;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.DoubleVector;
import io.wexrun.core.batch.LongVector;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.schema.Type;
import java.util.Arrays;

/** {@code == != < <= > >=} on two operands of one storage; false where one is absent. */
record Compare(Operator operator, Node left, Node right) implements Node {

  /** The comparisons, each by what it says of a three-way comparison's sign. */
  enum Operator {
    EQUAL,
    NOT_EQUAL,
    LESS,
    AT_MOST,
    MORE,
    AT_LEAST;

    boolean holds(int sign) {
      return switch (this) {
        case EQUAL -> sign == 0;
        case NOT_EQUAL -> sign != 0;
        case LESS -> sign < 0;
        case AT_MOST -> sign <= 0;
        case MORE -> sign > 0;
        case AT_LEAST -> sign >= 0;
      };
    }

    /** On doubles, IEEE 754: every comparison with NaN is false but {@code !=}. */
    boolean holds(double a, double b) {
      return switch (this) {
        case EQUAL -> a == b;
        case NOT_EQUAL -> a != b;
        case LESS -> a < b;
        case AT_MOST -> a <= b;
        case MORE -> a > b;
        case AT_LEAST -> a >= b;
      };
    }
  }

  @Override
  public Type type() {
    return Type.Scalar.BOOL;
  }

  @Override
  public Evaluated evaluate(Batch batch) {
    int rows = batch.rows();
    Evaluated a = left.evaluate(batch);
    LongVector result = new LongVector(rows);
    if (right instanceof Constant constant) {
      compareToConstant(a.values(), constant, rows, result);
      return new Evaluated(result, a.failures());
    }
    Evaluated b = right.evaluate(batch);
    Vector x = a.values();
    Vector y = b.values();
    for (int i = 0; i < rows; i++) {
      result.append(!x.absent(i) && !y.absent(i) && holds(x, y, i) ? 1 : 0);
    }
    return new Evaluated(result, Evaluated.merge(a, b));
  }

  private boolean holds(Vector x, Vector y, int i) {
    if (x instanceof LongVector numbers) {
      return operator.holds(Long.compare(numbers.get(i), ((LongVector) y).get(i)));
    }
    if (x instanceof DoubleVector numbers) {
      return operator.holds(numbers.get(i), ((DoubleVector) y).get(i));
    }
    TextVector s = (TextVector) x;
    TextVector t = (TextVector) y;
    return operator.holds(
        Arrays.compareUnsigned(s.data(), s.start(i), s.end(i), t.data(), t.start(i), t.end(i)));
  }

  private void compareToConstant(Vector x, Constant constant, int rows, LongVector result) {
    boolean allPresent = !x.hasAbsent();
    if (x instanceof LongVector numbers) {
      long value = (Long) constant.value();
      for (int i = 0; i < rows; i++) {
        boolean holds = operator.holds(Long.compare(numbers.get(i), value));
        result.append(holds && (allPresent || !x.absent(i)) ? 1 : 0);
      }
    } else if (x instanceof DoubleVector numbers) {
      double value = (Double) constant.value();
      for (int i = 0; i < rows; i++) {
        boolean holds = operator.holds(numbers.get(i), value);
        result.append(holds && (allPresent || !x.absent(i)) ? 1 : 0);
      }
    } else {
      TextVector text = (TextVector) x;
      byte[] value = constant.bytes();
      boolean onlyEquality = operator == Operator.EQUAL || operator == Operator.NOT_EQUAL;
      for (int i = 0; i < rows; i++) {
        int from = text.start(i);
        int to = text.end(i);
        boolean holds;
        if (onlyEquality) {
          holds = equal(text.data(), from, to, value) == (operator == Operator.EQUAL);
        } else {
          holds =
              operator.holds(Arrays.compareUnsigned(text.data(), from, to, value, 0, value.length));
        }
        result.append(holds && (allPresent || !x.absent(i)) ? 1 : 0);
      }
    }
  }

  /** Whether the bytes from {@code from} to {@code to} are the value's. */
  static boolean equal(byte[] data, int from, int to, byte[] value) {
    if (to - from != value.length) {
      return false;
    }
    for (int i = 0; i < value.length; i++) {
      if (data[from + i] != value[i]) {
        return false;
      }
    }
    return true;
  }
}

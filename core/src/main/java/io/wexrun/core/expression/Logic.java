package io.wexrun.core.expression;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.LongVector;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.batch.Vectors;
import io.wexrun.core.schema.Type;
import java.util.List;

/** The logical operators, in three-valued logic, and the choice between two values. */
final class Logic {
  private Logic() {}

  /**
   * {@code &&} and {@code ||}. The deciding value (false for and, true for or) on either side
   * decides, even if the other side failed or is absent.
   */
  record Junction(boolean and, Node left, Node right) implements Node {
    @Override
    public Type type() {
      return Type.Scalar.BOOL;
    }

    @Override
    public Evaluated evaluate(Batch batch) {
      int rows = batch.rows();
      Evaluated a = left.evaluate(batch);
      Evaluated b = right.evaluate(batch);
      LongVector x = (LongVector) a.values();
      LongVector y = (LongVector) b.values();
      LongVector result = new LongVector(rows);
      long deciding = and ? 0 : 1;
      if (!x.hasAbsent() && !y.hasAbsent() && a.failures() == null && b.failures() == null) {
        for (int i = 0; i < rows; i++) {
          result.append(and ? x.get(i) & y.get(i) : x.get(i) | y.get(i));
        }
        return Evaluated.of(result);
      }
      String[] failures = Evaluated.merge(a, b);
      for (int i = 0; i < rows; i++) {
        if (decides(a, x, i, deciding) || decides(b, y, i, deciding)) {
          result.append(deciding);
          if (failures != null) {
            failures[i] = null;
          }
        } else if (x.absent(i) || y.absent(i) || failures != null && failures[i] != null) {
          result.appendAbsent();
        } else {
          result.append(1 - deciding);
        }
      }
      return new Evaluated(result, failures);
    }

    private static boolean decides(Evaluated side, LongVector values, int i, long deciding) {
      return !values.absent(i) && !side.failed(i) && values.get(i) == deciding;
    }
  }

  /** {@code !}; absent stays absent. */
  record Not(Node operand) implements Node {
    @Override
    public Type type() {
      return Type.Scalar.BOOL;
    }

    @Override
    public Evaluated evaluate(Batch batch) {
      Evaluated a = operand.evaluate(batch);
      LongVector x = (LongVector) a.values();
      return a.toLongs(i -> 1 - x.get(i));
    }
  }

  /**
   * {@code c ? a : b}; an absent condition counts as false. Only the chosen side may fail a row.
   */
  record Choice(Node condition, Node yes, Node no) implements Node {
    @Override
    public Type type() {
      return yes.type();
    }

    @Override
    public Evaluated evaluate(Batch batch) {
      Evaluated c = condition.evaluate(batch);
      Evaluated a = yes.evaluate(batch);
      Evaluated b = no.evaluate(batch);
      Vector result = Vectors.forType(type(), batch.rows());
      boolean mayFail = c.failures() != null || a.failures() != null || b.failures() != null;
      String[] failures = mayFail ? new String[batch.rows()] : null;
      for (int i = 0; i < batch.rows(); i++) {
        Evaluated chosen = Expression.holds(c, i) ? a : b;
        if (c.failed(i) || chosen.failed(i)) {
          failures[i] = c.failed(i) ? c.failure(i) : chosen.failure(i);
          result.appendAbsent();
        } else {
          result.appendFrom(chosen.values(), i);
        }
      }
      return new Evaluated(result, failures);
    }
  }

  /** {@code x in [constants]}; false where x is absent. */
  record In(Node operand, List<Constant> constants) implements Node {
    @Override
    public Type type() {
      return Type.Scalar.BOOL;
    }

    @Override
    public Evaluated evaluate(Batch batch) {
      Evaluated a = operand.evaluate(batch);
      Node ready = new Ready(a, operand.type());
      LongVector result = null;
      for (Constant constant : constants) {
        Node one = new Compare(Compare.Operator.EQUAL, ready, constant);
        LongVector equal = (LongVector) one.evaluate(batch).values();
        if (result != null) {
          for (int i = 0; i < batch.rows(); i++) {
            equal.values()[i] |= result.get(i);
          }
        }
        result = equal;
      }
      return new Evaluated(result, a.failures());
    }
  }

  /** Values that were computed before. */
  private record Ready(Evaluated evaluated, Type type) implements Node {
    @Override
    public Evaluated evaluate(Batch batch) {
      return evaluated;
    }
  }
}

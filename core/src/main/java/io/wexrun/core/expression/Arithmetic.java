package io.wexrun.core.expression;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.DoubleVector;
import io.wexrun.core.batch.LongVector;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.schema.Type;

/**
 * {@code + - * / %} on two numbers of one kind. Whole numbers fail the row where they overflow or
 * are divided by zero, as CEL says; doubles follow IEEE 754.
 */
record Arithmetic(char operator, Node left, Node right) implements Node {
  @Override
  public Type type() {
    return left.type();
  }

  @Override
  public Evaluated evaluate(Batch batch) {
    int rows = batch.rows();
    Evaluated a = left.evaluate(batch);
    Evaluated b = right.evaluate(batch);
    String[] failures = Evaluated.merge(a, b);
    Vector x = a.values();
    Vector y = b.values();
    if (x instanceof DoubleVector p) {
      DoubleVector q = (DoubleVector) y;
      DoubleVector result = new DoubleVector(rows);
      for (int i = 0; i < rows; i++) {
        if (x.absent(i) || y.absent(i)) {
          result.appendAbsent();
        } else {
          result.append(compute(p.get(i), q.get(i)));
        }
      }
      return new Evaluated(result, failures);
    }
    LongVector p = (LongVector) x;
    LongVector q = (LongVector) y;
    LongVector result = new LongVector(rows);
    for (int i = 0; i < rows; i++) {
      if (x.absent(i) || y.absent(i)) {
        result.appendAbsent();
        continue;
      }
      try {
        result.append(compute(p.get(i), q.get(i)));
      } catch (ArithmeticException e) {
        failures = failures == null ? new String[rows] : failures;
        failures[i] = e.getMessage();
        result.appendAbsent();
      }
    }
    return new Evaluated(result, failures);
  }

  private double compute(double a, double b) {
    return switch (operator) {
      case '+' -> a + b;
      case '-' -> a - b;
      case '*' -> a * b;
      default -> a / b;
    };
  }

  private long compute(long a, long b) {
    if ((operator == '/' || operator == '%') && b == 0) {
      throw new ArithmeticException("divided by zero");
    }
    if (operator == '/' && a == Long.MIN_VALUE && b == -1) {
      throw new ArithmeticException("long overflow");
    }
    return switch (operator) {
      case '+' -> Math.addExact(a, b);
      case '-' -> Math.subtractExact(a, b);
      case '*' -> Math.multiplyExact(a, b);
      case '/' -> a / b;
      default -> a % b;
    };
  }
}

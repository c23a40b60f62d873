package io.wexrun.core.expression;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.DoubleVector;
import io.wexrun.core.batch.ListVector;
import io.wexrun.core.batch.LongVector;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.batch.Vectors;
import io.wexrun.core.schema.Type;
import java.nio.charset.StandardCharsets;

/** A part of an expression: computes a column from a batch. Pure and immutable. */
interface Node {
  /** The values for all rows of the batch. */
  Evaluated evaluate(Batch batch);

  /** The type of the values. */
  Type type();

  /** A column of the batch, brought to the type that expressions see. */
  record Field(FieldPath path) implements Node {
    private static final long DAY = 86_400_000_000L;

    @Override
    public Type type() {
      return path.type();
    }

    /** The type that is held. */
    Type column() {
      return path.column();
    }

    /** The values as they are held. */
    Vector raw(Batch batch) {
      return path.in(batch);
    }

    @Override
    public Evaluated evaluate(Batch batch) {
      Vector vector = raw(batch);
      Type column = column();
      if (column == Type.Scalar.DATE) {
        LongVector days = (LongVector) vector;
        return Evaluated.of(vector).toLongs(row -> days.get(row) * DAY);
      }
      if (column instanceof Type.Decimal decimal) {
        double unit = Math.pow(10, decimal.scale());
        DoubleVector numbers = new DoubleVector(vector.size());
        for (int i = 0; i < vector.size(); i++) {
          if (vector.absent(i)) {
            numbers.appendAbsent();
          } else {
            numbers.append(((LongVector) vector).get(i) / unit);
          }
        }
        return Evaluated.of(numbers);
      }
      return Evaluated.of(vector);
    }
  }

  /** The value of a vector of one in every row. */
  record Repeated(Vector one, Type type) implements Node {
    @Override
    public Evaluated evaluate(Batch batch) {
      Vector vector = Vectors.forType(type, batch.rows());
      for (int i = 0; i < batch.rows(); i++) {
        vector.appendFrom(one, 0);
      }
      return Evaluated.of(vector);
    }
  }

  /** Whether a value is there; never absent itself. */
  record Present(Node operand) implements Node {
    @Override
    public Type type() {
      return Type.Scalar.BOOL;
    }

    @Override
    public Evaluated evaluate(Batch batch) {
      Evaluated a = operand.evaluate(batch);
      LongVector present = new LongVector(batch.rows());
      for (int i = 0; i < batch.rows(); i++) {
        present.append(a.values().absent(i) ? 0 : 1);
      }
      return new Evaluated(present, a.failures());
    }
  }

  /** How many elements a list has. */
  record ListSize(Node operand) implements Node {
    @Override
    public Type type() {
      return Type.Scalar.LONG;
    }

    @Override
    public Evaluated evaluate(Batch batch) {
      Evaluated a = operand.evaluate(batch);
      ListVector lists = (ListVector) a.values();
      return a.toLongs(i -> lists.end(i) - lists.start(i));
    }
  }

  /** The same value in every row: a {@code Long}, {@code Double} or UTF-8 bytes; never absent. */
  record Constant(Object value, Type type) implements Node {
    static Constant text(String value) {
      return new Constant(value.getBytes(StandardCharsets.UTF_8), Type.Scalar.TEXT);
    }

    byte[] bytes() {
      return (byte[]) value;
    }

    @Override
    public Evaluated evaluate(Batch batch) {
      Vector vector = Vectors.forType(type, batch.rows());
      for (int i = 0; i < batch.rows(); i++) {
        if (vector instanceof LongVector numbers) {
          numbers.append((Long) value);
        } else if (vector instanceof DoubleVector numbers) {
          numbers.append((Double) value);
        } else {
          ((TextVector) vector).append(bytes(), 0, bytes().length);
        }
      }
      return Evaluated.of(vector);
    }
  }
}

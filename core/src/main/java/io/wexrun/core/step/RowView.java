package io.wexrun.core.step;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.DoubleVector;
import io.wexrun.core.batch.LongVector;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.field.ValueText;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Instants;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type;
import java.time.Instant;
import java.util.Arrays;
import java.util.Optional;

/** One row of a batch, as a step of one's own sees it. Valid only during the call. */
public final class RowView {
  private Batch batch;
  private int row;

  RowView() {}

  void at(Batch of, int number) {
    batch = of;
    row = number;
  }

  private int place(String name) {
    return batch
        .schema()
        .find(name)
        .orElseThrow(
            () ->
                new IllegalArgumentException(
                    "there is no field '" + name + "', but " + batch.schema().names()));
  }

  /** Whether a field has no value. */
  public boolean absent(String name) {
    return batch.column(place(name)).absent(row);
  }

  /** A field as text, whatever its type; empty if it is absent. */
  public Optional<String> text(String name) {
    int place = place(name);
    Vector vector = batch.column(place);
    return vector.absent(row)
        ? Optional.empty()
        : Optional.of(ValueText.text(batch.schema().column(place).type(), vector, row));
  }

  /** A whole number or bool (0, 1); empty if it is absent. */
  public Optional<Long> number(String name) {
    return batch.column(place(name)) instanceof LongVector numbers && !numbers.absent(row)
        ? Optional.of(numbers.get(row))
        : Optional.empty();
  }

  /** A double; empty if it is absent. */
  public Optional<Double> real(String name) {
    return batch.column(place(name)) instanceof DoubleVector reals && !reals.absent(row)
        ? Optional.of(reals.get(row))
        : Optional.empty();
  }

  /** A timestamp; empty if it is absent. */
  public Optional<Instant> instant(String name) {
    return number(name).map(Instants::instant);
  }

  /** The bytes of a text or bytes field; empty if it is absent. */
  public Optional<byte[]> bytes(String name) {
    return batch.column(place(name)) instanceof TextVector texts && !texts.absent(row)
        ? Optional.of(Arrays.copyOfRange(texts.data(), texts.start(row), texts.end(row)))
        : Optional.empty();
  }

  /** Adds this row's values to vectors, those of {@code schema} that it has. */
  void copy(Schema schema, Vector[] columns) {
    for (int i = 0; i < columns.length; i++) {
      Column column = schema.column(i);
      int place = batch.schema().find(column.name()).orElse(-1);
      Type type = place < 0 ? null : batch.schema().column(place).type();
      if (column.type().equals(type)) {
        columns[i].appendFrom(batch.column(place), row);
      } else {
        columns[i].appendAbsent();
      }
    }
  }
}

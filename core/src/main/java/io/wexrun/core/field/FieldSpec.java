package io.wexrun.core.field;

import io.wexrun.core.batch.LongVector;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.batch.Vectors;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.schema.Instants;
import io.wexrun.core.schema.Type;
import io.wexrun.core.written.Written;
import java.nio.charset.StandardCharsets;
import java.time.Instant;
import java.util.Map;

/** How a field is read, as written with a step: {@code timestamp 'dd.MM.yyyy' @UTC}. Immutable. */
public final class FieldSpec {
  private final String text;
  private final Field field;

  /**
   * Reads a spec.
   *
   * @throws io.wexrun.core.diagnose.MistakesException if it is none
   */
  public FieldSpec(String text) {
    this.text = text;
    Diagnostics diagnostics = Diagnostics.of("spec");
    Written written = new Written(text, KeyPath.ROOT, diagnostics);
    field = new FieldParser(written, "bad-field", Map.of()).parse("x", false, text, 0).field();
    diagnostics.orThrow();
  }

  /** The type of the values. */
  public Type type() {
    return field.type();
  }

  /** Whether a text is a value; of one that was written now. */
  public boolean takes(String value) {
    return append(value, Vectors.forType(field.type(), 1));
  }

  private boolean append(String value, Vector column) {
    byte[] bytes = value.getBytes(StandardCharsets.UTF_8);
    return field.append(bytes, 0, bytes.length, column, Instants.micros(Instant.now()));
  }

  /** A time in microseconds since 1970-01-01T00:00:00Z; 0 for what is no value. */
  public long micros(String value) {
    LongVector column = (LongVector) Vectors.forType(field.type(), 1);
    return append(value, column) && !column.absent(0) ? column.get(0) : 0;
  }

  @Override
  public String toString() {
    return text;
  }
}

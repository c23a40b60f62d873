package io.wexrun.core.dead;

import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type;
import java.nio.charset.StandardCharsets;

/**
 * A rejected record: its bytes, where it came from, and why it died.
 *
 * @param raw the original bytes, without the line end
 * @param source the source partition it came from
 * @param position its position there
 * @param reason why it died
 * @param step the step that rejected it, as a path in the pipeline such as {@code shape[1].require}
 * @param field the field at fault; empty if none
 * @param detail what exactly was wrong, for people; may be empty
 */
public record DeadLetter(
    byte[] raw,
    String source,
    long position,
    Reason reason,
    String step,
    String field,
    String detail) {

  /**
   * Dead letters as columns beside the raw records: what a target for them is handed. The column
   * names are also the header names in a queue of dead letters.
   */
  public static final Schema SCHEMA =
      Schema.of(
          Column.required("reason", Type.Scalar.TEXT),
          Column.required("step", Type.Scalar.TEXT),
          Column.required("field", Type.Scalar.TEXT),
          Column.required("detail", Type.Scalar.TEXT),
          Column.required("source", Type.Scalar.TEXT),
          Column.required("position", Type.Scalar.LONG));

  /** The original bytes as text; what is not UTF-8 shows as replacement characters. */
  public String text() {
    return new String(raw, StandardCharsets.UTF_8);
  }
}

package io.wexrun.core.dead;

import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Framing;
import io.wexrun.core.intake.Records;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type;
import java.nio.charset.StandardCharsets;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/**
 * A rejected record: the record as it came, and why it died.
 *
 * @param record the record as it came
 * @param death why it died
 */
public record DeadLetter(Original record, Death death) {
  /**
   * A raw record with everything that shaping can see of it, so that it can be shaped again.
   *
   * @param raw the original bytes, without the line end; not to be changed
   * @param source the source partition it came from
   * @param position its position there
   * @param header the header of its source, such as the line with a CSV file's names; empty if it
   *     has none; not to be changed
   * @param taken when it was first taken, in microseconds since 1970-01-01T00:00:00Z; 0 if not
   *     known
   * @param key the key that it had in a queue
   * @param headers the headers that it had in a queue, in order
   */
  public record Original(
      byte[] raw,
      String source,
      long position,
      byte[] header,
      long taken,
      Optional<byte[]> key,
      Map<String, String> headers) {
    /** The record as a block of its own, to be shaped again as it was. */
    public Block block() {
      Records.Envelopes envelopes =
          new Records.Envelopes() {
            @Override
            public Optional<byte[]> key(int record) {
              return key;
            }

            @Override
            public Map<String, String> headers(int record) {
              return headers;
            }
          };
      boolean enveloped = key.isPresent() || !headers.isEmpty();
      Framing alone =
          block -> {
            Records one =
                Records.placed(
                    block.data(),
                    new int[] {0},
                    new int[] {block.length()},
                    1,
                    new long[] {block.first()});
            return enveloped ? one.with(new long[] {taken}, envelopes) : one;
          };
      return new Block(
          new SourcePartition(source),
          position,
          position + 1,
          raw,
          raw.length,
          alone,
          header,
          taken);
    }

    /** The original bytes as text; what is not UTF-8 shows as replacement characters. */
    public String text() {
      return new String(raw, StandardCharsets.UTF_8);
    }
  }

  /**
   * Why a record died.
   *
   * @param reason the code
   * @param step the step that rejected it, as a path in the pipeline such as {@code
   *     shape[1].require}, or the target that refused it
   * @param field the field at fault; empty if none
   * @param detail what exactly was wrong, for people; may be empty
   * @param version the version of the pipeline's text by which it died; empty if not known
   */
  public record Death(Reason reason, String step, String field, String detail, String version) {
    /**
     * The detail with what differs from one record to the next made equal: values in double quotes
     * are {@code "…"}, numbers, times and ids {@code #}.
     */
    public String pattern() {
      return Likeness.of(detail);
    }
  }

  /**
   * Dead letters as columns beside the raw records: what a target for them is handed. The column
   * names are also the header names in a queue of dead letters.
   */
  public static final Schema SCHEMA =
      new Schema(
          List.of(
              Column.required("reason", Type.Scalar.TEXT),
              Column.required("step", Type.Scalar.TEXT),
              Column.required("field", Type.Scalar.TEXT),
              Column.required("detail", Type.Scalar.TEXT),
              Column.required("source", Type.Scalar.TEXT),
              Column.required("position", Type.Scalar.LONG),
              Column.required("version", Type.Scalar.TEXT)));

  /** The original bytes as text; what is not UTF-8 shows as replacement characters. */
  public String text() {
    return record.text();
  }

  /** Why it died. */
  public Reason reason() {
    return death.reason();
  }
}

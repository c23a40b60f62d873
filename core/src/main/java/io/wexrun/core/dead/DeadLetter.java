package io.wexrun.core.dead;

import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Former;
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
 * @param life how often it was tried
 */
public record DeadLetter(Original record, Death death, Life life) {
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
   * @param written by when it had been written, in the same way; 0 if not known
   * @param line the number of its line in its file, from 1; 0 if not known
   * @param member which file it was of those in an archive; empty if of none
   * @param host the name of the machine that took it; empty if not known
   * @param key the key that it had in a queue
   * @param headers the headers that it had in a queue, in order
   */
  public record Original(
      byte[] raw,
      String source,
      long position,
      byte[] header,
      long taken,
      long written,
      long line,
      String member,
      String host,
      Optional<byte[]> key,
      Map<String, String> headers) {
    /** A record of which nothing else is known. */
    public Original(byte[] raw, String source, long position) {
      this(raw, source, position, new byte[0], 0, 0, 0, "", "", Optional.empty(), Map.of());
    }

    /** The same record with other bytes, as somebody has mended them. */
    public Original with(byte[] mended) {
      return new Original(
          mended, source, position, header, taken, written, line, member, host, key, headers);
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
   * How often a record was tried.
   *
   * @param deaths how often it has died, at least 1
   * @param died when it died first, in microseconds since 1970-01-01T00:00:00Z; 0 if not known
   * @param part the row that the letter is for, if a store refused that one and others of the
   *     record lived
   */
  public record Life(long deaths, long died, Optional<Former.Part> part) {}

  /**
   * Dead letters as columns beside the raw records: what a target for them is handed. The column
   * names are also the header names in a queue of dead letters. Those that need not be there are
   * there if they are known, and if a letter was replayed or is for a part of its record.
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
              Column.required("version", Type.Scalar.TEXT),
              Column.of("written", Type.Scalar.LONG),
              Column.of("line", Type.Scalar.LONG),
              Column.of("member", Type.Scalar.TEXT),
              Column.of("host", Type.Scalar.TEXT),
              Column.of("deaths", Type.Scalar.LONG),
              Column.of("died", Type.Scalar.LONG),
              Column.of("part", Type.Scalar.TEXT)));

  /** The original bytes as text; what is not UTF-8 shows as replacement characters. */
  public String text() {
    return record.text();
  }

  /** Why it died. */
  public Reason reason() {
    return death.reason();
  }

  /** What the record is when it is replayed. */
  Former former() {
    return new Former(
        record.position(),
        record.written(),
        record.line(),
        life.deaths(),
        life.died(),
        reason().code(),
        life.part());
  }

  /** The letter as a block of its own, to be shaped again as it was. */
  public Block block() {
    LetterBlock one = new LetterBlock();
    one.add(record.position(), this);
    return one.block(
        new SourcePartition(record.source()), record.position(), record.position() + 1);
  }

  /** The same letter with other bytes, as somebody has mended them. */
  public DeadLetter with(byte[] mended) {
    return new DeadLetter(record.with(mended), death, life);
  }
}

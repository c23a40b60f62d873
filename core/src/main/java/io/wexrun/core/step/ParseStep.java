package io.wexrun.core.step;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.batch.Vectors;
import io.wexrun.core.dead.Reason;
import io.wexrun.core.intake.Records;
import io.wexrun.core.pattern.Utf8;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type;
import io.wexrun.core.written.Written;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.OptionalInt;

/**
 * A step that reads fields out of byte strings: of the raw records, or of a text field beside the
 * others. The first step of a kind may read the raw records again, beside the fields they have. A
 * field of the same name is replaced. A row that cannot be read is rejected; a row whose text is
 * absent gets absent fields.
 */
public abstract class ParseStep implements Step {
  /** The key that names the field to parse, if it is not the raw record. */
  public static final String FROM = "from";

  /** What reads the texts of one batch, for one thread. */
  @FunctionalInterface
  public interface Reading {
    /**
     * Adds one value to each of the columns.
     *
     * @return false if the text cannot be read; then the record was rejected, and what was added is
     *     taken back
     */
    boolean read(byte[] data, int from, int to, int record);

    /** All texts of the batch are read. */
    default void end() {}
  }

  private static final int RAW = -1;

  private final Schema parsed;
  private final Schema output;
  private final int from;
  private final boolean again;

  /**
   * A step.
   *
   * @param parsed the columns that it adds
   * @param from the place of the text field to parse; -1 for the raw record
   */
  protected ParseStep(Schema input, Schema parsed, int from) {
    this.parsed = parsed;
    this.from = from;
    this.again = from == RAW && input.size() > 0;
    Schema schema = input;
    for (Column column : parsed.columns()) {
      // Where the text may be absent, every field may.
      boolean mayLack = from != RAW && !input.column(from).required();
      schema = schema.with(mayLack ? Column.of(column.name(), column.type()) : column);
    }
    output = schema;
  }

  /** The place of the field to parse, or -1: from an entry {@code from}, or nothing. */
  public static int from(Map<String, Written> entries, Written step, StepContext context) {
    Written from = entries.get(FROM);
    if (from == null) {
      if (!context.first()) {
        String message = "this step reads the raw record, so it is the first step";
        String hint = "move it to the top of the shape, or name the field to read with from";
        step.error("misplaced-step", message, hint);
      }
      return RAW;
    }
    OptionalInt place = context.field(from);
    if (place.isPresent()) {
      Column column = context.input().column(place.getAsInt());
      if (column.type().storage() != Type.Storage.TEXT) {
        String message = "'" + column.name() + "' is " + column.type().withArticle() + ", not text";
        from.error("type-clash", message, "");
        return RAW;
      }
    }
    return place.orElse(RAW);
  }

  @Override
  public final Schema output() {
    return output;
  }

  /** Begins to read a batch into new, empty columns. */
  protected abstract Reading begin(Records records, List<Vector> columns, Rejects rejects);

  /** Whether it reads bytes that need not be UTF-8. */
  protected boolean binary() {
    return false;
  }

  @Override
  public final Batch apply(Batch batch, Rejects rejects) {
    int count = batch.rows();
    List<Vector> columns = new ArrayList<>();
    for (Column column : parsed.columns()) {
      columns.add(Vectors.forType(column.type(), count));
    }
    Records records = batch.records();
    Reading reading = begin(records, columns, rejects);
    Batch read =
        from != RAW
            ? readField(batch, columns, reading, rejects)
            : again
                ? readAgain(batch, columns, reading, rejects)
                : readRecords(batch, columns, reading, rejects);
    reading.end();
    return read;
  }

  /** Reads raw records; the rejected ones get no row. */
  private Batch readRecords(Batch batch, List<Vector> columns, Reading reading, Rejects rejects) {
    boolean binary = binary();
    Records records = batch.records();
    byte[] data = records.data();
    int count = batch.rows();
    int[] recordOfRow = new int[count];
    int rows = 0;
    boolean anyRejected = rejects.count() > 0;
    for (int i = 0; i < count; i++) {
      int record = batch.record(i);
      if (anyRejected && rejects.rejected(record)) {
        continue;
      }
      int start = records.start(record);
      int end = records.end(record);
      // Invariant: every column has exactly `rows` values before and after each record.
      if ((binary || records.ascii(record) || encoded(data, start, end, record, rejects))
          && reading.read(data, start, end, record)) {
        recordOfRow[rows++] = record;
      } else {
        takeBack(columns, rows);
      }
    }
    return new Batch(output, columns, rows, records, recordOfRow);
  }

  /** Reads a field; rejected rows stay, with absent values, beside the other columns. */
  private Batch readField(Batch batch, List<Vector> columns, Reading reading, Rejects rejects) {
    TextVector text = (TextVector) batch.column(from);
    String name = batch.schema().column(from).name();
    boolean bytes = !binary() && batch.schema().column(from).type() == Type.Scalar.BYTES;
    for (int row = 0; row < batch.rows(); row++) {
      int record = batch.record(row);
      rejects.reading(name, binary() ? null : text.data(), text.start(row), text.end(row));
      boolean read =
          !text.absent(row)
              && !rejects.rejected(record)
              && (!bytes || encoded(text.data(), text.start(row), text.end(row), record, rejects))
              && reading.read(text.data(), text.start(row), text.end(row), record);
      if (!read) {
        takeBack(columns, row);
        columns.forEach(Vector::appendAbsent);
      }
    }
    rejects.readingRecords();
    return beside(batch, columns);
  }

  /** Reads raw records for rows that have fields already; rejected rows stay, with absents. */
  private Batch readAgain(Batch batch, List<Vector> columns, Reading reading, Rejects rejects) {
    Records records = batch.records();
    for (int row = 0; row < batch.rows(); row++) {
      int record = batch.record(row);
      if (rejects.rejected(record)
          || !binary() && !records.ascii(record) && !encoded(records, record, rejects)
          || !reading.read(records.data(), records.start(record), records.end(record), record)) {
        takeBack(columns, row);
        columns.forEach(Vector::appendAbsent);
      }
    }
    return beside(batch, columns);
  }

  private Batch beside(Batch batch, List<Vector> columns) {
    Map<String, Vector> read = new LinkedHashMap<>();
    for (int i = 0; i < columns.size(); i++) {
      read.put(parsed.column(i).name(), columns.get(i));
    }
    return batch.with(output, read);
  }

  private static void takeBack(List<Vector> columns, int rows) {
    for (Vector column : columns) {
      column.truncate(Math.min(rows, column.size()));
    }
  }

  private static boolean encoded(Records records, int record, Rejects rejects) {
    return encoded(records.data(), records.start(record), records.end(record), record, rejects);
  }

  private static boolean encoded(byte[] data, int from, int to, int record, Rejects rejects) {
    int fault = Utf8.firstFault(data, from, to);
    if (fault < 0) {
      return true;
    }
    // Not String.format, which is slow and may be called for many records.
    String hex = Integer.toHexString(0x100 | data[fault] & 0xFF).substring(1);
    String detail = "byte " + (fault - from + 1) + " is 0x" + hex.toUpperCase(Locale.ROOT);
    rejects.reject(record, Reason.BAD_ENCODING, "", detail);
    return false;
  }
}

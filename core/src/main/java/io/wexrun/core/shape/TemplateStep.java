package io.wexrun.core.shape;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.batch.Vectors;
import io.wexrun.core.dead.Reason;
import io.wexrun.core.intake.Records;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type;
import java.nio.charset.StandardCharsets;
import java.time.ZoneOffset;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Locale;

/**
 * Reads lines by a template: a linear scan over the bytes, without going back, so that no line can
 * make it slow. Each field takes the bytes up to where the text after it first occurs.
 */
final class TemplateStep implements Step {
  /** A field at its place in the template. */
  private static final class Part {
    private final Field field;

    /** The text that ends the field; null: the line's end does. */
    private final Literal until;

    /** Whether it stands in quotes, so that backslashes escape. */
    private final boolean quoted;

    /** How often the text that ends it occurs inside by the field's own format. */
    private final int inside;

    /** Whether a blank may stand between a date and a time. */
    private final boolean mayHoldBlank;

    /** Whether the value may go on behind the first text that could end it. */
    private final boolean readsOn;

    /** Whether the bytes are the value as they are. */
    private final boolean plainText;

    Part(Field field, Literal before, Literal until) {
      this.field = field;
      this.until = until;
      quoted = before != null && until != null && before.endsWith('"') && until.startsWith('"');
      inside = until == null ? 0 : field.occurrences(until);
      mayHoldBlank =
          until != null
              && until.startsWith(' ')
              && field.type() == Type.Scalar.TIMESTAMP
              && field.format().isEmpty();
      readsOn = quoted || mayHoldBlank || inside > 0;
      plainText = field.type() == Type.Scalar.TEXT && !field.optional() && !quoted;
    }

    /** The text behind the value that starts at {@code at}, as {@link Literal#locate} gives it. */
    long locateEnd(byte[] data, int at, int to) {
      long found = until.locate(data, at, to);
      return readsOn ? locateFurther(found, data, at, to) : found;
    }

    private long locateFurther(long first, byte[] data, int at, int to) {
      if (quoted) {
        return until.locateUnescaped(first, data, at, to);
      }
      long found = first;
      for (int i = 0; i < inside && found != Literal.NOWHERE; i++) {
        found = until.locate(data, Literal.end(found), to);
      }
      if (mayHoldBlank && Literal.start(found) - at == DATE) {
        found = until.locate(data, Literal.end(found), to);
      }
      return found;
    }
  }

  /** The length of {@code yyyy-MM-dd}. */
  private static final int DATE = 10;

  private static final int SHOWN = 60;

  private final Literal head;
  private final Part[] parts;
  private final Schema output;

  /**
   * Makes the step from the pieces of a template.
   *
   * @param pieces {@link Literal}s and {@link Field}s, no two fields side by side
   */
  TemplateStep(List<Object> pieces) {
    List<Part> list = new ArrayList<>();
    List<Column> columns = new ArrayList<>();
    head = pieces.get(0) instanceof Literal literal ? literal : null;
    for (int i = head == null ? 0 : 1; i < pieces.size(); i += 2) {
      Field field = (Field) pieces.get(i);
      Literal before = i > 0 ? (Literal) pieces.get(i - 1) : null;
      Literal until = i + 1 < pieces.size() ? (Literal) pieces.get(i + 1) : null;
      list.add(new Part(field, before, until));
      if (!field.skipped()) {
        columns.add(new Column(field.name(), field.type(), !field.optional()));
      }
    }
    parts = list.toArray(Part[]::new);
    output = new Schema(columns);
  }

  @Override
  public Schema output() {
    return output;
  }

  @Override
  public Batch apply(Batch batch, Rejects rejects) {
    Records records = batch.records();
    int count = records.count();
    List<Vector> columns = new ArrayList<>();
    for (Column column : output.columns()) {
      columns.add(Vectors.forType(column.type(), count));
    }
    Vector[] byPart = new Vector[parts.length];
    for (int i = 0, next = 0; i < parts.length; i++) {
      byPart[i] = parts[i].field.skipped() ? null : columns.get(next++);
    }
    int[] recordOfRow = new int[count];
    int rows = 0;
    boolean anyRejected = rejects.count() > 0;
    for (int record = 0; record < count; record++) {
      if (anyRejected && rejects.rejected(record)) {
        continue;
      }
      // Invariant: every column has exactly `rows` values before and after each record.
      if (read(records, record, byPart, rejects)) {
        recordOfRow[rows++] = record;
      } else {
        for (Vector column : columns) {
          column.truncate(rows);
        }
      }
    }
    return new Batch(output, columns, rows, records, recordOfRow);
  }

  private boolean read(Records records, int record, Vector[] columns, Rejects rejects) {
    byte[] data = records.data();
    int at = records.start(record);
    int to = records.end(record);
    if (!records.ascii(record) && badEncoding(data, at, to, record, rejects)) {
      return false;
    }
    if (head != null) {
      int next = head.match(data, at, to);
      if (next < 0) {
        String what = at == to ? "the line is empty" : "the line does not start with " + show(head);
        rejects.reject(record, Reason.NO_MATCH, "", what);
        return false;
      }
      at = next;
    }
    // Invariant: the parts before part i fit the line up to `at`, and their values are added.
    for (int i = 0; i < parts.length; i++) {
      Part part = parts[i];
      int end = to;
      int next = to;
      if (part.until != null) {
        long found = part.locateEnd(data, at, to);
        if (found == Literal.NOWHERE) {
          noMatch(records, record, part, rejects);
          return false;
        }
        end = Literal.start(found);
        next = Literal.end(found);
      }
      Vector column = columns[i];
      if (part.plainText && column != null) {
        ((TextVector) column).append(data, at, end);
      } else if (column != null && !append(part, data, at, end, column)) {
        badValue(data, at, end, record, part.field, rejects);
        return false;
      }
      at = next;
    }
    if (at != to) {
      String rest = show(data, at, to);
      rejects.reject(record, Reason.NO_MATCH, "", "text is left after the end: " + rest);
      return false;
    }
    return true;
  }

  private static boolean badEncoding(byte[] data, int at, int to, int record, Rejects rejects) {
    int fault = Utf8.firstFault(data, at, to);
    if (fault >= 0) {
      // Not String.format, which is slow and may be called for many records.
      String hex = Integer.toHexString(0x100 | data[fault]).toUpperCase(Locale.ROOT);
      String detail = "byte " + (fault - at + 1) + " is 0x" + hex.substring(hex.length() - 2);
      rejects.reject(record, Reason.BAD_ENCODING, "", detail);
    }
    return fault >= 0;
  }

  private static boolean append(Part part, byte[] data, int from, int to, Vector column) {
    if (part.quoted && Literal.BACKSLASH.indexOf(data, from, to) >= 0) {
      byte[] plain = unescape(data, from, to);
      return part.field.append(plain, 0, plain.length, column);
    }
    return part.field.append(data, from, to, column);
  }

  /** Inside quotes a backslash makes the next character plain; n, r and t are controls. */
  private static byte[] unescape(byte[] data, int from, int to) {
    byte[] plain = new byte[to - from];
    int length = 0;
    for (int at = from; at < to; at++) {
      byte b = data[at];
      if (b == '\\' && at + 1 < to) {
        b = data[++at];
        b = b == 'n' ? (byte) '\n' : b == 'r' ? (byte) '\r' : b == 't' ? (byte) '\t' : b;
      }
      plain[length++] = b;
    }
    return Arrays.copyOf(plain, length);
  }

  private static void noMatch(Records records, int record, Part part, Rejects rejects) {
    String name = part.field.name();
    boolean empty = records.start(record) == records.end(record);
    String detail =
        empty
            ? "the line is empty"
            : "no " + show(part.until) + " after " + (name.isEmpty() ? "{}" : "'" + name + "'");
    rejects.reject(record, Reason.NO_MATCH, name, detail);
  }

  private static void badValue(
      byte[] data, int from, int to, int record, Field field, Rejects rejects) {
    String what =
        from == to ? "the value is empty" : show(data, from, to) + " is no " + field.type();
    String hint =
        field.type() == Type.Scalar.TIMESTAMP
                && field.format().isEmpty()
                && field.zone() == null
                && Times.instant(data, from, to, new Zone(ZoneOffset.UTC)) != Numbers.NONE
            ? ": it has no zone (give one, as in {" + field.name() + ":timestamp @UTC})"
            : "";
    rejects.reject(record, Reason.BAD_VALUE, field.name(), what + hint);
  }

  private static String show(Literal literal) {
    return "\"" + literal.text() + "\"";
  }

  private static String show(byte[] data, int from, int to) {
    int end = Math.min(to, from + SHOWN);
    while (end < to && end > from && (data[end] & 0xC0) == 0x80) {
      end--;
    }
    String text = new String(data, from, end - from, StandardCharsets.UTF_8);
    return "\"" + text + (end < to ? "…" : "") + "\"";
  }
}

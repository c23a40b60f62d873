package io.wexrun.core.parse;

import io.wexrun.core.batch.TextVector;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.dead.Reason;
import io.wexrun.core.field.Excerpt;
import io.wexrun.core.field.Field;
import io.wexrun.core.pattern.Literal;
import io.wexrun.core.schema.Type;
import io.wexrun.core.step.Rejects;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;

/**
 * One template, compiled: a linear scan over the bytes, without going back, so that no line can
 * make it slow. Each field takes the bytes up to where the text after it first occurs. Immutable.
 */
final class Layout {
  /** A field at its place in the template. */
  private static final class Part {
    private final Field field;

    /** The text that ends the field; null: the line's end does. */
    private final Literal until;

    /** Whether it stands in quotes, so that backslashes escape. */
    private final boolean quoted;

    /** How often the text that ends it occurs inside by the field's own format. */
    private final int inside;

    /** How often it occurs inside at most, if parts of the format may be missing. */
    private final int insideAtMost;

    /** Whether a blank may stand between a date and a time. */
    private final boolean mayHoldBlank;

    /** Whether the value may go on behind the first text that could end it. */
    private final boolean readsOn;

    /** Whether the bytes are the value as they are. */
    private final boolean plainText;

    /** Whether blanks at the end of the line are no part of the value. */
    private final boolean endsBeforeBlanks;

    Part(Field field, Literal before, Literal until) {
      this.field = field;
      boolean text =
          field.type() == Type.Scalar.TEXT
              || field.type() == Type.Scalar.BYTES
              || field.type() == Type.Scalar.JSON;
      endsBeforeBlanks = until == null && !text;
      this.until = until;
      quoted = before != null && until != null && before.endsWith('"') && until.startsWith('"');
      inside = until == null ? 0 : field.fewest(until);
      insideAtMost = until == null ? 0 : field.most(until);
      mayHoldBlank =
          until != null
              && until.startsWith(' ')
              && field.type() == Type.Scalar.TIMESTAMP
              && field.formats().isEmpty();
      readsOn = quoted || mayHoldBlank || insideAtMost > 0;
      plainText =
          field.type() == Type.Scalar.TEXT
              && !field.optional()
              && !quoted
              && field.pattern() == null;
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
      long further = found;
      for (int i = inside; i < insideAtMost && further != Literal.NOWHERE; i++) {
        further = until.locate(data, Literal.end(further), to);
        // The longest one that is a time is meant: what may be missing is not text behind it.
        boolean longer = further != Literal.NOWHERE;
        found = longer && field.isTime(data, at, Literal.start(further)) ? further : found;
      }
      if (mayHoldBlank && Literal.start(found) - at == DATE) {
        found = until.locate(data, Literal.end(found), to);
      }
      return found;
    }
  }

  /** The length of {@code yyyy-MM-dd}. */
  private static final int DATE = 10;

  /** What {@link #read} returns: the text fits. */
  static final int FITS = -1;

  private static final int NO_HEAD = -2;
  private static final int REST = -3;

  private final Literal head;
  private final Part[] parts;
  private final List<Field> fields = new ArrayList<>();

  /**
   * Makes the layout of the pieces of a template.
   *
   * @param pieces {@link Literal}s and {@link Field}s, no two fields side by side
   */
  Layout(List<Object> pieces) {
    List<Part> list = new ArrayList<>();
    head = pieces.get(0) instanceof Literal literal ? literal : null;
    for (int i = head == null ? 0 : 1; i < pieces.size(); i += 2) {
      Field field = (Field) pieces.get(i);
      Literal before = i > 0 ? (Literal) pieces.get(i - 1) : null;
      Literal until = i + 1 < pieces.size() ? (Literal) pieces.get(i + 1) : null;
      list.add(new Part(field, before, until));
      if (!field.skipped()) {
        fields.add(field);
      }
    }
    parts = list.toArray(Part[]::new);
  }

  /** The fields that have names, in order. */
  List<Field> fields() {
    return fields;
  }

  /** The columns of the parts, null for those that are skipped; {@code columns} as the fields. */
  Vector[] byPart(List<Vector> columns) {
    Vector[] byPart = new Vector[parts.length];
    for (int i = 0, next = 0; i < parts.length; i++) {
      byPart[i] = parts[i].field.skipped() ? null : columns.get(next++);
    }
    return byPart;
  }

  /**
   * Reads a text; if it does not fit, some columns may have a value more.
   *
   * @param columns as {@link #byPart} gives them
   * @param written by when the record had been written; 0 if that is not known
   * @param stopped takes where the reading stopped, and, if a value is wrong, where that ends
   * @return {@link #FITS}, or what {@link #reject} needs to say why not
   */
  int read(byte[] data, int from, int to, Vector[] columns, long written, int[] stopped) {
    int at = from;
    if (head != null) {
      at = head.match(data, from, to);
      if (at < 0) {
        stopped[0] = from;
        return NO_HEAD;
      }
    }
    // Invariant: the parts before part i fit the text up to `at`, and their values are added.
    for (int i = 0; i < parts.length; i++) {
      Part part = parts[i];
      int end = part.endsBeforeBlanks ? textEnd(data, at, to) : to;
      int next = to;
      if (part.until != null) {
        long found = part.locateEnd(data, at, to);
        if (found == Literal.NOWHERE) {
          stopped[0] = at;
          stopped[1] = -1;
          return i;
        }
        end = Literal.start(found);
        next = Literal.end(found);
      }
      Vector column = columns[i];
      if (part.plainText && column != null) {
        ((TextVector) column).append(data, at, end);
      } else if (column != null && !append(part, data, at, end, column, written)) {
        stopped[0] = at;
        stopped[1] = end;
        return i;
      }
      at = next;
    }
    stopped[0] = at;
    return at == to || textEnd(data, at, to) == at ? FITS : REST;
  }

  /** The end of a text without blanks behind it. */
  private static int textEnd(byte[] data, int from, int to) {
    int end = to;
    while (end > from && (data[end - 1] == ' ' || data[end - 1] == '\t')) {
      end--;
    }
    return end;
  }

  /** Rejects a record whose text did not fit. */
  void reject(int code, int[] stopped, byte[] data, int from, int to, int record, Rejects rejects) {
    if (code == NO_HEAD) {
      String what = from == to ? "the line is empty" : "the line does not start with " + show(head);
      rejects.reject(record, Reason.NO_MATCH, "", what);
    } else if (code == REST) {
      String rest = Excerpt.of(data, stopped[0], to);
      rejects.reject(record, Reason.NO_MATCH, "", "text is left after the end: " + rest);
    } else if (stopped[1] >= 0) {
      Field field = parts[code].field;
      String fault = field.fault(data, stopped[0], stopped[1]);
      rejects.reject(record, Reason.BAD_VALUE, field.name(), fault);
    } else {
      String name = parts[code].field.name();
      String behind = name.isEmpty() ? "{}" : "'" + name + "'";
      String detail =
          from == to ? "the line is empty" : "no " + show(parts[code].until) + " after " + behind;
      rejects.reject(record, Reason.NO_MATCH, name, detail);
    }
  }

  private static boolean append(
      Part part, byte[] data, int from, int to, Vector column, long written) {
    if (part.quoted && Literal.BACKSLASH.indexOf(data, from, to) >= 0) {
      byte[] plain = unescape(data, from, to);
      return part.field.append(plain, 0, plain.length, column, written);
    }
    return part.field.append(data, from, to, column, written);
  }

  /** Inside quotes a backslash makes the next character plain; n, r and t are controls. */
  static byte[] unescape(byte[] data, int from, int to) {
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

  private static String show(Literal literal) {
    return "\"" + literal.text() + "\"";
  }
}

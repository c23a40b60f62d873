package io.wexrun.core.field;

import io.wexrun.core.batch.ListVector;
import io.wexrun.core.batch.StructVector;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.schema.Type;
import java.util.Arrays;
import java.util.List;

/**
 * Adds JSON values to columns of any type, nested ones included. What a struct has no field for is
 * passed over; a member that is missing or {@code null} is absent. For one thread.
 */
public final class JsonValues {
  private final JsonScanner scanner = new JsonScanner();
  private String fault = "";

  /** Why a value was not taken. */
  public String fault() {
    return fault;
  }

  /**
   * Adds the value of a JSON text.
   *
   * @return whether it is one of the field's type; if not, nothing was added
   */
  public boolean parse(Field field, byte[] data, int from, int to, Vector column, long written) {
    scanner.over(data, to);
    int at = scanner.blanks(from);
    int end = scanner.skip(at, 1);
    if (end != JsonScanner.FAULT && scanner.blanks(end) != to) {
      end = scanner.fail(scanner.blanks(end), "the text ends after one value");
    }
    if (end == JsonScanner.FAULT) {
      fault = Excerpt.of(data, from, to) + " is not JSON: " + scanner.fault();
      return false;
    }
    return append(field, data, at, end, column, written);
  }

  /**
   * Adds the value at {@code data[from, to)}, which was found to be JSON.
   *
   * @return whether it is one of the field's type; if not, nothing was added
   */
  public boolean append(Field field, byte[] data, int from, int to, Vector column, long written) {
    byte first = data[from];
    if (first == 'n') {
      column.appendAbsent();
      return true;
    }
    if (field.type() == Type.Scalar.JSON) {
      ((TextVector) column).append(data, from, to);
      return true;
    }
    if (first == '{' || first == '[') {
      return nested(field, data, from, to, column, written);
    }
    if (field.type().nested()) {
      return wrong("it is " + Excerpt.of(data, from, to) + ", not " + kind(field.type()));
    }
    if (first != '"') {
      return field.append(data, from, to, column, written) || wrong(field.fault(data, from, to));
    }
    boolean escaped = false;
    for (int at = from + 1; at < to - 1 && !escaped; at++) {
      escaped = data[at] == '\\';
    }
    byte[] text = data;
    int start = from + 1;
    int end = to - 1;
    if (escaped) {
      scanner.over(data, to);
      if (!scanner.unescape(start, end)) {
        return wrong("half of a surrogate pair is not a character");
      }
      text = scanner.plain();
      start = 0;
      end = scanner.plainLength();
    }
    return field.append(text, start, end, column, written) || wrong(field.fault(text, start, end));
  }

  private static String kind(Type type) {
    return type instanceof Type.ListOf ? "an array" : "an object";
  }

  private boolean nested(Field field, byte[] data, int from, int to, Vector column, long written) {
    boolean object = data[from] == '{';
    boolean fits = object ? column instanceof StructVector : column instanceof ListVector;
    if (!fits) {
      String wanted = field.type().nested() ? kind(field.type()) : field.type().withArticle();
      return wrong("it is " + (object ? "an object" : "an array") + ", not " + wanted);
    }
    int rows = column.size();
    scanner.over(data, to);
    boolean added =
        object
            ? struct(field, data, from, to, (StructVector) column, written)
            : list(field, data, from, to, (ListVector) column, written);
    if (!added) {
      column.truncate(rows);
    }
    return added;
  }

  private boolean list(
      Field field, byte[] data, int from, int to, ListVector column, long written) {
    Field element = field.members().get(0).field();
    int at = scanner.blanks(from + 1);
    while (data[at] != ']') {
      int end = scanner.skip(at, 1);
      if (!append(element, data, at, end, column.elements(), written)) {
        return false;
      }
      scanner.over(data, to);
      at = scanner.blanks(end);
      at = data[at] == ',' ? scanner.blanks(at + 1) : at;
    }
    column.append();
    return true;
  }

  private boolean struct(
      Field field, byte[] data, int from, int to, StructVector column, long written) {
    List<Field.Member> members = field.members();
    int rows = column.size();
    int at = scanner.blanks(from + 1);
    while (data[at] != '}') {
      int nameStart = at + 1;
      int value = scanner.name(at);
      int place = member(members, data, nameStart);
      int end = scanner.skip(value, 1);
      if (place >= 0) {
        Field.Member member = members.get(place);
        Vector inside = column.fields().get(place);
        if (inside.size() > rows) {
          return wrong(member.key() + ": it stands there twice");
        }
        if (!append(member.field(), data, value, end, inside, written)) {
          return wrong(member.key() + ": " + fault);
        }
        scanner.over(data, to);
      }
      at = scanner.blanks(end);
      at = data[at] == ',' ? scanner.blanks(at + 1) : at;
    }
    for (Vector inside : column.fields()) {
      if (inside.size() == rows) {
        inside.appendAbsent();
      }
    }
    column.append();
    return true;
  }

  /** The place of the member whose name was read last; -1 if the struct has no such field. */
  private int member(List<Field.Member> members, byte[] data, int nameStart) {
    byte[] name = data;
    int start = nameStart;
    int end = scanner.nameEnd();
    if (scanner.escaped() && scanner.unescape(start, end)) {
      name = scanner.plain();
      start = 0;
      end = scanner.plainLength();
    }
    for (int i = 0; i < members.size(); i++) {
      byte[] key = members.get(i).utf8();
      if (key.length == end - start && Arrays.equals(key, 0, key.length, name, start, end)) {
        return i;
      }
    }
    return -1;
  }

  private boolean wrong(String what) {
    fault = what;
    return false;
  }
}

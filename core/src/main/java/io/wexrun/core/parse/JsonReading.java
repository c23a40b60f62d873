package io.wexrun.core.parse;

import io.wexrun.core.batch.TextVector;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.dead.Reason;
import io.wexrun.core.field.ByteBuilder;
import io.wexrun.core.field.Excerpt;
import io.wexrun.core.field.Field;
import io.wexrun.core.field.JsonScanner;
import io.wexrun.core.field.JsonValues;
import io.wexrun.core.intake.Records;
import io.wexrun.core.step.ParseStep;
import io.wexrun.core.step.Rejects;
import java.util.List;

/** Picks fields out of JSON texts into columns, in one pass over the bytes. For one thread. */
final class JsonReading implements ParseStep.Reading {
  private final JsonPick top;
  private final Records records;
  private final List<Field> fields;
  private final List<Vector> columns;
  private final TextVector rest;
  private final Rejects rejects;
  private final JsonScanner scanner = new JsonScanner();
  private final JsonValues values = new JsonValues();
  private final ByteBuilder others = new ByteBuilder();
  private byte[] data;
  private int rows;
  private long written;
  private String wrongField;
  private String wrong;

  /**
   * A reading.
   *
   * @param records those that are read
   * @param columns one for each field; then, if {@code keepsRest}, one for the members of the top
   *     that no field picks
   */
  JsonReading(
      JsonPick top,
      List<Field> fields,
      boolean keepsRest,
      Records records,
      List<Vector> columns,
      Rejects rejects) {
    this.records = records;
    this.top = top;
    this.fields = fields;
    this.columns = columns;
    this.rest = keepsRest ? (TextVector) columns.get(fields.size()) : null;
    this.rejects = rejects;
  }

  @Override
  public boolean read(byte[] bytes, int from, int to, int record) {
    data = bytes;
    rows = columns.get(0).size();
    wrong = null;
    written = records.written(record);
    others.clear();
    scanner.over(bytes, to);
    int begin = scanner.blanks(from);
    int end = pick(top, begin, 1);
    if (end != JsonScanner.FAULT && scanner.blanks(end) != to) {
      end = scanner.fail(scanner.blanks(end), "the text ends after one value");
    }
    if (end == JsonScanner.FAULT) {
      if (wrong != null) {
        rejects.reject(record, Reason.BAD_VALUE, wrongField, wrong);
      } else {
        rejects.reject(record, Reason.NOT_JSON, "", scanner.fault());
      }
      return false;
    }
    if (!top.fits(scanner.peek(begin))) {
      String shown = Excerpt.of(bytes, begin, to);
      rejects.reject(record, Reason.NO_MATCH, "", "an object is expected, but there is " + shown);
      return false;
    }
    if (rest != null && JsonScanner.hasHalfPair(others.bytes(), 0, others.length())) {
      rejects.reject(record, Reason.BAD_VALUE, "", JsonScanner.HALF_PAIR);
      return false;
    }
    if (rest != null && others.length() > 0) {
      others.add('}');
      rest.append(others.bytes(), 0, others.length());
    }
    for (Vector column : columns) {
      if (column.size() == rows) {
        column.appendAbsent();
      }
    }
    return true;
  }

  private int pick(JsonPick pick, int at, int depth) {
    byte b = scanner.peek(at);
    int end;
    if (depth <= JsonScanner.DEEPEST
        && b == '{'
        && (pick.picksInside() || pick == top && rest != null)) {
      end = object(pick, at, depth);
    } else if (depth <= JsonScanner.DEEPEST && b == '[' && pick.picksInside()) {
      end = array(pick, at, depth);
    } else {
      end = scanner.skip(at, depth);
    }
    if (end == JsonScanner.FAULT || pick.field() < 0) {
      return end;
    }
    return take(pick.field(), at, end);
  }

  private int object(JsonPick pick, int at, int depth) {
    int place = scanner.blanks(at + 1);
    if (scanner.peek(place) == '}') {
      return place + 1;
    }
    while (true) {
      int nameStart = place;
      int value = scanner.name(place);
      if (value == JsonScanner.FAULT) {
        return value;
      }
      JsonPick inside = member(pick, nameStart);
      int end = inside == null ? scanner.skip(value, depth + 1) : pick(inside, value, depth + 1);
      if (end == JsonScanner.FAULT) {
        return end;
      }
      if (inside == null && pick == top && rest != null) {
        others.add(others.length() == 0 ? '{' : ',');
        others.add(data, nameStart, end);
      }
      place = scanner.next(end, true);
      if (place == JsonScanner.FAULT || data[place - 1] == '}') {
        return place;
      }
      place = scanner.blanks(place);
    }
  }

  /** The pick of the member whose name was read last. */
  private JsonPick member(JsonPick pick, int nameStart) {
    int end = scanner.nameEnd();
    if (scanner.escaped() && scanner.unescape(nameStart + 1, end)) {
      return pick.member(scanner.plain(), 0, scanner.plainLength());
    }
    return pick.member(data, nameStart + 1, end);
  }

  private int array(JsonPick pick, int at, int depth) {
    int place = scanner.blanks(at + 1);
    if (scanner.peek(place) == ']') {
      return place + 1;
    }
    for (int index = 0; ; index++) {
      JsonPick inside = pick.element(index);
      int end = inside == null ? scanner.skip(place, depth + 1) : pick(inside, place, depth + 1);
      if (end == JsonScanner.FAULT) {
        return end;
      }
      place = scanner.next(end, false);
      if (place == JsonScanner.FAULT || data[place - 1] == ']') {
        return place;
      }
      place = scanner.blanks(place);
    }
  }

  /** Adds the value of {@code data[from, to)} to a field's column. */
  private int take(int number, int from, int to) {
    Field field = fields.get(number);
    Vector column = columns.get(number);
    if (column.size() > rows) {
      return wrong(field, "it stands there twice");
    }
    return values.append(field, data, from, to, column, written)
        ? to
        : wrong(field, values.fault());
  }

  private int wrong(Field field, String what) {
    wrongField = field.name();
    wrong = what;
    return JsonScanner.FAULT;
  }
}

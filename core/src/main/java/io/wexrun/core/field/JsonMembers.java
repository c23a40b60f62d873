package io.wexrun.core.field;

import java.nio.charset.StandardCharsets;
import java.util.function.BiConsumer;

/** The single values inside a JSON object, with their paths. For one thread. */
public final class JsonMembers {
  private final JsonScanner scanner = new JsonScanner();
  private byte[] data;

  /**
   * Goes through a text that should be one JSON object.
   *
   * @param each takes the JSONPath of every value that is not an object, and the value as JSON
   * @return whether it is one; if not, some values may have been told
   */
  public boolean visit(byte[] text, BiConsumer<String, String> each) {
    data = text;
    scanner.over(text, text.length);
    int at = scanner.blanks(0);
    if (scanner.peek(at) != '{') {
      return false;
    }
    int end = object(at, "$", each, 1);
    return end != JsonScanner.FAULT && scanner.blanks(end) == text.length;
  }

  /** Is told of a member of an object. */
  @FunctionalInterface
  public interface Member {
    /**
     * A member.
     *
     * @param name decoded
     * @param from where its value stands
     * @param to where it ends
     */
    void is(String name, int from, int to);
  }

  /** Tells the members of a JSON object that is known to be one, not those inside of them. */
  public void each(byte[] object, int from, int to, Member told) {
    scanner.over(object, to);
    int place = scanner.blanks(scanner.blanks(from) + 1);
    while (scanner.peek(place) != '}') {
      int nameStart = place + 1;
      int value = scanner.name(place);
      int nameEnd = scanner.nameEnd();
      String name =
          scanner.escaped() && scanner.unescape(nameStart, nameEnd)
              ? new String(scanner.plain(), 0, scanner.plainLength(), StandardCharsets.UTF_8)
              : new String(object, nameStart, nameEnd - nameStart, StandardCharsets.UTF_8);
      int end = scanner.skip(value, 1);
      told.is(name, value, end);
      place = scanner.blanks(end);
      place = scanner.peek(place) == ',' ? scanner.blanks(place + 1) : place;
    }
  }

  private int object(int at, String path, BiConsumer<String, String> each, int depth) {
    int place = scanner.blanks(at + 1);
    if (scanner.peek(place) == '}') {
      return place + 1;
    }
    while (true) {
      int nameStart = place + 1;
      int value = scanner.name(place);
      if (value == JsonScanner.FAULT) {
        return value;
      }
      String inside = path + member(text(nameStart, scanner.nameEnd()));
      boolean goesOn = scanner.peek(value) == '{' && depth < JsonScanner.DEEPEST;
      int end = goesOn ? object(value, inside, each, depth + 1) : scanner.skip(value, depth + 1);
      if (end == JsonScanner.FAULT) {
        return end;
      }
      if (!goesOn) {
        each.accept(inside, text(value, end));
      }
      place = scanner.next(end, true);
      if (place == JsonScanner.FAULT || data[place - 1] == '}') {
        return place;
      }
      place = scanner.blanks(place);
    }
  }

  private static String member(String name) {
    return name.matches("[A-Za-z_][A-Za-z0-9_]*") ? "." + name : "['" + name + "']";
  }

  private String text(int from, int to) {
    return new String(data, from, to - from, StandardCharsets.UTF_8);
  }
}

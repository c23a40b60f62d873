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

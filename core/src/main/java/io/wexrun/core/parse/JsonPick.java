package io.wexrun.core.parse;

import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;

/**
 * What to pick from a JSON value: the value itself, and picks of its members and elements. Built
 * from singular paths of JSONPath (RFC 9535, 2.3.5.1); then not changed any more.
 */
final class JsonPick {
  /** RFC 9535, 2.1: numbers are those that are exact in a double. */
  private static final long LARGEST_INDEX = (1L << 53) - 1;

  private final List<byte[]> names = new ArrayList<>();
  private final List<JsonPick> members = new ArrayList<>();
  private final List<Integer> indexes = new ArrayList<>();
  private final List<JsonPick> elements = new ArrayList<>();

  /** The field that the value is picked for; -1: none. */
  private int field = -1;

  int field() {
    return field;
  }

  boolean picksInside() {
    return !names.isEmpty() || !indexes.isEmpty();
  }

  /** Whether a value that begins with a byte can have what is picked inside; absent or not. */
  boolean fits(byte first) {
    return field >= 0 || first == '{' || first == '[' && !indexes.isEmpty();
  }

  /** The pick of a member; null if there is none. */
  JsonPick member(byte[] data, int from, int to) {
    for (int i = 0; i < names.size(); i++) {
      byte[] name = names.get(i);
      if (name.length == to - from && Arrays.equals(name, 0, name.length, data, from, to)) {
        return members.get(i);
      }
    }
    return null;
  }

  /** The pick of an element; null if there is none. */
  JsonPick element(int index) {
    int place = indexes.indexOf(index);
    return place < 0 ? null : elements.get(place);
  }

  private JsonPick toMember(String name) {
    byte[] bytes = name.getBytes(StandardCharsets.UTF_8);
    JsonPick there = member(bytes, 0, bytes.length);
    if (there == null) {
      there = new JsonPick();
      names.add(bytes);
      members.add(there);
    }
    return there;
  }

  private JsonPick toElement(int index) {
    JsonPick there = element(index);
    if (there == null) {
      there = new JsonPick();
      indexes.add(index);
      elements.add(there);
    }
    return there;
  }

  /**
   * Adds a field's path: one that begins with {@code $}, or the name of a member of the top.
   *
   * @throws IllegalArgumentException if it is not a singular path, or another field has it
   */
  void add(String path, int forField) {
    JsonPick pick = path.startsWith("$") ? follow(path) : toMember(path);
    if (pick.field >= 0) {
      throw new IllegalArgumentException("another field is read from there");
    }
    pick.field = forField;
  }

  private JsonPick follow(String path) {
    JsonPick pick = this;
    int at = 1;
    while (at < path.length()) {
      if (path.charAt(at) == '.') {
        int end = at + 1;
        while (end < path.length() && nameChar(path.charAt(end), end == at + 1)) {
          end++;
        }
        if (end == at + 1) {
          throw new IllegalArgumentException("a name follows the point; others as ['a name']");
        }
        pick = pick.toMember(path.substring(at + 1, end));
        at = end;
      } else if (path.startsWith("['", at) || path.startsWith("[\"", at)) {
        int quote = at + 1;
        int close = path.indexOf(path.charAt(quote) + "]", at + 2);
        if (close < 0) {
          throw new IllegalArgumentException("a name in brackets ends with a quote and ']'");
        }
        String name = path.substring(at + 2, close);
        if (name.chars().anyMatch(c -> c == '\\' || c < 32 || c == path.charAt(quote))) {
          throw new IllegalArgumentException("a name in brackets has no escapes here");
        }
        pick = pick.toMember(name);
        at = close + 2;
      } else {
        int close = path.indexOf(']', at);
        String index = path.charAt(at) == '[' && close > 0 ? path.substring(at + 1, close) : "";
        if (!index.matches("0|[1-9][0-9]{0,15}") || Long.parseLong(index) > LARGEST_INDEX) {
          throw new IllegalArgumentException(
              "a path goes by .name, ['name'] and [number], one value at each");
        }
        // No text has so many elements: the larger ones are nowhere.
        pick = pick.toElement((int) Math.min(Integer.MAX_VALUE, Long.parseLong(index)));
        at = close + 1;
      }
    }
    return pick;
  }

  private static boolean nameChar(char c, boolean first) {
    return c == '_' || Character.isLetter(c) || c > 127 || !first && Character.isDigit(c);
  }
}

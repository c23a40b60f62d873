package io.wexrun.core.field;

import java.nio.charset.StandardCharsets;

/**
 * Reads JSON texts (RFC 8259) from UTF-8 bytes in place: every method starts at a place and returns
 * the place behind what it read, or {@link #FAULT}. Strict: what is not JSON is never passed over.
 * For one thread, and for one text after the other.
 */
public final class JsonScanner {
  /** Returned where the text is not JSON; {@link #fault()} says why. */
  public static final int FAULT = -1;

  /** ValueText may be nested so deep. */
  public static final int DEEPEST = 200;

  private byte[] data;
  private int to;
  private String fault;
  private boolean escaped;
  private int nameEnd;
  private byte[] plain = new byte[64];
  private int plainLength;

  /** Begins a text that ends at {@code to}. */
  public void over(byte[] bytes, int end) {
    data = bytes;
    to = end;
    fault = null;
  }

  /** What is wrong with JSON that {@link #hasHalfPair} finds. */
  public static final String HALF_PAIR = "half of a surrogate pair is not a character";

  /**
   * Whether valid JSON has an escape that is half of a surrogate pair. RFC 8259, section 8.2, lets
   * it pass; stores do not.
   */
  public static boolean hasHalfPair(byte[] data, int from, int to) {
    boolean high = false;
    int at = from;
    while (at < to) {
      if (data[at] != '\\') {
        if (high) {
          return true;
        }
        at++;
        continue;
      }
      int unit = at + 5 < to && data[at + 1] == 'u' ? unit(data, at + 2) : -1;
      boolean low = unit >= 0xDC00 && unit <= 0xDFFF;
      if (low != high) {
        return true;
      }
      high = unit >= 0xD800 && unit <= 0xDBFF;
      at += unit < 0 ? 2 : 6;
    }
    return high;
  }

  private static int unit(byte[] data, int at) {
    int unit = 0;
    for (int i = 0; i < 4; i++) {
      unit = unit << 4 | Character.digit(data[at + i], 16);
    }
    return unit;
  }

  /** Whether a text is one JSON value that stores take. */
  public static boolean isJson(byte[] data, int from, int to) {
    JsonScanner scanner = new JsonScanner();
    scanner.over(data, to);
    int end = scanner.skip(scanner.blanks(from), 1);
    return end != FAULT && scanner.blanks(end) == to && !hasHalfPair(data, from, to);
  }

  /** Why a method returned {@link #FAULT}. */
  public String fault() {
    return fault;
  }

  public int fail(int at, String what) {
    String found = at >= to ? "the text ends" : Excerpt.of(data, at, Math.min(to, at + 12));
    fault = what + ", but there is " + found;
    if (at >= to) {
      fault = what + ", but the text ends";
    }
    return FAULT;
  }

  /** The first place from {@code at} on that holds no blank; {@code to} if none does. */
  public int blanks(int at) {
    int place = at;
    while (place < to) {
      byte b = data[place];
      if (b != ' ' && b != '\n' && b != '\r' && b != '\t') {
        return place;
      }
      place++;
    }
    return to;
  }

  /** The byte at a place; 0 behind the end. */
  public byte peek(int at) {
    return at < to ? data[at] : 0;
  }

  /** Reads a string whose opening quote stands at {@code at}. */
  public int string(int at) {
    escaped = false;
    int place = at + 1;
    while (place < to) {
      byte b = data[place];
      if (b == '"') {
        return place + 1;
      }
      if (b == '\\') {
        escaped = true;
        int next = escape(place);
        if (next == FAULT) {
          return FAULT;
        }
        place = next;
      } else if (b >= 0 && b < 0x20) {
        return fail(place, "a control character in a string is written as \\u" + hex(b));
      } else {
        place++;
      }
    }
    return fail(to, "a string ends with a quote");
  }

  private static String hex(byte b) {
    return "00" + Integer.toHexString(0x100 | b).substring(1);
  }

  private int escape(int at) {
    byte kind = peek(at + 1);
    if (kind == 'u') {
      for (int i = 2; i < 6; i++) {
        if (Character.digit(peek(at + i), 16) < 0) {
          return fail(at, "\\u is followed by four hexadecimal digits");
        }
      }
      return at + 6;
    }
    boolean known = kind != 0 && "\"\\/bfnrt".indexOf(kind) >= 0;
    return known ? at + 2 : fail(at, "a backslash is followed by one of \"\\/bfnrtu");
  }

  /** Whether the string read last has escapes. */
  public boolean escaped() {
    return escaped;
  }

  /**
   * Decodes the inside of a string that was read.
   *
   * @return whether it is text: a half of a surrogate pair alone is none
   */
  public boolean unescape(int from, int end) {
    if (plain.length < end - from) {
      plain = new byte[(end - from) * 2];
    }
    int length = 0;
    int at = from;
    while (at < end) {
      byte b = data[at];
      if (b != '\\') {
        plain[length++] = b;
        at++;
        continue;
      }
      byte kind = data[at + 1];
      if (kind != 'u') {
        int place = "bfnrt".indexOf(kind);
        plain[length++] = place < 0 ? kind : (byte) "\b\f\n\r\t".charAt(place);
        at += 2;
        continue;
      }
      int unit = unit(at);
      at += 6;
      int point = unit;
      if (Character.isSurrogate((char) unit)) {
        boolean pair =
            Character.isHighSurrogate((char) unit)
                && at + 6 <= end
                && data[at] == '\\'
                && data[at + 1] == 'u'
                && Character.isLowSurrogate((char) unit(at));
        if (!pair) {
          return false;
        }
        point = Character.toCodePoint((char) unit, (char) unit(at));
        at += 6;
      }
      // Six bytes of an escape become at most three, twelve of a pair four.
      byte[] utf8 = Character.toString(point).getBytes(StandardCharsets.UTF_8);
      System.arraycopy(utf8, 0, plain, length, utf8.length);
      length += utf8.length;
    }
    plainLength = length;
    return true;
  }

  private int unit(int at) {
    int unit = 0;
    for (int i = 2; i < 6; i++) {
      unit = unit * 16 + Character.digit(data[at + i], 16);
    }
    return unit;
  }

  /** What {@link #unescape} decoded; the first {@link #plainLength()} bytes count. */
  public byte[] plain() {
    return plain;
  }

  public int plainLength() {
    return plainLength;
  }

  /** Reads a number, {@code true}, {@code false} or {@code null}. */
  public int word(int at) {
    byte b = peek(at);
    if (b == '-' || b >= '0' && b <= '9') {
      return number(at);
    }
    String word = b == 't' ? "true" : b == 'f' ? "false" : b == 'n' ? "null" : "";
    for (int i = 0; i < word.length(); i++) {
      if (peek(at + i) != word.charAt(i)) {
        word = "";
      }
    }
    return word.isEmpty() ? fail(at, "a value is expected") : at + word.length();
  }

  private int number(int start) {
    int at = start;
    if (peek(at) == '-') {
      at++;
    }
    if (peek(at) == '0') {
      at++;
    } else {
      int digits = digits(at);
      if (digits == at) {
        return fail(start, "a number has a digit");
      }
      at = digits;
    }
    if (peek(at) == '.') {
      int digits = digits(at + 1);
      if (digits == at + 1) {
        return fail(start, "a digit follows the point");
      }
      at = digits;
    }
    if (peek(at) == 'e' || peek(at) == 'E') {
      int sign = peek(at + 1) == '+' || peek(at + 1) == '-' ? 1 : 0;
      int digits = digits(at + 1 + sign);
      if (digits == at + 1 + sign) {
        return fail(start, "an exponent has a digit");
      }
      at = digits;
    }
    return at;
  }

  private int digits(int at) {
    int place = at;
    while (place < to && data[place] >= '0' && data[place] <= '9') {
      place++;
    }
    return place;
  }

  /** Passes over any value. */
  public int skip(int at, int depth) {
    byte b = peek(at);
    if (b == '"') {
      return string(at);
    }
    if (b != '{' && b != '[') {
      return word(at);
    }
    if (depth > DEEPEST) {
      return fail(at, "values are nested at most " + DEEPEST + " deep");
    }
    boolean object = b == '{';
    int place = blanks(at + 1);
    if (peek(place) == (object ? '}' : ']')) {
      return place + 1;
    }
    while (true) {
      if (object) {
        place = name(place);
        if (place == FAULT) {
          return FAULT;
        }
      }
      place = skip(place, depth + 1);
      if (place == FAULT) {
        return FAULT;
      }
      place = next(place, object);
      if (place == FAULT || data[place - 1] == (object ? '}' : ']')) {
        return place;
      }
      place = blanks(place);
    }
  }

  /** Reads a member's name and the colon; stops where its value begins. */
  public int name(int at) {
    if (peek(at) != '"') {
      return fail(at, "a member begins with its name in quotes");
    }
    int place = string(at);
    if (place == FAULT) {
      return FAULT;
    }
    nameEnd = place - 1;
    place = blanks(place);
    return peek(place) == ':' ? blanks(place + 1) : fail(place, "a colon follows a name");
  }

  /** Where the name that was read last ends: the place of its closing quote. */
  public int nameEnd() {
    return nameEnd;
  }

  /** Reads what follows a member or element: a comma, or the bracket that closes. */
  public int next(int at, boolean object) {
    int place = blanks(at);
    byte b = peek(place);
    if (b == ',' || b == (object ? '}' : ']')) {
      return place + 1;
    }
    return fail(place, "a comma or " + (object ? "'}'" : "']'") + " is expected");
  }
}

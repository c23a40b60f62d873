package io.wexrun.core.dead;

/**
 * Makes what differs from one record to the next equal in the words of deaths, so that those that
 * have one cause are alike: values in double quotes become {@code "…"}, numbers, times, ids and
 * what else begins with a digit {@code #}. Names of fields and places stay.
 *
 * <pre>{@code
 * Value  --> '"', ('\', any | any but '"' and '\')*, ('"' | the end)     becomes "…"
 * Id     --> hex{8}, "-", hex{4}, "-", (hex | "-"){18,}                  becomes #
 * Number --> ("-" | "+")?, digit, (digit | letter | [.,:+_-])*           becomes #
 * }</pre>
 *
 * <p>Ids and numbers begin where a word begins, and end in a letter or digit.
 */
final class Likeness {
  private static final int[] ID = {8, 4};
  private static final int ID_REST = 18;

  private Likeness() {}

  /** The words with what differs made equal. */
  static String of(String words) {
    StringBuilder alike = new StringBuilder(words.length());
    int at = 0;
    while (at < words.length()) {
      char c = words.charAt(at);
      if (c == '"') {
        at = endOfValue(words, at);
        alike.append("\"…\"");
        continue;
      }
      boolean sign = (c == '-' || c == '+') && at + 1 < words.length();
      boolean begins = isWord(c) && (at == 0 || !isWord(words.charAt(at - 1)));
      int end = begins ? endOfId(words, at) : at;
      if (end == at && begins && isDigit(c)) {
        end = endOfNumber(words, at);
      } else if (sign && isDigit(words.charAt(at + 1))) {
        end = endOfNumber(words, at + 1);
      }
      alike.append(end == at ? c : '#');
      at = Math.max(end, at + 1);
    }
    return alike.toString();
  }

  private static int endOfValue(String words, int begin) {
    int at = begin + 1;
    while (at < words.length() && words.charAt(at) != '"') {
      at += words.charAt(at) == '\\' ? 2 : 1;
    }
    return Math.min(words.length(), at + 1);
  }

  private static int endOfNumber(String words, int begin) {
    int end = begin + 1;
    for (int at = end; at < words.length(); at++) {
      char c = words.charAt(at);
      if (isDigit(c) || isLetter(c)) {
        end = at + 1;
      } else if (".,:+_-".indexOf(c) < 0) {
        break;
      }
    }
    return end;
  }

  /** Where an id ends that begins here; the beginning if none does. */
  private static int endOfId(String words, int begin) {
    int at = begin;
    for (int length : ID) {
      for (int i = 0; i < length; i++, at++) {
        if (at >= words.length() || !isHex(words.charAt(at))) {
          return begin;
        }
      }
      if (at >= words.length() || words.charAt(at++) != '-') {
        return begin;
      }
    }
    int rest = at;
    while (at < words.length() && (isHex(words.charAt(at)) || words.charAt(at) == '-')) {
      at++;
    }
    boolean goesOn = at < words.length() && isWord(words.charAt(at));
    return at - rest < ID_REST || goesOn ? begin : at;
  }

  private static boolean isHex(char c) {
    return isDigit(c) || c >= 'a' && c <= 'f' || c >= 'A' && c <= 'F';
  }

  private static boolean isDigit(char c) {
    return c >= '0' && c <= '9';
  }

  private static boolean isLetter(char c) {
    return c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z';
  }

  private static boolean isWord(char c) {
    return isDigit(c) || isLetter(c) || c == '_';
  }
}

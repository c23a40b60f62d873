package io.wexrun.core.look;

import java.util.regex.Pattern;

/** What a word at the head of a line is, by how it looks. */
enum Kind {
  TIME,
  LEVEL,
  BRACKET,
  TAG,
  COLON,
  NUMBER,
  ADDRESS,
  LOGGER,
  SEPARATOR,
  WORD,
  OTHER;

  static final Pattern LEVELS =
      Pattern.compile(
          "(?i)trace|debug|dbg|fine|finer|finest|config|info|information|informational|notice|note"
              + "|warn|warning|wrn|error|err|fatal|crit|critical|alert|emerg|emergency|panic|severe"
              + "|log|statement|verbose|system|detail|hint|debug[1-5]|[iwefdvt]|inf|ftl");

  private static final Pattern LEVEL_WORD =
      Pattern.compile("[\\[(<]?(?:" + LEVELS.pattern() + ")[\\])>]?[:,|]?");

  /** One letter is a level only where nothing else than that stands. */
  private static final Pattern LETTER = Pattern.compile("[a-z]:?");

  private static final Pattern BRACKETS = Pattern.compile("\\[[^\\[\\]]*\\][:,]?");
  private static final Pattern TAGS =
      Pattern.compile("[^\\s\\[\\]:=\"]+\\[(?:\\d+|[A-Z]{3,9})\\]:?");
  private static final Pattern COLONS = Pattern.compile("[A-Za-z][^\\s\\[\\]:=\",;]*:");
  private static final Pattern NUMBERS = Pattern.compile("[-+]?\\d+(?:\\.\\d+)?");
  private static final Pattern LOGGERS =
      Pattern.compile("[A-Za-z_$][\\w$-]*(?:\\.[A-Za-z_$][\\w$-]*)+:?");
  private static final Pattern SEPARATORS = Pattern.compile("[-|:*>=#~]{1,4}");
  private static final Pattern WORDS = Pattern.compile("[A-Za-z0-9][\\w.@/-]*");
  static final Pattern ADDRESSES =
      Pattern.compile(
          "\\d{1,3}(?:\\.\\d{1,3}){3}|(?=[0-9a-fA-F:]*::)[0-9a-fA-F:]{2,39}"
              + "(?:(?<=:)\\d{1,3}(?:\\.\\d{1,3}){3})?|(?:[0-9a-fA-F]{1,4}:){7}[0-9a-fA-F]{1,4}");

  /** The kind of a word. */
  static Kind of(String word) {
    if (word.equals(Words.NEWLINE)) {
      return SEPARATOR;
    }
    if (Words.hasTime(word)) {
      return TIME;
    }
    if (LEVEL_WORD.matcher(word).matches() && !LETTER.matcher(word).matches()) {
      return LEVEL;
    }
    if (word.startsWith("[") && (word.endsWith("]") || BRACKETS.matcher(word).matches())) {
      return BRACKET;
    }
    if (TAGS.matcher(word).matches()) {
      return TAG;
    }
    if (NUMBERS.matcher(word).matches()) {
      return NUMBER;
    }
    if (ADDRESSES.matcher(word).matches()) {
      return ADDRESS;
    }
    if (LOGGERS.matcher(word).matches() && !word.endsWith(":")) {
      return LOGGER;
    }
    if (COLONS.matcher(word).matches()) {
      return COLON;
    }
    if (SEPARATORS.matcher(word).matches()) {
      return SEPARATOR;
    }
    return WORDS.matcher(word).matches() ? WORD : OTHER;
  }
}

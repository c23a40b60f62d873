package io.wexrun.core.shape;

import com.google.re2j.Matcher;
import com.google.re2j.Pattern;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.intake.Records;
import java.nio.charset.StandardCharsets;

/**
 * Finds the key of a raw record by an RE2 pattern: its first group, or the whole match.
 *
 * <p>A pattern of the form {@code literal(\S+)} or {@code literal(\w+)}, the usual one, is found by
 * comparing bytes; every other one by the library.
 */
final class Key {
  private static final java.util.regex.Pattern SIMPLE =
      java.util.regex.Pattern.compile("([A-Za-z0-9_=:,;#%&@<>~\"' /-]+)\\(\\\\([Sw])\\+\\)");

  private final Pattern pattern;
  private final byte[] literal;
  private final boolean word;

  /** Throws {@link com.google.re2j.PatternSyntaxException} for what is no pattern. */
  Key(String regex) {
    pattern = Pattern.compile(regex);
    java.util.regex.Matcher simple = SIMPLE.matcher(regex);
    if (simple.matches()) {
      literal = simple.group(1).getBytes(StandardCharsets.US_ASCII);
      word = simple.group(2).equals("w");
    } else {
      literal = null;
      word = false;
    }
  }

  /** Adds the record's key to {@code keys}, or an absent value if it has none. */
  void append(Records records, int record, TextVector keys) {
    if (literal == null) {
      appendByLibrary(records, record, keys);
      return;
    }
    byte[] data = records.data();
    int to = records.end(record);
    for (int at = records.start(record); at + literal.length < to; at++) {
      if (data[at] == literal[0] && literalAt(data, at)) {
        int from = at + literal.length;
        int end = from;
        while (end < to && belongs(data[end])) {
          end++;
        }
        if (end > from) {
          keys.append(data, from, end);
          return;
        }
      }
    }
    keys.appendAbsent();
  }

  private boolean literalAt(byte[] data, int at) {
    for (int i = 1; i < literal.length; i++) {
      if (data[at + i] != literal[i]) {
        return false;
      }
    }
    return true;
  }

  /** The ASCII classes of RE2: \w is [0-9A-Za-z_], \s is [\t\n\f\r ]. */
  private boolean belongs(byte b) {
    if (word) {
      return b >= '0' && b <= '9' || b >= 'A' && b <= 'Z' || b >= 'a' && b <= 'z' || b == '_';
    }
    return b != ' ' && b != '\t' && b != '\n' && b != '\f' && b != '\r';
  }

  private void appendByLibrary(Records records, int record, TextVector keys) {
    byte[] bytes = records.bytes(record);
    Matcher matcher = pattern.matcher(bytes);
    if (!matcher.find()) {
      keys.appendAbsent();
      return;
    }
    int group = matcher.groupCount() > 0 ? 1 : 0;
    if (matcher.start(group) < 0) {
      keys.appendAbsent();
    } else {
      keys.append(bytes, matcher.start(group), matcher.end(group));
    }
  }
}

package io.wexrun.core.shape;

import com.google.re2j.Pattern;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.intake.Records;
import io.wexrun.core.pattern.Search;

/** Finds the key of a raw record by an RE2 pattern: its first group, or the whole match. */
final class Key {
  private final Search search;

  /** Throws {@link com.google.re2j.PatternSyntaxException} for what is no pattern. */
  Key(String regex) {
    search = Search.of(Pattern.compile(regex));
  }

  /** Adds the record's key to {@code keys}, or an absent value if it has none. */
  void append(Records records, int record, TextVector keys) {
    int[] found = new int[2 * search.groups() + 2];
    int group = search.groups() > 0 ? 2 : 0;
    boolean has = search.find(records.data(), records.start(record), records.end(record), found);
    if (has && found[group] >= 0) {
      keys.append(records.data(), found[group], found[group + 1]);
    } else {
      keys.appendAbsent();
    }
  }
}

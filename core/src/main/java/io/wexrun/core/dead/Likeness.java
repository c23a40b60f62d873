package io.wexrun.core.dead;

import com.google.re2j.Pattern;

/**
 * Makes what differs from one record to the next equal in the words of deaths, so that those that
 * have one cause are alike: values in double quotes become {@code "…"}, numbers, times, ids and
 * what else begins with a digit {@code #}. Names of fields and places stay.
 */
final class Likeness {
  private static final Pattern QUOTED = Pattern.compile("\"(?:[^\"\\\\]|\\\\.)*\"?");
  private static final Pattern NUMBER =
      Pattern.compile("[-+]?\\b[0-9](?:[0-9A-Za-z.,:+_-]*[0-9A-Za-z])?");

  /** Ids of letters and digits, such as UUIDs that begin with a letter. */
  private static final Pattern ID =
      Pattern.compile("\\b[0-9a-fA-F]{8}-[0-9a-fA-F]{4}-[0-9a-fA-F-]{18,}\\b");

  private Likeness() {}

  /** The words with what differs made equal. */
  static String of(String words) {
    String quoted = QUOTED.matcher(words).replaceAll("\"…\"");
    String ids = ID.matcher(quoted).replaceAll("#");
    return NUMBER.matcher(ids).replaceAll("#");
  }
}

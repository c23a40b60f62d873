package io.wexrun.sql;

import io.wexrun.core.target.Querying;
import java.util.List;
import java.util.stream.Collectors;

/** Names and texts as SQL writes them. */
public final class Names {
  private Names() {}

  /** A name in quotes, so that every name can be a table or column. */
  public static String name(String name) {
    return Querying.quoted(name);
  }

  /** Names in quotes, with commas between them. */
  public static String list(List<String> names) {
    return names.stream().map(Names::name).collect(Collectors.joining(", "));
  }

  /** What a row does that clashes with another by a key: it takes that one's place. */
  public static String replacing(List<String> key, List<String> columns) {
    String changes =
        columns.stream()
            .filter(column -> !key.contains(column))
            .map(column -> name(column) + " = excluded." + name(column))
            .collect(Collectors.joining(", "));
    return " on conflict ("
        + list(key)
        + ")"
        + (changes.isEmpty() ? " do nothing" : " do update set " + changes);
  }

  /** A text in quotes. */
  public static String text(String text) {
    return "'" + text.replace("'", "''") + "'";
  }
}

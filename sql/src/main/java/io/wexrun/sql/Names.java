package io.wexrun.sql;

/** Names and texts as SQL writes them. */
public final class Names {
  private Names() {}

  /** A name in quotes, so that every name can be a table or column. */
  public static String name(String name) {
    return '"' + name.replace("\"", "\"\"") + '"';
  }

  /** A text in quotes. */
  public static String text(String text) {
    return "'" + text.replace("'", "''") + "'";
  }
}

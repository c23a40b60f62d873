package io.wexrun.postgres;

import io.wexrun.core.diagnose.OutsideException;
import java.sql.SQLException;
import java.util.List;
import java.util.Locale;
import java.util.Set;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.postgresql.core.NativeQuery;
import org.postgresql.core.Parser;

/**
 * What only reads. A transaction that only reads still lets somebody with the rights write files of
 * the server or run its programs ({@code COPY ... TO}), so the statement's kind is looked at, too.
 */
final class Reading {
  /** With what a statement begins that can only read, in a transaction that only reads. */
  private static final Set<String> READING =
      Set.of("select", "with", "values", "table", "explain", "show");

  /** Blanks, comments and opening brackets, and then a word. */
  private static final Pattern FIRST_WORD =
      Pattern.compile("(?s)(?:\\s|\\(|--[^\n]*\n|/\\*.*?\\*/)*(\\w*).*");

  private Reading() {}

  /**
   * Fails unless SQL is one statement that reads. The driver's own parser decides, since it cuts
   * SQL into the statements that it sends.
   */
  static void requireOnlyReads(String sql, PostgresStore store) {
    List<NativeQuery> statements;
    try {
      statements = Parser.parseJdbcSql(sql, true, false, true, false, true, new String[0]);
    } catch (SQLException e) {
      throw new OutsideException(
          store + " does not take the query: " + PostgresStore.message(e), e);
    }
    if (statements.size() > 1) {
      throw refused(store, "several statements at once");
    }
    String first = statements.isEmpty() ? "" : firstWord(statements.get(0).nativeSql);
    if (!READING.contains(first)) {
      throw refused(store, "something that does not only read");
    }
  }

  private static String firstWord(String sql) {
    Matcher found = FIRST_WORD.matcher(sql);
    return found.matches() ? found.group(1).toLowerCase(Locale.ROOT) : "";
  }

  private static OutsideException refused(PostgresStore store, String what) {
    return OutsideException.lasting(
        store
            + " was asked for "
            + what
            + ". A query is one statement that reads; 'wexrun sql --write' runs others");
  }
}

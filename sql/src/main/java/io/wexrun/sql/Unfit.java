package io.wexrun.sql;

import io.wexrun.core.pipeline.Table;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Schema;
import java.sql.Connection;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.TreeMap;

/**
 * Finds the rows that a table does not take by asking its constraints, each in one query over the
 * rows in a temporary table. What cannot be asked so is left out: several unique constraints at
 * once, a reference to the table itself, and what a query fails for.
 */
public final class Unfit {
  /** The temporary table of rows that are to be inserted, with their numbers. */
  public static final String STAGED = "wexrun_staged";

  /** The temporary table of rows that are refused: {@code number}, {@code turn}, {@code why}. */
  public static final String FOUND = "wexrun_unfit";

  /** The statement that makes {@link #FOUND}. */
  public static final String MAKE_FOUND =
      "create temp table " + FOUND + " (number bigint, turn integer, why varchar)";

  private static final String ROW = Numbered.COLUMN;

  private Unfit() {}

  /** The temporary table for rows of another one: any row fits into it. */
  public static Table staged(Table into) {
    Schema schema = Schema.EMPTY;
    for (Column column : into.schema().columns()) {
      schema = schema.with(Column.of(column.name(), column.type()));
    }
    return new Table(STAGED, "", Numbered.schema(schema), Map.of());
  }

  /** Runs a query that may fail without the others being lost. */
  @FunctionalInterface
  public interface Attempt {
    void execute(Statement statement, String query) throws SQLException;
  }

  /**
   * Asks the constraints of a table.
   *
   * @param connection on which the rows are in {@link #STAGED}, and {@link #FOUND} is made
   * @return why rows are refused, by their numbers
   */
  public static Map<Integer, String> find(
      Connection connection, Dialect dialect, Table into, Attempt attempt) throws SQLException {
    List<String> queries = queries(into, dialect.constraints(connection, into.name()));
    try (Statement statement = connection.createStatement()) {
      for (int turn = 0; turn < queries.size(); turn++) {
        attempt.execute(
            statement,
            "insert into "
                + FOUND
                + " select number, "
                + turn
                + ", why from ("
                + queries.get(turn)
                + ") found");
      }
      return read(statement);
    }
  }

  /** What is in {@link #FOUND}: of each row the first reason. */
  public static Map<Integer, String> read(Statement statement) throws SQLException {
    Map<Integer, String> unfit = new TreeMap<>();
    try (ResultSet rows =
        statement.executeQuery("select number, why from " + FOUND + " order by number, turn")) {
      while (rows.next()) {
        unfit.putIfAbsent(rows.getInt(1), rows.getString(2));
      }
    }
    return unfit;
  }

  private static List<String> queries(Table into, List<Constraint> constraints) {
    Set<String> key = Constraint.folded(into.key());
    List<String> queries = new ArrayList<>();
    List<Constraint> unique = new ArrayList<>();
    for (Constraint each : constraints) {
      switch (each.kind()) {
        case CONDITION -> queries.add(rows(each, each.broken()));
        case REFERENCE -> {
          if (!each.other().equalsIgnoreCase(Names.name(into.name()))) {
            queries.add(
                rows(
                    each,
                    each.given() + " and not " + exists(each.other(), each, each.otherColumns())));
          }
        }
        case UNIQUE -> {
          if (!Constraint.folded(each.columns()).equals(key)) {
            unique.add(each); // Rows with the key replace those that have it.
          }
        }
      }
    }
    if (key.isEmpty()) {
      unique.forEach(
          each -> queries.add(rows(each, exists(Names.name(into.name()), each, each.columns()))));
    }
    if (key.isEmpty() && unique.size() == 1) {
      queries.add(twice(unique.get(0))); // Of several, each depends on what the others refuse.
    }
    return queries;
  }

  private static String rows(Constraint each, String condition) {
    return "select s."
        + ROW
        + " as number, "
        + each.why()
        + " as why from "
        + STAGED
        + " s where "
        + condition;
  }

  private static String exists(String table, Constraint each, List<String> columns) {
    return "exists (select 1 from " + table + " o where " + each.same(columns) + ")";
  }

  /** Rows behind the first with the same values, of those that are not refused. */
  private static String twice(Constraint each) {
    return "select s."
        + ROW
        + " as number, "
        + each.why()
        + " as why from (select s.*, row_number() over (partition by "
        + Names.list(each.columns())
        + " order by "
        + ROW
        + ") as wexrun_turn from "
        + STAGED
        + " s where "
        + each.given()
        + " and "
        + ROW
        + " not in (select number from "
        + FOUND
        + ")) s where wexrun_turn > 1";
  }
}

package io.wexrun.postgres;

import io.wexrun.core.batch.Rows;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type;
import io.wexrun.sql.Loading;
import io.wexrun.sql.Names;
import io.wexrun.sql.Numbered;
import io.wexrun.sql.Unfit;
import java.sql.Connection;
import java.sql.SQLException;
import java.sql.Savepoint;
import java.sql.Statement;
import java.util.List;
import java.util.Map;
import java.util.stream.Collectors;

/**
 * Finds the rows that a table does not take. First its constraints are asked, each in one query. If
 * that finds nothing, the server inserts the rows from a temporary table, in pieces that are large
 * as long as all goes well and become smaller around a row that is refused, each in a
 * subtransaction: so types, triggers and whatever else the table has speak for themselves. For one
 * thread.
 */
final class Search {
  /** After so many rows it is reported how far the search has got. */
  private static final long PIECE = 20_000;

  /**
   * Inserts the rows from one number on and before another. A piece that fails is halved, the next
   * one after a success is twice as large.
   */
  private static final String INSERT =
      """
      do $wexrun$
      declare
        at bigint := %1$d;
        size bigint := 1024;
        upto bigint;
        told text;
        detail text;
      begin
        while at < %2$d loop
          upto := least(at + size, %2$d);
          begin
            insert into %3$s (%4$s) select %5$s from wexrun_staged
              where wexrun_row >= at and wexrun_row < upto order by wexrun_row%6$s;
            at := upto;
            size := least(size * 2, 4096);
          exception when others then
            if substr(sqlstate, 1, 2) not in ('22', '23', 'P0', '54', '44') then
              raise;
            end if;
            if upto - at = 1 then
              get stacked diagnostics told = message_text, detail = pg_exception_detail;
              insert into wexrun_unfit values (at, 0, told ||
                case when detail = '' or detail like 'Failing row contains%%' then ''
                else ' (' || detail || ')' end);
              at := upto;
            else
              size := greatest(1, (upto - at) / 2);
            end if;
          end;
        end loop;
      end
      $wexrun$
      """;

  private final Connection connection;
  private final Table into;

  Search(Connection connection, Table into) {
    this.connection = connection;
    this.into = into;
  }

  /**
   * Searches rows, in a transaction in which what is inserted here is taken back.
   *
   * @return why rows are refused, by their numbers
   */
  Map<Integer, String> unfit(List<Rows> rows, Loading.Searched searched) throws SQLException {
    long count = rows.stream().mapToLong(Rows::count).sum();
    try (Statement statement = connection.createStatement()) {
      statement.execute(Unfit.MAKE_FOUND);
      Table typed = Unfit.staged(into);
      Table raw = typed.wider(raw(typed.schema()));
      boolean fits = stage(statement, typed, rows);
      if (!fits && !stage(statement, raw, rows)) {
        return Map.of();
      }
      Map<Integer, String> unfit =
          fits ? Unfit.find(connection, PostgresStore.DIALECT, into, this::attempt) : Map.of();
      if (!unfit.isEmpty()) {
        searched.rows(count, unfit.size());
        return unfit;
      }
      statement.execute("create index on " + Unfit.STAGED + " (" + Numbered.COLUMN + ")");
      // The pieces are small, whatever the statistics of a table that was just made say.
      statement.execute("set local enable_seqscan = off");
      statement.execute("set local enable_bitmapscan = off");
      for (long from = 0; from < count; from += PIECE) {
        long to = Math.min(count, from + PIECE);
        statement.execute(insert(from, to, fits));
        unfit = Unfit.read(statement);
        searched.rows(to, unfit.size());
      }
      return unfit;
    }
  }

  /** Brings the rows into the temporary table; false if they do not fit even there. */
  private boolean stage(Statement statement, Table staged, List<Rows> rows) throws SQLException {
    Savepoint before = connection.setSavepoint();
    try {
      statement.execute(
          PostgresStore.DIALECT
              .createTable(staged)
              .replaceFirst("create table", "create temp table"));
      PostgresTarget.copy(connection, staged, Numbered.rows(into.schema(), rows));
      connection.releaseSavepoint(before);
      return true;
    } catch (SQLException e) {
      if (!PostgresTarget.isAboutRows(e)) {
        throw e;
      }
      connection.rollback(before);
      return false;
    }
  }

  /** Texts as bytes: so they fit, whatever characters are in them. */
  private static Schema raw(Schema schema) {
    Schema raw = Schema.EMPTY;
    for (Column column : schema.columns()) {
      boolean text = column.type() == Type.Scalar.TEXT || column.type() == Type.Scalar.JSON;
      raw = raw.with(Column.of(column.name(), text ? Type.Scalar.BYTES : column.type()));
    }
    return raw;
  }

  private static String typed(Column column) {
    String name = Names.name(column.name());
    if (column.type() == Type.Scalar.TEXT) {
      return "convert_from(" + name + ", 'UTF8')";
    }
    return column.type() == Type.Scalar.JSON ? "convert_from(" + name + ", 'UTF8')::jsonb" : name;
  }

  private void attempt(Statement statement, String query) throws SQLException {
    Savepoint before = connection.setSavepoint();
    try {
      statement.execute(query);
      connection.releaseSavepoint(before);
    } catch (SQLException e) {
      connection.rollback(before); // Such as without the right to read: the insertions tell.
    }
  }

  private String insert(long from, long to, boolean typed) {
    List<String> columns = into.schema().names();
    String names = Names.list(columns);
    String values =
        typed
            ? names
            : into.schema().columns().stream().map(Search::typed).collect(Collectors.joining(", "));
    String replacing = into.key().isEmpty() ? "" : Names.replacing(into.key(), columns);
    return INSERT.formatted(from, to, Names.name(into.name()), names, values, replacing);
  }
}

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
        wexrun_at bigint := %1$d;
        wexrun_size bigint := 1024;
        wexrun_upto bigint;
        wexrun_told text;
        wexrun_detail text;
      begin
        while wexrun_at < %2$d loop
          wexrun_upto := least(wexrun_at + wexrun_size, %2$d);
          begin
            insert into %3$s (%4$s) select %5$s from wexrun_staged
              where wexrun_row >= wexrun_at and wexrun_row < wexrun_upto order by wexrun_row%6$s;
            wexrun_at := wexrun_upto;
            wexrun_size := least(wexrun_size * 2, 4096);
          exception when others then
            if substr(sqlstate, 1, 2) not in ('22', '23', 'P0', '54', '44') then
              raise;
            end if;
            if wexrun_upto - wexrun_at = 1 then
              get stacked diagnostics wexrun_told = message_text, wexrun_detail = pg_exception_detail;
              insert into wexrun_unfit values (wexrun_at, 0, wexrun_told ||
                case when wexrun_detail = '' or wexrun_detail like 'Failing row contains%%' then ''
                else ' (' || wexrun_detail || ')' end);
              wexrun_at := wexrun_upto;
            else
              wexrun_size := greatest(1, (wexrun_upto - wexrun_at) / 2);
            end if;
          end;
        end loop;
      end
      $wexrun$
      """;

  private final Connection connection;
  private final Table into;
  private final Columns stored;

  /**
   * A search.
   *
   * @param stored the table's columns as they are
   */
  Search(Connection connection, Table into, Columns stored) {
    this.connection = connection;
    this.into = into;
    this.stored = stored;
  }

  /**
   * Searches rows, in a transaction in which what is inserted here is taken back.
   *
   * @return why rows are refused, by their numbers
   */
  Map<Integer, String> unfit(List<Rows> rows, Loading.Searched searched) throws SQLException {
    long count = rows.stream().mapToLong(Rows::count).sum();
    try (Statement statement = connection.createStatement()) {
      if (!mayMakeTables(statement)) {
        return Map.of();
      }
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

  /** Makes the temporary table of what is found; false without the right to. */
  private boolean mayMakeTables(Statement statement) throws SQLException {
    Savepoint before = connection.setSavepoint();
    try {
      statement.execute(Unfit.MAKE_FOUND);
      connection.releaseSavepoint(before);
      return true;
    } catch (SQLException e) {
      if (!PostgresStore.NO_RIGHT.equals(e.getSQLState())) {
        throw e;
      }
      connection.rollback(before);
      return false;
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
    List<Column> all = into.schema().columns();
    String values = typed ? stored.assigned(all) : stored.assignedRaw(all);
    String replacing = into.key().isEmpty() ? "" : Names.replacing(into.key(), columns);
    return INSERT.formatted(from, to, Names.name(into.name()), names, values, replacing);
  }
}

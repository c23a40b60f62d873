package io.wexrun.sql;

import io.wexrun.core.target.Answer;
import java.sql.ResultSet;
import java.sql.ResultSetMetaData;
import java.sql.SQLException;
import java.sql.Statement;
import java.sql.Types;
import java.util.ArrayList;
import java.util.List;
import java.util.Set;

/** What queries gave. */
public final class Answers {
  private static final Set<Integer> NUMBERS =
      Set.of(
          Types.TINYINT,
          Types.SMALLINT,
          Types.INTEGER,
          Types.BIGINT,
          Types.FLOAT,
          Types.DOUBLE,
          Types.DECIMAL,
          Types.NUMERIC,
          Types.REAL);

  private Answers() {}

  /** Makes values of a database's driver plain: null, Boolean, Number, String, List, Map. */
  @FunctionalInterface
  public interface Plain {
    /** A value, plain. */
    Object of(Object value) throws SQLException;
  }

  /** Executes SQL; the rows of its result, if it has one. */
  public static Answer to(Statement statement, String sql, Plain plain) throws SQLException {
    return statement.execute(sql)
        ? of(statement.getResultSet(), plain)
        : new Answer(List.of(), List.of(), List.of());
  }

  private static Answer of(ResultSet rows, Plain plain) throws SQLException {
    ResultSetMetaData meta = rows.getMetaData();
    List<String> columns = new ArrayList<>();
    List<Boolean> numeric = new ArrayList<>();
    for (int i = 1; i <= meta.getColumnCount(); i++) {
      columns.add(meta.getColumnName(i));
      numeric.add(NUMBERS.contains(meta.getColumnType(i)));
    }
    List<List<Object>> values = new ArrayList<>();
    while (rows.next()) {
      List<Object> row = new ArrayList<>();
      for (int i = 1; i <= columns.size(); i++) {
        row.add(plain.of(rows.getObject(i)));
      }
      values.add(row);
    }
    return new Answer(columns, numeric, values);
  }
}

package io.wexrun.duckdb;

import io.wexrun.core.schema.Type;
import io.wexrun.sql.Dialect;
import io.wexrun.sql.Names;
import io.wexrun.sql.StoredColumn;
import java.sql.Connection;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.ArrayList;
import java.util.List;

/** How DuckDB writes tables. */
final class DuckDbDialect implements Dialect {
  @Override
  public String type(Type type) {
    return Sql.type(type);
  }

  @Override
  public String retype(String column, String type) {
    return "alter column " + column + " set data type " + type;
  }

  @Override
  public List<StoredColumn> columns(Connection connection, String table) throws SQLException {
    List<StoredColumn> columns = new ArrayList<>();
    try (Statement statement = connection.createStatement();
        ResultSet rows =
            statement.executeQuery(
                "select column_name, data_type, is_nullable, column_default is not null from"
                    + " information_schema.columns where table_schema = 'main' and table_name = "
                    + Names.text(table)
                    + " order by ordinal_position")) {
      while (rows.next()) {
        boolean required = rows.getString(3).equals("NO");
        columns.add(
            new StoredColumn(rows.getString(1), rows.getString(2), required, rows.getBoolean(4)));
      }
    }
    return columns;
  }
}

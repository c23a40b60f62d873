package io.wexrun.duckdb;

import io.wexrun.core.connect.ReferenceReader;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.reference.ReferenceTable;
import io.wexrun.sql.Names;
import java.nio.file.Path;
import java.sql.Connection;
import java.sql.DriverManager;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.ArrayList;
import java.util.List;

/** Reference tables in Parquet files, read by DuckDB without a database. */
public final class ParquetReferences implements ReferenceReader {
  @Override
  public List<String> endings() {
    return List.of(".parquet");
  }

  @Override
  public ReferenceTable read(Path file, String name, long most) {
    try (Connection connection = DriverManager.getConnection("jdbc:duckdb:");
        Statement statement = connection.createStatement();
        ResultSet found =
            statement.executeQuery(
                "select * from read_parquet(" + Names.text(file.toString()) + ") limit " + most)) {
      List<String> columns = new ArrayList<>();
      for (int i = 1; i <= found.getMetaData().getColumnCount(); i++) {
        columns.add(found.getMetaData().getColumnName(i));
      }
      List<List<String>> rows = new ArrayList<>();
      while (found.next()) {
        List<String> row = new ArrayList<>();
        for (int i = 1; i <= columns.size(); i++) {
          Object value = PlainValues.plain(found.getObject(i));
          row.add(value == null ? null : value.toString());
        }
        rows.add(row);
      }
      return new ReferenceTable(name, columns, rows);
    } catch (SQLException e) {
      throw new OutsideException("cannot read " + name + ": " + e.getMessage(), e);
    }
  }
}

package io.wexrun.duckdb;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import io.wexrun.contract.TypedRows;
import io.wexrun.core.batch.Rows;
import io.wexrun.core.connect.FileForm;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Type;
import io.wexrun.core.secret.Keys;
import io.wexrun.sql.Answers;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.sql.Connection;
import java.sql.DriverManager;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;

class ParquetFormatTest {
  @TempDir private Path folder;

  private static Table.Builder column(Table.Builder table, String name, String type) {
    return table.column(name, Type.parse(type).orElseThrow());
  }

  @ParameterizedTest
  @ValueSource(strings = {"zstd", "snappy", "gzip", "none"})
  void everyTypeComesBackAsItIs(String compression) throws IOException, SQLException {
    Table.Builder builder = Table.in("w", "t");
    List<String> types =
        List.of(
            "bool",
            "int",
            "long",
            "double",
            "decimal(9,2)",
            "text",
            "bytes",
            "timestamp",
            "date",
            "uuid",
            "json",
            "list<int>",
            "{lat: double, tags: list<text>}");
    for (String type : types) {
      column(builder, "c" + types.indexOf(type), type);
    }
    Table table = builder.build();
    List<String> values =
        List.of(
            "true",
            "-7",
            "9007199254740993",
            "0.1",
            "-12.50",
            "x \"y\"",
            "abc",
            "2026-05-03T01:02:03.000004Z",
            "2026-05-03",
            "0b0e7a54-9f0c-4a0e-8a86-5a9d3a2f4f10",
            "{\"a\":1}",
            "[1, null]",
            "{\"lat\": 1.5, \"tags\": [\"a\"]}");
    List<String> nothing = Arrays.asList(new String[types.size()]);
    Path file = folder.resolve("it's.parquet");
    ParquetFormat format = new ParquetFormat();
    FileForm form = FileForm.plain(compression);
    format.write(
        file, table, List.of(TypedRows.of(table.schema(), List.of(values, nothing))), form);
    var read = new ParquetReferences().read(file, "it's.parquet");
    assertThat(read.columns()).hasSize(types.size()).startsWith("c0", "c1");
    assertThat(read.rows().get(0))
        .startsWith("true", "-7", "9007199254740993", "0.1", "-12.50", "x \"y\"", "616263")
        .contains("2026-05-03T01:02:03.000004Z", "2026-05-03", "{\"a\":1}", "[1, null]");
    assertThat(read.rows().get(1)).containsOnlyNulls();

    Path merged = folder.resolve("merged.parquet");
    assertThat(format.merge(List.of(file, file), merged, table, form, Keys.NONE)).isEqualTo(4);
    assertThat(described(merged)).isEqualTo(described(file));
    var twice = new ParquetReferences().read(merged, "merged.parquet");
    assertThat(twice.rows().subList(0, 2)).isEqualTo(read.rows());
    assertThat(twice.rows().subList(2, 4)).isEqualTo(read.rows());
    assertThat(format.read(merged, 3, Keys.NONE).rows()).hasSize(3);
  }

  /** The columns of a file, as its schema says. */
  private static List<List<Object>> described(Path file) throws SQLException {
    try (Connection connection = DriverManager.getConnection("jdbc:duckdb:");
        Statement statement = connection.createStatement()) {
      String sql =
          "select name, type, type_length, repetition_type, converted_type, logical_type"
              + " from parquet_schema('"
              + file.toString().replace("'", "''")
              + "')";
      return Answers.to(statement, sql, PlainValues::plain).rows();
    }
  }

  @Test
  void filesWithFewerColumnsAreMergedInTheOrderThatTheTableWants() throws IOException {
    Table narrow = column(Table.in("w", "t"), "n", "int").build();
    Table wide =
        narrow
            .wider(narrow.schema().with(new Column("more", Type.Scalar.TEXT, false)))
            .with(new Table.Details("", Map.of(), Map.of(), List.of("n"), Optional.empty()));
    Path one = folder.resolve("day=1/one.parquet");
    Files.createDirectories(one.getParent());
    Path two = one.resolveSibling("two.parquet");
    ParquetFormat format = new ParquetFormat();
    FileForm form = FileForm.plain("zstd");
    Rows many = TypedRows.of(narrow.schema(), List.of(List.of("3"), List.of("1")));
    format.write(one, narrow, List.of(many), form);
    Rows more = TypedRows.of(wide.schema(), List.of(List.of("2", "x")));
    format.write(two, wide, List.of(more), form);
    Path merged = folder.resolve("day=1/merged.parquet");
    format.merge(List.of(one, two), merged, wide, form, Keys.NONE);
    assertThat(format.read(merged, 9, Keys.NONE).columns()).containsExactly("n", "more");
    assertThat(format.read(merged, 9, Keys.NONE).rows())
        .containsExactly(Arrays.asList(1, null), List.of(2, "x"), Arrays.asList(3, null));
  }

  @Test
  void aFileThatCannotBeWrittenIsTold() {
    Table table = column(Table.in("w", "t"), "n", "int").build();
    assertThatThrownBy(
            () ->
                new ParquetFormat()
                    .write(
                        folder.resolve("none/x.parquet"),
                        table,
                        List.of(TypedRows.of(table.schema(), List.of(List.of("1")))),
                        FileForm.plain("zstd")))
        .isInstanceOf(IOException.class)
        .hasMessageContaining("x.parquet");
  }
}

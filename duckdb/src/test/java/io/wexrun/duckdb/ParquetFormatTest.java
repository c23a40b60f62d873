package io.wexrun.duckdb;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import io.wexrun.contract.TypedRows;
import io.wexrun.core.batch.Rows;
import io.wexrun.core.connect.FileForm;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Type;
import io.wexrun.core.secret.EncryptionKey;
import io.wexrun.core.secret.Keys;
import io.wexrun.sql.Answers;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.sql.Connection;
import java.sql.DriverManager;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Base64;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;

class ParquetFormatTest {
  private static final EncryptionKey KEY =
      new EncryptionKey("k", "0123456789abcdef0123456789abcdef".getBytes(StandardCharsets.UTF_8));
  private static final Keys KEYS = Keys.of(Map.of("k", KEY));

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

    FileForm secret = new FileForm(compression, Optional.of(KEY));
    Path encrypted = folder.resolve("encrypted.parquet");
    format.write(
        encrypted, table, List.of(TypedRows.of(table.schema(), List.of(values, nothing))), secret);
    assertThat(format.read(encrypted, 9, KEYS).rows()).isEqualTo(format.read(file, 9, KEYS).rows());
    assertThatThrownBy(() -> format.read(encrypted, 9, Keys.NONE))
        .hasMessageContaining("is encrypted with key 'k': there is no key 'k'");
    Path both = folder.resolve("both.parquet");
    assertThat(format.merge(List.of(file, encrypted, file), both, table, secret, KEYS))
        .isEqualTo(6);
    assertThat(format.read(both, 9, KEYS).rows().subList(2, 4)).isEqualTo(read(encrypted, KEYS));
    Path plain = folder.resolve("plain.parquet");
    assertThat(format.merge(List.of(encrypted, both), plain, table, form, KEYS)).isEqualTo(8);
    assertThat(described(plain)).isEqualTo(described(file));
  }

  private static List<List<Object>> read(Path file, Keys keys) throws IOException {
    return new ParquetFormat().read(file, 9, keys).rows();
  }

  @Test
  void manyRowsAreEncryptedAndNothingOfThemIsInTheFile() throws IOException, SQLException {
    Table table = column(column(Table.in("w", "t"), "n", "long"), "card", "text").build();
    List<List<String>> rows = new ArrayList<>();
    for (int i = 0; i < 300_000; i++) {
      rows.add(List.of("" + i, "card-" + i));
    }
    FileForm form = new FileForm("none", Optional.of(KEY));
    Path one = folder.resolve("one.parquet");
    ParquetFormat format = new ParquetFormat();
    format.write(one, table, List.of(TypedRows.of(table.schema(), rows)), form);
    assertThat(Files.readString(one, StandardCharsets.ISO_8859_1))
        .doesNotContain("card")
        .contains("k:");
    try (Connection connection = DriverManager.getConnection("jdbc:duckdb:");
        Statement statement = connection.createStatement()) {
      String secret = Base64.getEncoder().encodeToString(KEY.secret());
      statement.execute("pragma add_parquet_key('k', '" + secret + "')");
      String sql =
          "select count(*), max(card) from read_parquet('"
              + one
              + "', encryption_config = {footer_key: 'k'})";
      assertThat(Answers.to(statement, sql, PlainValues::plain).rows())
          .containsExactly(List.of(300_000L, "card-99999"));
    }
    Path merged = folder.resolve("merged.parquet");
    assertThat(format.merge(List.of(one, one), merged, table, form, KEYS)).isEqualTo(600_000);
    List<List<Object>> all = format.read(merged, 600_000, KEYS).rows();
    for (int i = 0; i < all.size(); i++) {
      assertThat(all.get(i)).isEqualTo(List.of(i % 300_000L, "card-" + i % 300_000));
    }
  }

  /** The columns of a file, as its schema says. */
  private static List<List<Object>> described(Path file) throws SQLException {
    try (Connection connection = DriverManager.getConnection("jdbc:duckdb:");
        Statement statement = connection.createStatement()) {
      String sql =
          "select name, type, type_length, repetition_type, converted_type"
              + " from parquet_schema('"
              + file.toString().replace("'", "''")
              + "') where repetition_type <> 'REQUIRED'";
      return Answers.to(statement, sql, PlainValues::plain).rows();
    }
  }

  private static Rows rows(Table table) {
    List<List<String>> rows =
        List.of(Arrays.asList(null, "z"), List.of("4", "ä"), List.of("-1", ""));
    return TypedRows.of(table.schema(), rows);
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
    FileForm secret = new FileForm("zstd", Optional.of(KEY));
    Path encrypted = folder.resolve("encrypted.parquet");
    format.write(encrypted, wide, List.of(more, rows(wide)), secret);
    assertThat(format.read(encrypted, 9, KEYS).rows())
        .containsExactly(
            List.of(-1, ""), List.of(2, "x"), List.of(4, "ä"), Arrays.asList(null, "z"));
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

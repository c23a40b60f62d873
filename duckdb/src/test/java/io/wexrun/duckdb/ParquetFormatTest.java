package io.wexrun.duckdb;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import io.wexrun.contract.TypedRows;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.schema.Type;
import java.io.IOException;
import java.nio.file.Path;
import java.util.Arrays;
import java.util.List;
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
  void everyTypeComesBackAsItIs(String compression) throws IOException {
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
    format.write(
        file, table, List.of(TypedRows.of(table.schema(), List.of(values, nothing))), compression);
    var read = new ParquetReferences().read(file, "it's.parquet");
    assertThat(read.columns()).hasSize(types.size()).startsWith("c0", "c1");
    assertThat(read.rows().get(0))
        .startsWith("true", "-7", "9007199254740993", "0.1", "-12.50", "x \"y\"", "616263")
        .contains("2026-05-03T01:02:03.000004Z", "2026-05-03", "{\"a\":1}", "[1, null]");
    assertThat(read.rows().get(1)).containsOnlyNulls();
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
                        "zstd"))
        .isInstanceOf(IOException.class)
        .hasMessageContaining("x.parquet");
  }
}

package io.wexrun.cli;

import static org.assertj.core.api.Assertions.assertThat;

import java.io.FileOutputStream;
import java.io.IOException;
import java.math.BigDecimal;
import java.nio.ByteBuffer;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.sql.Connection;
import java.sql.DriverManager;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import org.apache.arrow.compression.CommonsCompressionFactory;
import org.apache.arrow.memory.RootAllocator;
import org.apache.arrow.vector.TimeStampMilliVector;
import org.apache.arrow.vector.UInt2Vector;
import org.apache.arrow.vector.VarCharVector;
import org.apache.arrow.vector.VectorSchemaRoot;
import org.apache.arrow.vector.complex.ListVector;
import org.apache.arrow.vector.compression.CompressionUtil;
import org.apache.arrow.vector.compression.NoCompressionCodec;
import org.apache.arrow.vector.ipc.ArrowFileWriter;
import org.apache.arrow.vector.ipc.message.IpcOption;
import org.apache.arrow.vector.types.TimeUnit;
import org.apache.arrow.vector.types.pojo.ArrowType;
import org.apache.arrow.vector.types.pojo.Field;
import org.apache.arrow.vector.types.pojo.FieldType;
import org.apache.arrow.vector.util.Text;
import org.apache.avro.Schema;
import org.apache.avro.SchemaParser;
import org.apache.avro.file.DataFileWriter;
import org.apache.avro.generic.GenericData;
import org.apache.avro.generic.GenericDatumWriter;
import org.apache.avro.generic.GenericRecord;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/** Files of rows that say themselves what their columns are. */
class RowFilesTest {
  @TempDir private Path folder;

  private Wexrun workspace(String format, String columns) throws IOException {
    Files.createDirectories(folder.resolve("pipelines"));
    Files.createDirectories(folder.resolve("in"));
    Files.writeString(
        folder.resolve("wexrun.yaml"),
        """
        workspace: rows
        stores: {lake: {duckdb: lake.db}}
        tables:
          readings:
            in: lake
            columns: %s
        """
            .formatted(columns));
    Files.writeString(
        folder.resolve("pipelines/rows.yaml"),
        """
        pipeline: rows
        intake: {drop: 'in/*', format: %s, complete: named, then: {move: taken}}
        shape:
          - origin: {row: position}
        route:
          - to: readings
        """
            .formatted(format));
    return Wexrun.in(folder);
  }

  private void parquet(String name, String select) throws SQLException {
    try (Connection connection = DriverManager.getConnection("jdbc:duckdb:");
        Statement statement = connection.createStatement()) {
      statement.execute(
          "copy (" + select + ") to '" + folder.resolve("in/" + name) + "' (format parquet)");
    }
  }

  private static String all(Wexrun here) {
    return here.run("sql", "--json", "select * from readings order by row").json().get("rows") + "";
  }

  @Test
  void parquetOfManyTypesIsTypedFromItsOwnColumns() throws IOException, SQLException {
    Wexrun here =
        workspace(
            "parquet",
            "{id: long, small: int, at: timestamp, plain: timestamp, day: date, price:"
                + " 'decimal(7,2)', ok: bool, name: text, place: {lat: double, lon: double}, tags:"
                + " list<text>, raw: text, row: long}");
    assertThat(here.run("check").out()).contains("no file is there that says what its columns are");
    parquet(
        "a.parquet",
        "select i::bigint as id, i::utinyint as small, timestamptz '2026-05-03 03:00:00.5+00' as"
            + " at, timestamp '2026-05-03 03:00:00' as plain, date '2026-05-03' as day,"
            + " 12.50::decimal(7,2) as price, i = 0 as ok, case when i < 2 then 'ü' || i end as"
            + " name, {'lat': 1.5::double, 'lon': case when i = 0 then 2.5::double end} as place,"
            + " ['a', null] as tags, 'ab'::blob as raw from"
            + " range(3) t(i)");
    assertThat(here.run("check").out()).isEmpty();
    assertThat(here.run("run", "--once").exit()).isZero();
    String rows = all(here);
    assertThat(rows)
        .contains("2026-05-03T03:00:00.5Z", "2026-05-03T03:00:00Z", "2026-05-03", "12.5", "\"ü1\"")
        .contains("YWI=", "\"lat\":1.5");
    assertThat(Files.exists(folder.resolve("taken/a.parquet"))).isTrue();
    assertThat(here.run("check").exit()).as("the columns are known from the run before").isZero();
    assertThat(here.run("run", "--once").exit()).isZero();
    assertThat(all(here)).isEqualTo(rows);
  }

  /** A run that is killed goes on with the row behind the last one that is in the books. */
  @Test
  void rowsHavePositionsFromWhichARunGoesOn() throws IOException, SQLException {
    Wexrun here = workspace("parquet", "{id: long, row: long}");
    parquet("a.parquet", "select i as id from range(200000) t(i)");
    assertThat(here.run("run", "--once").exit()).isZero();
    String sums = "select count(*) as n, count(distinct id) as d, sum(id - row) as s from readings";
    assertThat(here.run("sql", "--json", sums).json().get("rows").get(0))
        .hasToString("{\"n\":200000,\"d\":200000,\"s\":0}");
  }

  @Test
  void avroFilesAreReadAndDamagedOnesToldWithoutKeepingOthersWaiting() throws IOException {
    Wexrun here =
        workspace(
            "avro",
            "{id: int, time: timestamp, day: date, price: 'decimal(7,2)', state: text, note: text,"
                + " feeders: 'list<{number: int}>', row: long}");
    Schema schema =
        new SchemaParser()
            .parse(
                """
                {"type": "record", "name": "Reading", "fields": [
                  {"name": "id", "type": "int"},
                  {"name": "time", "type": {"type": "long", "logicalType": "timestamp-millis"}},
                  {"name": "day", "type": {"type": "int", "logicalType": "date"}},
                  {"name": "price", "type":
                    {"type": "bytes", "logicalType": "decimal", "precision": 7, "scale": 2}},
                  {"name": "state", "type": {"type": "enum", "name": "State", "symbols": ["ON", "OFF"]}},
                  {"name": "note", "type": ["null", "string"]},
                  {"name": "feeders", "type": {"type": "array", "items":
                    {"type": "record", "name": "Feeder", "fields": [{"name": "number", "type": "int"}]}}}
                ]}
                """)
            .mainSchema();
    Path file = folder.resolve("in/b.avro");
    try (DataFileWriter<GenericRecord> writer =
        new DataFileWriter<GenericRecord>(new GenericDatumWriter<>(schema))
            .create(schema, file.toFile())) {
      for (int i = 0; i < 20_000; i++) {
        GenericData.Record feeder =
            new GenericData.Record(schema.getField("feeders").schema().getElementType());
        feeder.put("number", i);
        GenericData.Record row = new GenericData.Record(schema);
        row.put("id", i);
        row.put("time", 1_777_777_777_000L + i);
        row.put("day", 20_000);
        row.put("price", ByteBuffer.wrap(new BigDecimal("12.50").unscaledValue().toByteArray()));
        row.put("state", new GenericData.EnumSymbol(schema.getField("state").schema(), "OFF"));
        row.put("note", i % 2 == 0 ? null : "n" + i);
        row.put("feeders", List.of(feeder));
        writer.append(row);
      }
    }
    byte[] whole = Files.readAllBytes(file);
    Files.write(folder.resolve("in/a.avro"), Arrays.copyOf(whole, whole.length / 2));
    var run = here.run("run", "--once");
    assertThat(run.exit()).as(run.err()).isZero();
    assertThat(run.err()).contains("in/a.avro cannot be read behind row");
    String right =
        "select count(*) as n from readings where price = 12.50 and state = 'OFF' and"
            + " feeders[1].number = id and day = date '2024-10-04' and time >= '2026-05-03' and"
            + " (note is null) = (id % 2 = 0)";
    String all = here.run("sql", "--json", "select count(*) as n from readings").out();
    assertThat(here.run("sql", "--json", right).out()).isEqualTo(all);
    assertThat(Files.exists(folder.resolve("taken/b.avro"))).isTrue();
    assertThat(Files.exists(folder.resolve("in/a.avro"))).as("it may become whole").isTrue();
    Files.write(folder.resolve("whole"), whole);
    Files.move(
        folder.resolve("whole"), folder.resolve("in/a.avro"), StandardCopyOption.REPLACE_EXISTING);
    here.run("run", "--once");
    assertThat(here.run("sql", "--json", "select count(*) as n from readings").out())
        .contains("40000");
  }

  @Test
  void arrowFilesAreReadAlsoCompressedOnes() throws IOException {
    Wexrun here =
        workspace("arrow", "{id: int, time: timestamp, name: text, tags: list<text>, row: long}");
    Field tags =
        new Field(
            "tags",
            FieldType.nullable(ArrowType.List.INSTANCE),
            List.of(Field.nullable("item", ArrowType.Utf8.INSTANCE)));
    org.apache.arrow.vector.types.pojo.Schema schema =
        new org.apache.arrow.vector.types.pojo.Schema(
            List.of(
                Field.nullable("id", new ArrowType.Int(16, false)),
                Field.nullable("time", new ArrowType.Timestamp(TimeUnit.MILLISECOND, null)),
                Field.nullable("name", ArrowType.Utf8.INSTANCE),
                tags));
    for (CompressionUtil.CodecType codec :
        List.of(CompressionUtil.CodecType.NO_COMPRESSION, CompressionUtil.CodecType.ZSTD)) {
      try (RootAllocator memory = new RootAllocator();
          VectorSchemaRoot root = VectorSchemaRoot.create(schema, memory);
          FileOutputStream out =
              new FileOutputStream(folder.resolve("in/" + codec + ".arrow").toFile());
          ArrowFileWriter writer =
              new ArrowFileWriter(
                  root,
                  null,
                  out.getChannel(),
                  Map.of(),
                  IpcOption.DEFAULT,
                  codec == CompressionUtil.CodecType.NO_COMPRESSION
                      ? NoCompressionCodec.Factory.INSTANCE
                      : CommonsCompressionFactory.INSTANCE,
                  codec)) {
        writer.start();
        for (int batch = 0; batch < 3; batch++) {
          for (int i = 0; i < 100; i++) {
            ((UInt2Vector) root.getVector("id")).setSafe(i, 65_000 + batch * 100 + i);
            ((TimeStampMilliVector) root.getVector("time")).setSafe(i, 1_777_777_777_000L);
            if (i % 2 == 0) {
              ((VarCharVector) root.getVector("name")).setSafe(i, new Text("ü" + i));
            } else {
              root.getVector("name").setNull(i);
            }
            ListVector list = (ListVector) root.getVector("tags");
            list.startNewValue(i);
            ((VarCharVector) list.getDataVector())
                .setSafe(list.getOffsetBuffer().getInt(i * 4L), new Text("t"));
            list.endValue(i, 1);
          }
          root.setRowCount(100);
          writer.writeBatch();
        }
        writer.end();
      }
    }
    String arrow = "in/ZSTD.arrow";
    assertThat(here.run("look", arrow).out())
        .startsWith("an Arrow file: 300 rows")
        .containsPattern("name +text +50 % +50 +ü0");
    assertThat(here.run("look", arrow, "--draft", "drafted").err()).contains("wrote");
    assertThat(folder.resolve("pipelines/drafted.yaml")).content().contains("format: arrow");
    Files.delete(folder.resolve("pipelines/drafted.yaml"));
    Files.write(folder.resolve("in/broken.arrow"), "ARROW1 and no more".getBytes());
    var run = here.run("run", "--once");
    assertThat(run.exit()).as(run.err()).isZero();
    assertThat(run.err()).contains("in/broken.arrow cannot be read behind row 0");
    String right =
        "select count(*) as n, count(name) as names, min(id) as low, max(id) as high, min(row) as"
            + " r0, max(row) as r from readings where tags[1] = 't' and time > '2026-05-03'";
    assertThat(here.run("sql", "--json", right).json().get("rows").get(0))
        .hasToString("{\"n\":600,\"names\":300,\"low\":65000,\"high\":65299,\"r0\":0,\"r\":299}");
  }

  @Test
  void aParquetFileIsDraftedWithItsColumns() throws IOException, SQLException {
    Files.createDirectories(folder.resolve("in"));
    parquet("a.parquet", "select i as id, 'n' || i as name, [i] as list from range(5) t(i)");
    Wexrun here = Wexrun.in(folder);
    assertThat(here.run("look", "in/a.parquet", "--draft", "five").err()).contains("wrote");
    assertThat(here.run("run", "--once").exit()).isZero();
    assertThat(here.run("sql", "--json", "select max(id) as m, max(name) as n from five").out())
        .contains("\"m\":4,\"n\":\"n4\"");
  }

  @Test
  void whatIsWrongIsFoundBeforeTheRun() throws IOException, SQLException {
    Wexrun here = workspace("parket", "{id: long}");
    parquet("a.parquet", "select 1::bigint as id");
    assertThat(here.run("check").out() + here.run("check").err())
        .contains("'parket' is no format of rows")
        .contains("parquet");
    workspace("parquet, header: true", "{id: long, row: long}");
    assertThat(here.run("check").err() + here.run("check").out())
        .contains("files of rows have no 'header'");
  }
}

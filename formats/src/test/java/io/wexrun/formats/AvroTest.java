package io.wexrun.formats;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.pipeline.StepDefinition;
import io.wexrun.core.reference.ReferenceTable;
import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.math.BigDecimal;
import java.nio.ByteBuffer;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.SplittableRandom;
import java.util.TreeMap;
import net.jqwik.api.ForAll;
import net.jqwik.api.Property;
import org.apache.avro.Conversions;
import org.apache.avro.LogicalTypes;
import org.apache.avro.Schema;
import org.apache.avro.file.DataFileWriter;
import org.apache.avro.generic.GenericData;
import org.apache.avro.generic.GenericDatumWriter;
import org.apache.avro.generic.GenericRecord;
import org.apache.avro.io.BinaryEncoder;
import org.apache.avro.io.EncoderFactory;
import org.apache.avro.message.BinaryMessageEncoder;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

class AvroTest {
  private static final String SCHEMA =
      """
      {"type": "record", "name": "Reading", "namespace": "ostrel", "fields": [
        {"name": "i", "type": "int"}, {"name": "l", "type": ["null", "long"]},
        {"name": "x", "type": ["double", "null"]}, {"name": "b", "type": "boolean"},
        {"name": "s", "type": "string"}, {"name": "raw", "type": "bytes"},
        {"name": "state", "type": {"type": "enum", "name": "S", "symbols": ["OK", "BAD"]}},
        {"name": "at", "type": {"type": "long", "logicalType": "timestamp-millis"}},
        {"name": "day", "type": {"type": "int", "logicalType": "date"}},
        {"name": "price", "type": {"type": "bytes", "logicalType": "decimal", "precision": 7, "scale": 2}},
        {"name": "loads", "type": {"type": "array", "items": ["null", "int"]}},
        {"name": "tags", "type": {"type": "map", "values": "long"}},
        {"name": "in", "type": ["null", {"type": "record", "name": "In", "fields": [
          {"name": "v", "type": "float"}, {"name": "f", "type": {"type": "fixed", "name": "F", "size": 2}}]}]}
      ]}
      """;
  private static final Schema PARSED = new Schema.Parser().parse(SCHEMA);

  private static CompiledStep tried(String schema, String encoding) {
    return new CompiledStep(
        StepDefinition.of("avro", Map.of("schema", "a.avsc", "encoding", encoding)),
        Map.of("a.avsc", schema.getBytes(StandardCharsets.UTF_8)));
  }

  private static final CompiledStep TRIED = tried(SCHEMA, "binary");

  /** A random record, and the row that it should give. */
  private record Sample(GenericRecord record, String row) {}

  private static Sample sample(SplittableRandom random) {
    GenericRecord record = new GenericData.Record(PARSED);
    List<String> row = new ArrayList<>();
    int i = random.nextInt();
    put(record, row, "i", i, "" + i);
    Long l = random.nextBoolean() ? null : random.nextLong();
    put(record, row, "l", l, l);
    Double x = random.nextBoolean() ? null : random.nextLong(1 << 20) / 8.0;
    put(record, row, "x", x, x);
    boolean b = random.nextBoolean();
    put(record, row, "b", b, b);
    put(record, row, "s", "é" + i, "é" + i);
    put(record, row, "raw", ByteBuffer.wrap(new byte[] {65, 66}), "AB");
    String state = random.nextBoolean() ? "OK" : "BAD";
    Schema states = PARSED.getField("state").schema();
    put(record, row, "state", new GenericData.EnumSymbol(states, state), state);
    long at = random.nextLong(1L << 41);
    put(record, row, "at", at, java.time.Instant.ofEpochMilli(at));
    int day = random.nextInt(30_000);
    put(record, row, "day", day, java.time.LocalDate.ofEpochDay(day));
    BigDecimal price = BigDecimal.valueOf(random.nextInt(-9_999_999, 9_999_999), 2);
    LogicalTypes.Decimal decimal =
        (LogicalTypes.Decimal) PARSED.getField("price").schema().getLogicalType();
    put(
        record,
        row,
        "price",
        new Conversions.DecimalConversion()
            .toBytes(price, PARSED.getField("price").schema(), decimal),
        price.toPlainString());
    List<Integer> loads = Arrays.asList(random.nextInt(9), null, i);
    put(record, row, "loads", loads.subList(0, random.nextInt(4)), loads);
    row.set(row.size() - 1, "loads=" + record.get("loads"));
    Map<String, Long> tags = new TreeMap<>(Map.of("k", 1L * i));
    put(record, row, "tags", tags, "[{\"key\": \"k\", \"value\": " + i + "}]");
    if (random.nextBoolean()) {
      Schema inside = PARSED.getField("in").schema().getTypes().get(1);
      GenericRecord in = new GenericData.Record(inside);
      in.put("v", 2.5f);
      in.put("f", new GenericData.Fixed(inside.getField("f").schema(), new byte[] {67, 68}));
      put(record, row, "in", in, "{\"v\": 2.5, \"f\": \"CD\"}");
    }
    return new Sample(record, "{" + String.join(", ", row) + "}");
  }

  private static void put(
      GenericRecord record, List<String> row, String name, Object value, Object shown) {
    record.put(name, value);
    if (value != null) {
      row.add(name + "=" + shown);
    }
  }

  private static byte[] binary(GenericRecord record) throws IOException {
    ByteArrayOutputStream out = new ByteArrayOutputStream();
    BinaryEncoder encoder = EncoderFactory.get().binaryEncoder(out, null);
    new GenericDatumWriter<GenericRecord>(record.getSchema()).write(record, encoder);
    encoder.flush();
    return out.toByteArray();
  }

  @Property(tries = 300)
  void whatTheLibraryWritesIsRead(@ForAll long seed) throws IOException {
    Sample sample = sample(new SplittableRandom(seed));
    assertThat(TRIED.of(binary(sample.record))).isEqualTo(sample.row);
  }

  @Property(tries = 1000)
  void damagedRecordsDieOrAreOthersButNeverThrow(@ForAll long seed) throws IOException {
    SplittableRandom random = new SplittableRandom(seed);
    byte[] data = binary(sample(random).record);
    if (random.nextBoolean()) {
      assertThat(TRIED.of(Arrays.copyOf(data, random.nextInt(data.length))))
          .startsWith("dies: bad-value");
      assertThat(TRIED.of(Arrays.copyOf(data, data.length + 1)))
          .isEqualTo("dies: bad-value : 1 byte too many, behind the record");
    }
    data[random.nextInt(data.length)] = (byte) random.nextInt();
    assertThat(TRIED.of(data)).isNotEmpty();
  }

  @Test
  void theSingleObjectEncodingBeginsWithItsSchemasFingerprint() throws IOException {
    Sample sample = sample(new SplittableRandom(1));
    ByteBuffer encoded =
        new BinaryMessageEncoder<GenericRecord>(GenericData.get(), PARSED).encode(sample.record);
    byte[] data = Arrays.copyOf(encoded.array(), encoded.remaining());
    CompiledStep single = tried(SCHEMA, "single-object");
    assertThat(single.of(data)).isEqualTo(sample.row);
    assertThat(single.of(binary(sample.record))).startsWith("dies: no-match");
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '~',
      value = {
        "{                             ~ bad-schema: 'a.avsc' is not an Avro schema",
        "\"int\"                       ~ bad-schema: the schema is of no record",
        "{\"type\": \"record\", \"name\": \"A\", \"fields\": [{\"name\": \"a\", \"type\": [\"int\","
            + " \"string\"]}]} ~ bad-schema: the schema cannot be read into columns: a union",
        "{\"type\": \"record\", \"name\": \"A\", \"fields\": [{\"name\": \"a\", \"type\":"
            + " [\"null\", \"A\"]}]} ~ bad-schema: the schema cannot be read into columns: record"
            + " 'A' is inside itself",
      })
  void schemasThatNoColumnsFitAreToldBeforeTheRun(String schema, String mistake) {
    assertThat(tried(schema, "binary").mistakes())
        .hasSize(1)
        .first()
        .asString()
        .startsWith(mistake);
  }

  @Test
  void anAvroFileIsAReferenceTable(@TempDir Path folder) throws IOException {
    Path file = folder.resolve("readings.avro");
    List<Sample> samples = new ArrayList<>();
    try (DataFileWriter<GenericRecord> writer =
        new DataFileWriter<>(new GenericDatumWriter<GenericRecord>(PARSED))) {
      writer.create(PARSED, file.toFile());
      SplittableRandom random = new SplittableRandom(3);
      for (int i = 0; i < 20; i++) {
        samples.add(sample(random));
        writer.append(samples.get(i).record);
      }
    }
    AvroReferences reader = new AvroReferences();
    ReferenceTable table = reader.read(file, "readings.avro");
    assertThat(table.columns()).startsWith("i", "l", "x");
    assertThat(table.rows()).hasSize(20);
    for (int i = 0; i < 20; i++) {
      String row = samples.get(i).row;
      for (String column : List.of("i", "s", "state", "at", "day", "price")) {
        String value = table.rows().get(i).get(table.columns().indexOf(column));
        assertThat(row).contains(column + "=" + value);
      }
    }
    assertThat(reader.read(file, "readings.avro", 5).rows()).hasSize(5);
    Files.writeString(file, "no Avro");
    assertThatThrownBy(() -> reader.read(file, "readings.avro"))
        .isInstanceOf(OutsideException.class)
        .hasMessageStartingWith("cannot read readings.avro");
  }
}

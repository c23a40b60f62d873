package io.wexrun.formats;

import io.wexrun.core.connect.RowsReader;
import io.wexrun.core.schema.Column;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.LocalDateTime;
import java.time.ZoneOffset;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.apache.avro.AvroRuntimeException;
import org.apache.avro.Conversion;
import org.apache.avro.Conversions;
import org.apache.avro.Schema;
import org.apache.avro.data.TimeConversions;
import org.apache.avro.file.DataFileReader;
import org.apache.avro.generic.GenericDatumReader;
import org.apache.avro.generic.GenericFixed;
import org.apache.avro.generic.GenericRecord;

/** Rows of Avro object container files (Avro specification 1.12). */
public final class AvroRows implements RowsReader {
  private static final List<Conversion<?>> LOGICAL =
      List.of(
          new Conversions.DecimalConversion(),
          new Conversions.UUIDConversion(),
          new TimeConversions.DateConversion(),
          new TimeConversions.TimestampMillisConversion(),
          new TimeConversions.TimestampMicrosConversion(),
          new TimeConversions.TimestampNanosConversion(),
          new TimeConversions.LocalTimestampMillisConversion(),
          new TimeConversions.LocalTimestampMicrosConversion());

  @Override
  public String format() {
    return "avro";
  }

  private static DataFileReader<GenericRecord> reader(Path file) throws IOException {
    GenericDatumReader<GenericRecord> datum = new GenericDatumReader<>();
    LOGICAL.forEach(datum.getData()::addLogicalTypeConversion);
    try {
      return new DataFileReader<>(file.toFile(), datum);
    } catch (AvroRuntimeException e) {
      throw failed(e);
    }
  }

  /** Of a file that is cut off, the library tells with an exception that has no words. */
  private static IOException failed(Exception e) {
    return new IOException(e.getMessage() == null ? "it ends within a block" : e.getMessage(), e);
  }

  @Override
  public io.wexrun.core.schema.Schema columns(Path file) throws IOException {
    try (DataFileReader<GenericRecord> reader = reader(file)) {
      List<Column> columns = new ArrayList<>();
      for (Schema.Field field : fields(reader.getSchema())) {
        columns.add(Column.of(field.name(), AvroType.of(field.schema()).type()));
      }
      return new io.wexrun.core.schema.Schema(columns);
    } catch (IllegalArgumentException e) {
      throw failed(e);
    }
  }

  private static List<Schema.Field> fields(Schema schema) throws IOException {
    if (schema.getType() != Schema.Type.RECORD) {
      throw new IOException("it holds no records, but " + schema.getType().getName());
    }
    return schema.getFields();
  }

  @Override
  public Rows open(Path file, long from) throws IOException {
    DataFileReader<GenericRecord> reader = reader(file);
    Open open = new Open(reader, fields(reader.getSchema()), Files.size(file));
    for (long passed = 0; passed < from; passed++) {
      open.next();
    }
    return open;
  }

  private record Open(DataFileReader<GenericRecord> reader, List<Schema.Field> fields, long length)
      implements Rows {
    @Override
    public Optional<Map<String, Object>> next() throws IOException {
      try {
        if (reader.hasNext()) {
          return Optional.of(row(reader.next(), fields));
        }
        if (reader.previousSync() < length) {
          throw new IOException("it ends within a block"); // The library takes it for the end.
        }
        return Optional.empty();
      } catch (AvroRuntimeException e) {
        throw failed(e);
      }
    }

    @Override
    public void close() throws IOException {
      reader.close();
    }
  }

  private static Map<String, Object> row(GenericRecord record, List<Schema.Field> fields) {
    Map<String, Object> row = new LinkedHashMap<>();
    fields.forEach(field -> row.put(field.name(), value(record.get(field.pos()))));
    return row;
  }

  private static Object value(Object value) {
    if (value instanceof GenericRecord record) {
      return row(record, record.getSchema().getFields());
    } else if (value instanceof List<?> list) {
      return list.stream().map(AvroRows::value).toList();
    } else if (value instanceof Map<?, ?> map) {
      List<Object> entries = new ArrayList<>();
      map.forEach(
          (key, each) -> {
            Map<String, Object> entry = new LinkedHashMap<>();
            entry.put("key", key.toString());
            entry.put("value", value(each));
            entries.add(entry);
          });
      return entries;
    } else if (value instanceof ByteBuffer bytes) {
      byte[] all = new byte[bytes.remaining()];
      bytes.duplicate().get(all);
      return all;
    } else if (value instanceof GenericFixed fixed) {
      return fixed.bytes();
    } else if (value instanceof LocalDateTime time) {
      return time.toInstant(ZoneOffset.UTC);
    } else if (value instanceof CharSequence || value instanceof Enum) {
      return value.toString();
    }
    return value instanceof org.apache.avro.generic.GenericEnumSymbol<?> ? value.toString() : value;
  }
}

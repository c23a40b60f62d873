package io.wexrun.formats;

import io.wexrun.core.connect.ColumnsReader;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.schema.Column;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import org.apache.avro.AvroRuntimeException;
import org.apache.avro.Schema;
import org.apache.avro.SchemaFormatter;
import org.apache.avro.SchemaParser;

/**
 * The fields of a record in an Avro schema ({@code .avsc}); those that are never null are required.
 */
public final class AvroColumns implements ColumnsReader {
  @Override
  public String kind() {
    return "avro";
  }

  @Override
  public Columns read(Path file, Settings settings, String table) throws IOException {
    Schema schema;
    try {
      schema = new SchemaParser().parse(Files.readString(file)).mainSchema();
    } catch (AvroRuntimeException e) {
      // The library puts the name of a parser's exception before its words, and a place behind.
      String why = String.valueOf(e.getMessage()).lines().findFirst().orElse("");
      throw new IllegalArgumentException(
          "it is not an Avro schema: " + why.replaceFirst("^[\\w.]+Exception: ", ""), e);
    }
    if (schema.getType() != Schema.Type.RECORD) {
      throw new IllegalArgumentException(
          "a table has the fields of a record, but this is "
              + SchemaFormatter.format("json/inline", schema));
    }
    List<Column> columns = new ArrayList<>();
    for (Schema.Field field : schema.getFields()) {
      AvroType type = AvroType.of(field.schema());
      columns.add(new Column(field.name(), type.type(), !type.nullable()));
    }
    return new Columns(new io.wexrun.core.schema.Schema(columns), Map.of());
  }
}

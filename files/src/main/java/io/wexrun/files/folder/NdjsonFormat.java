package io.wexrun.files.folder;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.DoubleVector;
import io.wexrun.core.batch.LongVector;
import io.wexrun.core.batch.Rows;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.connect.FileFormat;
import io.wexrun.core.field.ValueText;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Type;
import java.io.IOException;
import java.io.OutputStream;
import java.math.BigDecimal;
import java.nio.file.Path;
import java.util.List;
import tools.jackson.core.JsonGenerator;
import tools.jackson.core.ObjectWriteContext;
import tools.jackson.core.exc.JacksonIOException;
import tools.jackson.core.json.JsonFactory;

/**
 * One JSON object a line. Numbers and truth values are JSON's own, instants and dates are texts of
 * ISO 8601, bytes are base64; what is absent is null.
 */
public final class NdjsonFormat implements FileFormat {
  private static final JsonFactory FACTORY = JsonFactory.builder().rootValueSeparator("").build();

  @Override
  public String name() {
    return "ndjson";
  }

  @Override
  public List<String> compressions() {
    return Compression.ALL;
  }

  @Override
  public String ending(String compression) {
    return ".ndjson" + Compression.ending(compression);
  }

  @Override
  public void write(Path file, Table table, List<Rows> parts, String compression)
      throws IOException {
    List<Column> columns = table.schema().columns();
    try (OutputStream out = Compression.open(file, compression);
        JsonGenerator json = FACTORY.createGenerator(ObjectWriteContext.empty(), out)) {
      for (Rows rows : parts) {
        Batch batch = rows.batch();
        for (int i = 0; i < rows.count(); i++) {
          json.writeStartObject();
          for (int c = 0; c < columns.size(); c++) {
            json.writeName(columns.get(c).name());
            value(json, columns.get(c).type(), batch.column(c), rows.row(i));
          }
          json.writeEndObject();
          json.writeRaw('\n');
        }
      }
    } catch (JacksonIOException e) {
      throw e.getCause(); // What the library says of a full disk, for example.
    }
  }

  private static void value(JsonGenerator json, Type type, Vector vector, int row) {
    if (vector.absent(row)) {
      json.writeNull();
    } else if (type.nested()) {
      json.writeRawValue(ValueText.text(type, vector, row));
    } else if (type instanceof Type.Decimal decimal) {
      json.writeNumber(BigDecimal.valueOf(((LongVector) vector).get(row), decimal.scale()));
    } else {
      scalar(json, (Type.Scalar) type, vector, row);
    }
  }

  private static void scalar(JsonGenerator json, Type.Scalar type, Vector vector, int row) {
    switch (type) {
      case BOOL -> json.writeBoolean(((LongVector) vector).get(row) != 0);
      case INT, LONG -> json.writeNumber(((LongVector) vector).get(row));
      case DOUBLE -> json.writeNumber(((DoubleVector) vector).get(row));
      case BYTES -> {
        TextVector bytes = (TextVector) vector;
        int start = bytes.start(row);
        json.writeBinary(bytes.data(), start, bytes.end(row) - start);
      }
      case JSON -> json.writeRawValue(ValueText.text(type, vector, row));
      default -> json.writeString(ValueText.text(type, vector, row));
    }
  }
}

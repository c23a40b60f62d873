package io.wexrun.files.format;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.DoubleVector;
import io.wexrun.core.batch.LongVector;
import io.wexrun.core.batch.Rows;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.connect.FileForm;
import io.wexrun.core.field.ValueText;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Type;
import io.wexrun.core.secret.Keys;
import io.wexrun.core.target.Answer;
import java.io.BufferedReader;
import java.io.IOException;
import java.io.InputStream;
import java.io.InputStreamReader;
import java.io.OutputStream;
import java.math.BigDecimal;
import java.nio.charset.StandardCharsets;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import tools.jackson.core.JacksonException;
import tools.jackson.core.JsonGenerator;
import tools.jackson.core.ObjectWriteContext;
import tools.jackson.core.exc.JacksonIOException;
import tools.jackson.core.json.JsonFactory;
import tools.jackson.core.type.TypeReference;
import tools.jackson.databind.DeserializationFeature;
import tools.jackson.databind.json.JsonMapper;

/**
 * One JSON object a line. Numbers and truth values are JSON's own, instants and dates are texts of
 * ISO 8601, bytes are base64; what is absent is null.
 */
public final class NdjsonFormat extends TextFormat {
  private static final int BUFFER = 64 << 10;
  private static final JsonMapper JSON =
      JsonMapper.builder().enable(DeserializationFeature.USE_BIG_DECIMAL_FOR_FLOATS).build();
  private static final JsonFactory FACTORY = JsonFactory.builder().rootValueSeparator("").build();

  /** For the service loader. */
  public NdjsonFormat() {
    super("ndjson");
  }

  @Override
  public void write(Path file, Table table, List<Rows> parts, FileForm form) throws IOException {
    List<Column> columns = table.schema().columns();
    try (OutputStream out = TextFile.write(file, form);
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

  /** Lines are what they are, whatever columns their objects have. */
  @Override
  public long merge(List<Path> from, Path to, Table table, FileForm form, Keys keys)
      throws IOException {
    long rows = 0;
    byte[] buffer = new byte[BUFFER];
    try (OutputStream out = TextFile.write(to, form)) {
      for (Path file : from) {
        byte last = '\n';
        try (InputStream in = TextFile.read(file, keys)) {
          for (int n = in.read(buffer); n >= 0; n = in.read(buffer)) {
            for (int i = 0; i < n; i++) {
              rows += buffer[i] == '\n' ? 1 : 0;
            }
            out.write(buffer, 0, n);
            last = n > 0 ? buffer[n - 1] : last;
          }
        }
        if (last != '\n') {
          throw new IOException(file + " ends in the middle of a line");
        }
      }
    }
    return rows;
  }

  @Override
  public Answer read(Path file, int limit, Keys keys) throws IOException {
    Set<String> columns = new LinkedHashSet<>();
    List<Map<String, Object>> objects = new ArrayList<>();
    try (BufferedReader lines =
        new BufferedReader(
            new InputStreamReader(TextFile.read(file, keys), StandardCharsets.UTF_8))) {
      String line;
      while (objects.size() < limit && (line = lines.readLine()) != null) {
        Map<String, Object> object = JSON.readValue(line, new TypeReference<>() {});
        columns.addAll(object.keySet());
        objects.add(object);
      }
    } catch (JacksonException e) {
      throw new IOException("its line " + (objects.size() + 1) + " is not a JSON object");
    }
    List<Boolean> numeric =
        columns.stream()
            .map(
                name ->
                    objects.stream()
                        .map(object -> object.get(name))
                        .allMatch(value -> value == null || value instanceof Number))
            .toList();
    List<List<Object>> rows = new ArrayList<>();
    for (Map<String, Object> object : objects) {
      List<Object> row = new ArrayList<>();
      columns.forEach(name -> row.add(object.get(name)));
      rows.add(row);
    }
    return new Answer(List.copyOf(columns), numeric, rows);
  }
}

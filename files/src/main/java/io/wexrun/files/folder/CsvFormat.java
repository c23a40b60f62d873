package io.wexrun.files.folder;

import de.siegmar.fastcsv.writer.CsvWriter;
import de.siegmar.fastcsv.writer.LineDelimiter;
import de.siegmar.fastcsv.writer.QuoteStrategies;
import io.wexrun.core.batch.Batch;
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
import java.io.OutputStreamWriter;
import java.io.UncheckedIOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Path;
import java.util.Arrays;
import java.util.Base64;
import java.util.List;

/**
 * RFC 4180 with a header and line feeds. Values are texts as in NDJSON, nested ones as JSON; what
 * is absent is an empty value, and an empty text stands in quotes.
 */
public final class CsvFormat implements FileFormat {
  @Override
  public String name() {
    return "csv";
  }

  @Override
  public List<String> compressions() {
    return Compression.ALL;
  }

  @Override
  public String ending(String compression) {
    return ".csv" + Compression.ending(compression);
  }

  @Override
  public void write(Path file, Table table, List<Rows> parts, String compression)
      throws IOException {
    List<Column> columns = table.schema().columns();
    try (OutputStream out = Compression.open(file, compression);
        CsvWriter csv =
            CsvWriter.builder()
                .lineDelimiter(LineDelimiter.LF)
                .quoteStrategy(QuoteStrategies.EMPTY)
                .build(new OutputStreamWriter(out, StandardCharsets.UTF_8))) {
      csv.writeRecord(columns.stream().map(Column::name).toList());
      String[] values = new String[columns.size()];
      for (Rows rows : parts) {
        Batch batch = rows.batch();
        for (int i = 0; i < rows.count(); i++) {
          for (int c = 0; c < values.length; c++) {
            values[c] = text(columns.get(c).type(), batch.column(c), rows.row(i));
          }
          csv.writeRecord(values);
        }
      }
    } catch (UncheckedIOException e) {
      throw e.getCause(); // What the library says of a full disk, for example.
    }
  }

  private static String text(Type type, Vector vector, int row) {
    if (vector.absent(row)) {
      return null;
    }
    if (type == Type.Scalar.BYTES) {
      TextVector bytes = (TextVector) vector;
      return Base64.getEncoder()
          .encodeToString(Arrays.copyOfRange(bytes.data(), bytes.start(row), bytes.end(row)));
    }
    return ValueText.text(type, vector, row);
  }
}

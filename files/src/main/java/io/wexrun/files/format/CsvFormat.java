package io.wexrun.files.format;

import de.siegmar.fastcsv.reader.AbstractBaseCsvCallbackHandler;
import de.siegmar.fastcsv.reader.CloseableIterator;
import de.siegmar.fastcsv.reader.CsvParseException;
import de.siegmar.fastcsv.reader.CsvReader;
import de.siegmar.fastcsv.writer.CsvWriter;
import de.siegmar.fastcsv.writer.LineDelimiter;
import de.siegmar.fastcsv.writer.QuoteStrategies;
import io.wexrun.core.batch.Batch;
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
import java.io.IOException;
import java.io.InputStreamReader;
import java.io.OutputStreamWriter;
import java.io.UncheckedIOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Base64;
import java.util.Collections;
import java.util.List;

/**
 * RFC 4180 with a header and line feeds. Values are texts as in NDJSON, nested ones as JSON; what
 * is absent is an empty value, and an empty text stands in quotes.
 */
public final class CsvFormat extends TextFormat {
  /** So many characters may a value have that is read again. */
  private static final int LONGEST = 1 << 28;

  /** For the service loader. */
  public CsvFormat() {
    super("csv");
  }

  @Override
  public void write(Path file, Table table, List<Rows> parts, FileForm form) throws IOException {
    List<Column> columns = table.schema().columns();
    try (CsvWriter csv = writer(file, columns, form)) {
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

  private static CsvWriter writer(Path file, List<Column> columns, FileForm form)
      throws IOException {
    CsvWriter csv =
        CsvWriter.builder()
            .lineDelimiter(LineDelimiter.LF)
            .quoteStrategy(QuoteStrategies.EMPTY)
            .build(new OutputStreamWriter(TextFile.write(file, form), StandardCharsets.UTF_8));
    csv.writeRecord(columns.stream().map(Column::name).toList());
    return csv;
  }

  private static CsvReader<String[]> reader(Path file, Keys keys) throws IOException {
    return CsvReader.builder()
        .skipEmptyLines(false)
        .allowUnclosedQuote(false)
        .allowExtraCharsAfterClosingQuote(false)
        .maxBufferSize(LONGEST)
        .build(
            new QuotedValues(),
            new InputStreamReader(TextFile.read(file, keys), StandardCharsets.UTF_8));
  }

  /** Values go to the columns that the header of their file names. */
  @Override
  public long merge(List<Path> from, Path to, Table table, FileForm form, Keys keys)
      throws IOException {
    List<String> columns = table.schema().columns().stream().map(Column::name).toList();
    long rows = 0;
    try (CsvWriter csv = writer(to, table.schema().columns(), form)) {
      for (Path file : from) {
        try (CsvReader<String[]> reader = reader(file, keys)) {
          CloseableIterator<String[]> records = reader.iterator();
          List<String> header = records.hasNext() ? List.of(records.next()) : List.of();
          if (!columns.containsAll(header)) {
            throw new IOException(file + " has columns that the table does not have");
          }
          int[] places = columns.stream().mapToInt(header::indexOf).toArray();
          String[] values = new String[places.length];
          for (; records.hasNext(); rows++) {
            String[] record = records.next();
            if (record.length != header.size()) {
              throw new IOException(file + " has a row with other columns than its header");
            }
            for (int c = 0; c < values.length; c++) {
              values[c] = places[c] < 0 ? null : record[places[c]];
            }
            csv.writeRecord(values);
          }
        }
      }
    } catch (UncheckedIOException e) {
      throw e.getCause();
    } catch (CsvParseException e) {
      throw told(e);
    }
    return rows;
  }

  @Override
  public Answer read(Path file, int limit, Keys keys) throws IOException {
    try (CsvReader<String[]> reader = reader(file, keys)) {
      CloseableIterator<String[]> records = reader.iterator();
      List<String> columns = records.hasNext() ? List.of(records.next()) : List.of();
      List<List<Object>> rows = new ArrayList<>();
      while (rows.size() < limit && records.hasNext()) {
        rows.add(Arrays.asList((Object[]) records.next()));
      }
      return new Answer(columns, Collections.nCopies(columns.size(), false), rows);
    } catch (UncheckedIOException e) {
      throw e.getCause();
    } catch (CsvParseException e) {
      throw told(e);
    }
  }

  private static IOException told(CsvParseException e) {
    return e.getCause() instanceof IOException cause ? cause : new IOException("it is not CSV", e);
  }

  /** A record with what is absent as null: an empty value without quotes. */
  private static final class QuotedValues extends AbstractBaseCsvCallbackHandler<String[]> {
    private final List<String> values = new ArrayList<>();

    @Override
    protected void handleBegin(long line) {
      values.clear();
    }

    @Override
    protected void handleField(int index, char[] text, int at, int length, boolean quoted) {
      values.add(length == 0 && !quoted ? null : new String(text, at, length));
    }

    /** A line without anything is a record of one value that is absent. */
    @Override
    protected void handleEmpty() {
      values.add(null);
    }

    @Override
    protected String[] buildRecord() {
      return values.toArray(new String[0]);
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

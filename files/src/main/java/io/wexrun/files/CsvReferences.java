package io.wexrun.files;

import de.siegmar.fastcsv.reader.CsvParseException;
import de.siegmar.fastcsv.reader.CsvReader;
import de.siegmar.fastcsv.reader.CsvRecord;
import io.wexrun.core.connect.ReferenceReader;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.reference.ReferenceTable;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;

/**
 * Reference tables in CSV files (RFC 4180): the first line names the columns, an empty value is
 * absent. Separated by commas, or by semicolons or tabs if the first line has more of those.
 */
public final class CsvReferences implements ReferenceReader {
  @Override
  public List<String> endings() {
    return List.of(".csv", ".tsv");
  }

  @Override
  public ReferenceTable read(Path file, String name, long most) {
    List<String> columns = List.of();
    List<List<String>> rows = new ArrayList<>();
    try (CsvReader<CsvRecord> reader =
        CsvReader.builder()
            .fieldSeparator(separator(file))
            .allowMissingFields(true)
            .allowExtraFields(true)
            .ofCsvRecord(file)) {
      for (CsvRecord line : reader) {
        if (rows.size() >= most) {
          break;
        }
        if (columns.isEmpty()) {
          columns = line.getFields();
        } else if (line.getFieldCount() != columns.size()) {
          throw OutsideException.lasting(
              name
                  + ":"
                  + line.getStartingLineNumber()
                  + ": "
                  + line.getFieldCount()
                  + " values for "
                  + columns.size()
                  + " columns");
        } else {
          List<String> row = new ArrayList<>();
          line.getFields().forEach(value -> row.add(value.isEmpty() ? null : value));
          rows.add(row);
        }
      }
    } catch (IOException | UncheckedIOException | CsvParseException e) {
      throw new OutsideException("cannot read " + name + ": " + e.getMessage(), e);
    }
    if (columns.isEmpty()) {
      throw OutsideException.lasting(name + " is empty: its first line names the columns");
    }
    return new ReferenceTable(name, columns, rows);
  }

  private static char separator(Path file) throws IOException {
    try (java.util.stream.Stream<String> lines = Files.lines(file)) {
      String first = lines.findFirst().orElse("");
      char best = ',';
      for (char candidate : new char[] {';', '\t'}) {
        if (count(first, candidate) > count(first, best)) {
          best = candidate;
        }
      }
      return best;
    }
  }

  private static long count(String text, char wanted) {
    return text.chars().filter(c -> c == wanted).count();
  }
}

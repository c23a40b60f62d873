package io.wexrun.files;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import io.wexrun.core.connect.ReferenceReader;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.reference.ReferenceTable;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.Arrays;
import java.util.List;
import java.util.ServiceLoader;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

/** Reference tables in files. */
class ReferencesTest {
  @TempDir private Path folder;

  private ReferenceTable read(String name, String text) throws IOException {
    Path file = folder.resolve(name);
    Files.writeString(file, text);
    for (ReferenceReader reader : ServiceLoader.load(ReferenceReader.class)) {
      if (reader.endings().stream().anyMatch(name::endsWith)) {
        return reader.read(file, name);
      }
    }
    throw new IllegalArgumentException(name);
  }

  @Test
  void csvHasItsColumnsInTheFirstLineAndAnySeparator() throws IOException {
    ReferenceTable table = read("a.csv", "stop;name\r\n7;\"Ropewalk; \"\"old\"\"\"\r\n8;\r\n");
    assertThat(table.columns()).containsExactly("stop", "name");
    assertThat(table.rows())
        .containsExactly(List.of("7", "Ropewalk; \"old\""), Arrays.asList("8", null));
    assertThat(read("a.tsv", "a\tb\n1\t2,3\n").rows()).containsExactly(List.of("1", "2,3"));
  }

  @Test
  void ndjsonHasItsMembersAsColumns() throws IOException {
    ReferenceTable table =
        read("a.ndjson", "{\"a\": 1, \"b\": \"x\"}\n\n{\"c\": [1, 2.50], \"a\": null}\n");
    assertThat(table.columns()).containsExactly("a", "b", "c");
    assertThat(table.rows())
        .containsExactly(Arrays.asList("1", "x", null), Arrays.asList(null, null, "[1,2.50]"));
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '~',
      value = {
        "a.csv    ~ ''              ~ a.csv is empty",
        "a.csv    ~ 'a,b|1,2|1'     ~ a.csv:3: 1 values for 2 columns",
        "a.ndjson ~ '{\"a\": 1}|[1]'  ~ a.ndjson:2: a line holds an object",
        "a.ndjson ~ '{\"a\": 1}|{\"a' ~ a.ndjson:2:",
      })
  void whatCannotBeReadIsToldWithItsLine(String name, String text, String message) {
    assertThatThrownBy(() -> read(name, text.replace('|', '\n')))
        .isInstanceOf(OutsideException.class)
        .hasMessageContaining(message);
  }
}

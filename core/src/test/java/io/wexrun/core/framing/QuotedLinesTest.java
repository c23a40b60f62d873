package io.wexrun.core.framing;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Records;
import io.wexrun.core.intake.SourcePartition;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.List;
import net.jqwik.api.Arbitraries;
import net.jqwik.api.Arbitrary;
import net.jqwik.api.ForAll;
import net.jqwik.api.Property;
import net.jqwik.api.Provide;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

class QuotedLinesTest {
  private static List<String> cut(String text) {
    byte[] data = text.getBytes(StandardCharsets.UTF_8);
    Records records =
        new Block(new SourcePartition("x"), 0, data.length, data, data.length, QuotedLines.FRAMING)
            .records();
    List<String> cut = new ArrayList<>();
    for (int i = 0; i < records.count(); i++) {
      cut.add(records.position(i) + " " + new String(records.bytes(i), StandardCharsets.UTF_8));
    }
    return cut;
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      quoteCharacter = '`',
      value = {
        "a,b/c,d/         | 0 a,b;4 c,d",
        "a,b/c            | 0 a,b;4 c",
        "\"a/b\",c/d/    | `0 \"a\nb\",c;8 d`",
        "x,\"a\"\"/b\"/d/ | `0 x,\"a\"\"\nb\";10 d`",
        "5\" pipe/d/      | 0 5\" pipe;8 d",
        "a,\"open/b/      | `0 a,\"open\nb\n`",
        "a>/b/            | 0 a;3 b",
      })
  void aLineEndInsideQuotesEndsNoRecord(String text, String records) {
    String raw = text.replace('/', '\n').replace('>', '\r');
    assertThat(String.join(";", cut(raw))).isEqualTo(records.replace("\\n", "\n"));
  }

  @Provide
  Arbitrary<List<List<String>>> rows() {
    Arbitrary<String> value = Arbitraries.strings().withChars("ab\",; \n\r\t\u00e9").ofMaxLength(6);
    return value.list().ofSize(3).list().ofMinSize(1).ofMaxSize(8);
  }

  @Property(tries = 500)
  void recordsWrittenByTheRfcAreCutWhereTheyEnd(@ForAll("rows") List<List<String>> rows) {
    List<String> lines = new ArrayList<>();
    for (List<String> row : rows) {
      lines.add(
          String.join(",", row.stream().map(v -> '"' + v.replace("\"", "\"\"") + '"').toList()));
    }
    String text = String.join("\n", lines) + "\n";
    assertThat(cut(text).stream().map(r -> r.substring(r.indexOf(' ') + 1)).toList())
        .isEqualTo(lines);
    byte[] data = text.getBytes(StandardCharsets.UTF_8);
    int whole = QuotedLines.FRAMING.end(data, 0, data.length);
    assertThat(whole).isEqualTo(data.length);
    int lastRecord = lines.get(lines.size() - 1).getBytes(StandardCharsets.UTF_8).length + 1;
    assertThat(QuotedLines.FRAMING.end(data, 0, data.length - 1))
        .isEqualTo(data.length - lastRecord);
  }
}

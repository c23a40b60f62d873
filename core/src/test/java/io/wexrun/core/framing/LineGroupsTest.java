package io.wexrun.core.framing;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Framing;
import io.wexrun.core.intake.Records;
import io.wexrun.core.intake.SourcePartition;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.SplittableRandom;
import net.jqwik.api.Arbitraries;
import net.jqwik.api.Arbitrary;
import net.jqwik.api.ForAll;
import net.jqwik.api.Property;
import net.jqwik.api.Provide;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.junit.jupiter.params.provider.MethodSource;

/** Records of several lines, with any separator, or of one length. */
class LineGroupsTest {
  private static final SourcePartition S = new SourcePartition("x");

  private static List<String> cut(Framing framing, byte[] data, int from, int to) {
    byte[] part = Arrays.copyOfRange(data, from, to);
    Records records = new Block(S, from, to, part, part.length, framing).records();
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
        "begins     | [0-9]   | 1 a/ at x/ at y/2 b/         | `0 1 a\n at x\n at y;16 2 b`",
        "begins     | [0-9]   | left over/1 a/               | 0 left over;10 1 a",
        "continues  | \\s     | 1 a/ at x/Caused/2 b/        | `0 1 a\n at x;10 Caused;17 2 b`",
        "continues  | ` |Cau` | 1 a/ at x/Caused/2 b/        | `0 1 a\n at x\nCaused;17 2 b`",
        "ends       | ;       | select/1;/x; y/z             | `0 select\n1;;10 x; y;15 z`",
        "ends       | ;$      | select/1;/x; y/z;>/          | `0 select\n1;;10 x; y\nz;`",
        "begins     | é       | éa/b/é/                      | `0 éa\nb;6 é`",
        "separator  | \\x00   | a b                          | 0 a b",
        "separator  | /;/     | a/;/b/;/                     | 0 a;4 b",
        "length     | 3       | abcdef                       | 0 abc;3 def",
        "length     | 4       | abcdef                       | 0 abcd;4 ef",
      })
  void recordsBeginAndEndByTheirRule(String rule, String pattern, String text, String records) {
    Framing framing = Framings.read(Map.of(rule, pattern.replace("/", "\\n")));
    byte[] data = text.replace('/', '\n').replace('>', '\r').getBytes(StandardCharsets.UTF_8);
    assertThat(String.join(";", cut(framing, data, 0, data.length))).isEqualTo(records);
    assertThat(Framings.named(framing.form())).contains(framing);
  }

  private static List<Framing> framings() {
    return List.of(
        Framings.read(Map.of("begins", "a")),
        Framings.read(Map.of("continues", "[b\\n]|$")),
        Framings.read(Map.of("ends", "b")),
        Framings.read(Map.of("separator", "ab")),
        Framings.read(Map.of("separator", "\\n\\n")),
        Framings.read(Map.of("length", "5")));
  }

  @Provide
  Arbitrary<String> texts() {
    return Arbitraries.strings().withChars("ab \n\r\u00e9").ofMaxLength(60);
  }

  /** As a file is read that grows: by whole records, as far as they are seen to be whole. */
  @Property(tries = 400)
  void whereverReadingStopsTheRecordsAreThoseOfTheWholeText(
      @ForAll("texts") String text, @ForAll long seed) {
    byte[] data = text.getBytes(StandardCharsets.UTF_8);
    for (Framing framing : framings()) {
      SplittableRandom dice = new SplittableRandom(seed);
      List<String> records = new ArrayList<>();
      int from = 0;
      int read = 0;
      int known = 0;
      while (read < data.length) {
        read = Math.min(data.length, read + 1 + dice.nextInt(12));
        byte[] there = Arrays.copyOfRange(data, from, read);
        int end = framing.end(there, Math.min(known, there.length), there.length);
        records.addAll(cut(framing, data, from, from + end));
        known = there.length - end;
        from += end;
      }
      records.addAll(cut(framing, data, from, data.length));
      assertThat(records).as(framing.form()).isEqualTo(cut(framing, data, 0, data.length));
    }
  }

  @ParameterizedTest
  @MethodSource("framings")
  void aFramingIsKnownByItsForm(Framing framing) {
    assertThat(Framings.named(framing.form())).contains(framing);
  }

  @Test
  void whatSaysNoFramingIsTold() {
    for (Object written :
        List.of(
            "line",
            Map.of("begin", "x"),
            Map.of("begins", "("),
            Map.of("separator", ""),
            Map.of("separator", "\\q"),
            Map.of("length", "0"),
            Map.of("begins", "x", "ends", "y"))) {
      assertThatThrownBy(() -> Framings.read(written))
          .as(written.toString())
          .isInstanceOf(IllegalArgumentException.class);
    }
    assertThatThrownBy(() -> Framings.read("line"))
        .hasMessage(
            "'line' is neither lines nor csv nor syslog nor varint nor int32, nor a rule such as"
                + " {begins: PATTERN}");
    assertThatThrownBy(() -> Framings.read(Map.of("begins", "a(")))
        .hasMessageContaining("'a(' is not a pattern: missing closing )");
  }
}

package io.wexrun.core.framing;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Framing;
import io.wexrun.core.intake.Records;
import io.wexrun.core.intake.SourcePartition;
import java.nio.charset.Charset;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.Test;

/** Framings around framings: lines that are no records, heads, encodings. */
class FormsTest {
  private static List<String> cut(Framing framing, byte[] data) {
    Block block =
        new Block(new SourcePartition("x"), 100, 100 + data.length, data, data.length, framing);
    Records records = block.records();
    List<String> cut = new ArrayList<>();
    for (int i = 0; i < records.count(); i++) {
      String text = new String(records.bytes(i), StandardCharsets.UTF_8);
      cut.add(records.position(i) + ":" + text.replace("\n", "/"));
    }
    return cut;
  }

  /** Cut by a framing, and by the one of its name. */
  private static List<String> both(Framing framing, byte[] data) {
    List<String> cut = cut(framing, data);
    assertThat(Framings.named(framing.form())).get().isEqualTo(framing);
    assertThat(cut(Framings.named(framing.form()).orElseThrow(), data)).isEqualTo(cut);
    return cut;
  }

  private static byte[] bytes(String text) {
    return text.getBytes(StandardCharsets.UTF_8);
  }

  @Test
  void linesThatAreNoRecordsAreLeftOut() {
    Framing skipping = Skipping.of(List.of("#", "--"), "\\d+ rows", Lines.FRAMING);
    assertThat(both(skipping, bytes("#a\nb\n7 rows\n--\n7 rows c\n")))
        .containsExactly("103:b", "115:7 rows c");
    Framing footers = Skipping.of(List.of(), "x*", QuotedLines.FRAMING);
    assertThat(both(footers, bytes("\"a\nb\"\nxx\n\nc"))).containsExactly("100:\"a/b\"", "110:c");
    Framing groups = Skipping.of(List.of("#"), "", Framings.read(Map.of("begins", "\\d")));
    assertThat(both(groups, bytes("#\n#\n1\r\n a\n#\n b\r\n#\r\n#\n2\n#")))
        .containsExactly("104:1\r/ a/#/ b", "121:2");
    assertThat(cut(groups, bytes("#\n#"))).isEmpty();
    assertThat(Skipping.of(List.of(), "", Lines.FRAMING)).isSameAs(Lines.FRAMING);
  }

  @Test
  void theFirstRecordsOfAHeadedBlockAreNone() {
    Framing headed = new Headed(2, Skipping.of(List.of("#"), "", Lines.FRAMING));
    assertThat(both(headed, bytes("a\n#\nb\nc\nd\n"))).containsExactly("106:c", "108:d");
    assertThat(both(headed, bytes("a\n#\nb\n"))).isEmpty();
  }

  @Test
  void positionsAreThoseOfTheBytesAsTheyCame() {
    Charset wide = StandardCharsets.UTF_16LE;
    Framing decoding = new Decoding(wide, new Headed(1, QuotedLines.FRAMING));
    assertThat(both(decoding, "\uFEFFid\r\n1,ü\r\n\"a\n😀\"\nlast".getBytes(wide)))
        .containsExactly("110:1,ü", "120:\"a/😀\"", "134:last");
    byte[] data = "ab\ncd\nrest".getBytes(wide);
    assertThat(new Decoding(wide, Lines.FRAMING).end(data, 0, data.length)).isEqualTo(12);
    assertThat(new Decoding(wide, Lines.FRAMING).end(data, 0, 5)).isZero();
  }
}

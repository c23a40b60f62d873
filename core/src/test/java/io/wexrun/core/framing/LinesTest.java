package io.wexrun.core.framing;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Records;
import io.wexrun.core.intake.SourcePartition;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.List;
import java.util.stream.IntStream;
import net.jqwik.api.Arbitraries;
import net.jqwik.api.Arbitrary;
import net.jqwik.api.ForAll;
import net.jqwik.api.Property;
import net.jqwik.api.Provide;
import org.junit.jupiter.api.Test;

class LinesTest {
  private static Records cut(byte[] data, long first) {
    return new Block(
            new SourcePartition("x"), first, first + data.length, data, data.length, Lines.FRAMING)
        .records();
  }

  private static List<String> texts(Records records) {
    return IntStream.range(0, records.count())
        .mapToObj(i -> new String(records.bytes(i), StandardCharsets.ISO_8859_1))
        .toList();
  }

  @Test
  void linesEndAtLfOrCrLfAndKnowWhereTheyBegin() {
    byte[] data = "one\r\n\ntwo\rx\nthree".getBytes(StandardCharsets.US_ASCII);
    Records records = cut(data, 100);
    assertThat(texts(records)).containsExactly("one", "", "two\rx", "three");
    assertThat(IntStream.range(0, 4).mapToLong(records::position))
        .containsExactly(100L, 105L, 106L, 112L);
    assertThat(IntStream.range(0, 4)).allMatch(records::ascii);
  }

  @Test
  void nothingIsNoRecord() {
    assertThat(cut(new byte[0], 0).count()).isZero();
  }

  @Property(tries = 2000)
  void cuttingIsWhatSplittingByHandGives(@ForAll("bytes") byte[] data) {
    List<String> expected = new ArrayList<>();
    int start = 0;
    for (int at = 0; at <= data.length; at++) {
      if (at == data.length ? start < at : data[at] == '\n') {
        String line = new String(data, start, at - start, StandardCharsets.ISO_8859_1);
        boolean crlf = at < data.length && line.endsWith("\r");
        expected.add(crlf ? line.substring(0, line.length() - 1) : line);
        start = at + 1;
      }
    }
    Records records = cut(data, 0);
    assertThat(texts(records)).isEqualTo(expected);
    for (int i = 0; i < records.count(); i++) {
      boolean ascii = Ascii.all(data, records.start(i), records.end(i));
      assertThat(ascii || !records.ascii(i)).isTrue();
      assertThat(IntStream.range(records.start(i), records.end(i)).allMatch(at -> data[at] >= 0))
          .isEqualTo(ascii);
    }
  }

  /** Bytes near the line feed, where a search by words may err. */
  @Provide
  Arbitrary<byte[]> bytes() {
    return Arbitraries.of((byte) '\n', (byte) 11, (byte) '\r', (byte) 'a', (byte) 0x8A, (byte) 9)
        .array(byte[].class)
        .ofMaxSize(200);
  }

  @Property
  void theRecordsBeforeAPositionAreAPrefix(@ForAll("bytes") byte[] data) {
    Records all = cut(data, 50);
    long bound = 50 + data.length / 2;
    Records head = all.before(bound);
    assertThat(IntStream.range(0, head.count()).allMatch(i -> head.position(i) < bound)).isTrue();
    assertThat(head.count() == all.count() || all.position(head.count()) >= bound).isTrue();
  }
}

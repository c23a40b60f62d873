package io.wexrun.core.framing;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Framing;
import io.wexrun.core.intake.Records;
import io.wexrun.core.intake.SourcePartition;
import java.io.ByteArrayOutputStream;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import net.jqwik.api.ForAll;
import net.jqwik.api.Property;
import net.jqwik.api.constraints.IntRange;
import net.jqwik.api.constraints.Size;
import org.junit.jupiter.api.Test;

class DelimitedTest {
  private static byte[] written(List<byte[]> records, boolean varint) {
    ByteArrayOutputStream out = new ByteArrayOutputStream();
    for (byte[] record : records) {
      int length = record.length;
      for (int i = 3; i >= 0 && !varint; i--) {
        out.write(length >>> 8 * i);
      }
      for (; varint && length > 127; length >>>= 7) {
        out.write(length & 127 | 128);
      }
      if (varint) {
        out.write(length);
      }
      out.writeBytes(record);
    }
    return out.toByteArray();
  }

  private static List<String> cut(Framing framing, byte[] data, int length) {
    Records records =
        framing.cut(new Block(new SourcePartition("x"), 100, 0, data, length, framing));
    List<String> cut = new ArrayList<>();
    for (int i = 0; i < records.count(); i++) {
      assertThat(records.position(i)).isBetween(100L, 100L + length);
      cut.add(Arrays.toString(records.bytes(i)));
    }
    return cut;
  }

  @Property
  void whateverIsWrittenIsCutAgainWhereverTheBlockEnds(
      @ForAll @Size(max = 6) List<@Size(max = 300) byte[]> records,
      @ForAll boolean varint,
      @ForAll @IntRange(max = 2000) int seen) {
    Framing framing = varint ? Delimited.VARINT : Delimited.INT32;
    byte[] data = written(records, varint);
    int end = framing.end(data, 0, Math.min(seen, data.length));
    List<String> cut = cut(framing, data, end);
    cut.addAll(cut(framing, Arrays.copyOfRange(data, end, data.length), data.length - end));
    assertThat(cut).isEqualTo(records.stream().map(Arrays::toString).toList());
  }

  @Test
  void aLengthThatIsNoneTakesTheRestAsOneRecord() {
    byte[] data = {1, 7, -1, -1, -1, -1, -1, 9};
    assertThat(Delimited.VARINT.end(data, 0, data.length)).isEqualTo(data.length);
    assertThat(cut(Delimited.VARINT, data, data.length))
        .containsExactly("[7]", "[-1, -1, -1, -1, -1, 9]");
    byte[] cutShort = {5, 1, 2};
    assertThat(Delimited.VARINT.end(cutShort, 0, 3)).isZero();
    assertThat(cut(Delimited.VARINT, cutShort, 3)).containsExactly("[5, 1, 2]");
  }
}

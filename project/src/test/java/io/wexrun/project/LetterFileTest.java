package io.wexrun.project;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import io.wexrun.core.dead.DeadLetter;
import io.wexrun.core.dead.Reason;
import io.wexrun.project.facts.KeptLetter;
import io.wexrun.project.facts.LetterFile;
import java.nio.charset.StandardCharsets;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import net.jqwik.api.ForAll;
import net.jqwik.api.Property;
import net.jqwik.api.constraints.Size;
import org.junit.jupiter.api.Test;

/** Dead letters as a text, and back. */
class LetterFileTest {
  private static KeptLetter letter(int position, byte[] raw) {
    return new KeptLetter(
        "p",
        new KeptLetter.Place(0, position),
        Instant.EPOCH,
        new DeadLetter(
            new DeadLetter.Original(raw, "a.log", position),
            new DeadLetter.Death(Reason.NO_MATCH, "shape[0]", "", "two\nlines", ""),
            new DeadLetter.Life(1, 0, Optional.empty())));
  }

  private static List<KeptLetter> letters(List<byte[]> raws) {
    List<KeptLetter> letters = new ArrayList<>();
    raws.forEach(raw -> letters.add(letter(letters.size(), raw)));
    return letters;
  }

  @Property(tries = 300)
  void whateverTheBytesTheyComeBack(@ForAll @Size(min = 1, max = 5) List<byte[]> raws) {
    Map<KeptLetter.Place, byte[]> read = LetterFile.read(LetterFile.write(letters(raws)));
    assertThat(read).hasSameSizeAs(raws);
    for (int i = 0; i < raws.size(); i++) {
      assertThat(read.get(new KeptLetter.Place(0, i))).isEqualTo(raws.get(i));
    }
  }

  @Test
  void recordsThatLookLikeMarksAndOnesOfSeveralLinesComeBack() {
    List<byte[]> raws = new ArrayList<>();
    for (String text : List.of("#= 0@1 as-is x", "a\n#== end\nb\n", "", "tab\there", "é \\x41")) {
      raws.add(text.getBytes(StandardCharsets.UTF_8));
    }
    String written = LetterFile.write(letters(raws));
    assertThat(written).contains("#=== 0@0 as-is no-match: two lines\n#= 0@1 as-is x\n");
    Map<KeptLetter.Place, byte[]> read = LetterFile.read(written);
    for (int i = 0; i < raws.size(); i++) {
      assertThat(read.get(new KeptLetter.Place(0, i))).isEqualTo(raws.get(i));
    }
  }

  @Test
  void aTextThatWasCutIsNotTaken() {
    String text = LetterFile.write(letters(List.of("one".getBytes(), "two".getBytes())));
    int first = text.indexOf("#= 0@0");
    for (int end = first; end < text.length() - 1; end++) {
      String half = text.substring(0, end);
      assertThatThrownBy(() -> LetterFile.read(half)).isInstanceOf(IllegalArgumentException.class);
    }
    assertThat(LetterFile.read(text.substring(0, text.length() - 1))).hasSize(2);
    assertThat(LetterFile.read(text.replace("\n", "\r\n"))).hasSize(2);
    assertThatThrownBy(() -> LetterFile.read(text.replace("0@1", "0@0")))
        .hasMessageContaining("letter 0@0 stands in it twice");
    assertThatThrownBy(
            () -> LetterFile.read(text.replace("as-is no-match: two lines\none", "escaped x\n\\q")))
        .hasMessageContaining("a backslash stands alone");
  }
}

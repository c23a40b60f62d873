package io.wexrun.core.dead;

import static org.assertj.core.api.Assertions.assertThat;

import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.EnumSource;

class ReasonTest {
  @ParameterizedTest
  @EnumSource(Reason.class)
  void everyReasonIsReadByItsCodeAndExplainedInThePage(Reason reason) throws IOException {
    assertThat(Reason.of(reason.code())).contains(reason);
    assertThat(Files.readString(Path.of("../docs/reasons.md"))).contains("`" + reason.code() + "`");
  }

  @Test
  void codesAreWrittenWithHyphens() {
    assertThat(Reason.NO_MATCH).hasToString("no-match");
    assertThat(Reason.of("NO_MATCH")).isEmpty();
  }

  @Test
  void aLetterShowsItsBytesAsTextWhateverTheyAre() {
    byte[] raw = {'b', (byte) 0xE9, 'd'};
    DeadLetter.Original letter = new DeadLetter.Original(raw, "a.log", 7);
    assertThat(letter.text()).isEqualTo("b\uFFFDd");
    assertThat("bad".getBytes(StandardCharsets.UTF_8)).hasSameSizeAs(letter.raw());
  }
}

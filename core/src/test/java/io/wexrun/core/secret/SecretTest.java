package io.wexrun.core.secret;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import io.wexrun.core.diagnose.OutsideException;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

/** Values that stand elsewhere than in a file of settings. */
class SecretTest {
  @TempDir private Path folder;

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      quoteCharacter = '~',
      value = {
        "plain | plain",
        "~~ | ~~",
        "$5 and {x} | $5 and {x}",
        "${file:token} | s3cret",
        "a-${file:token}-${command:echo b} | a-s3cret-b",
        "${command:printf 'x$y\\\\z'} | x$y\\z",
        "${command:cat token} | s3cret",
        "${command:printf '%s' \"a b\"} | a b",
        "${other:thing} | ${other:thing}",
      })
  void aSettingIsWhatItsPlacesHold(String written, String expected) throws IOException {
    Files.writeString(folder.resolve("token"), "s3cret\n");
    assertThat(Secret.of(written, folder)).isEqualTo(expected);
    assertThat(Secret.missing(written, folder)).isEmpty();
  }

  @Test
  void aVariableIsReadWhereItIsSet() {
    assertThat(Secret.of("${env:PATH}", folder)).isEqualTo(System.getenv("PATH"));
    assertThat(Secret.isElsewhere("${env:PATH}")).isTrue();
    assertThat(Secret.isElsewhere("$PATH")).isFalse();
    assertThat(Secret.missing("${env:NOT_SET_HERE}", folder))
        .contains("the environment variable NOT_SET_HERE is not set");
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "${env:NOT_SET_HERE} | NOT_SET_HERE is not set",
        "${file:none} | there is no file none that can be read",
        "${file:long} | is too long for a secret",
        "${command:exit 3} | ended with exit code 3",
        "${command:echo shown; exit 1} | ended with exit code 1",
        "${command:no-such-program-here} | ended with exit code 127",
        "${command:head -c 70000 /dev/zero} | is too long for a secret",
      })
  void whatCannotBeHadIsToldWithoutWhatWasFound(String written, String told) throws IOException {
    Files.writeString(folder.resolve("long"), "x".repeat(70_000));
    assertThatThrownBy(() -> Secret.of(written, folder))
        .isInstanceOf(OutsideException.class)
        .hasMessageContaining(told)
        .hasMessageNotContaining("xxx");
  }

  /** A program that asks waits for nobody. */
  @Test
  void aCommandGetsNoInput() {
    assertThat(Secret.of("${command:cat; echo end}", folder)).isEqualTo("end");
  }

  @Test
  void onlyOneLineFeedAtTheEndDoesNotCount() throws IOException {
    Files.writeString(folder.resolve("token"), " two \n\r\n");
    assertThat(Secret.of("${file:token}", folder)).isEqualTo(" two \n");
  }
}

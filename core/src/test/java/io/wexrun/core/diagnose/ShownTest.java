package io.wexrun.core.diagnose;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.core.run.Notice;
import io.wexrun.core.secret.Secret;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Instant;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

class ShownTest {
  @TempDir private Path folder;

  /** Whoever echoes a secret, it does not get into what is told. */
  @Test
  void secretsThatWereReadAreMasked() throws IOException {
    Files.writeString(folder.resolve("token"), "s3cr3t-of-the-depot\n");
    assertThat(Secret.of("Bearer ${file:token}", folder)).isEqualTo("Bearer s3cr3t-of-the-depot");
    String echoed = "401: token s3cr3t-of-the-depot is unknown";
    assertThat(new OutsideException(echoed)).hasMessage("401: token *** is unknown");
    assertThat(OutsideException.lasting(echoed)).hasMessage("401: token *** is unknown");
    Notice notice = new Notice("p", Notice.Kind.WAITS, echoed + "\n\u001b[2J", Instant.EPOCH);
    assertThat(notice.text()).isEqualTo("401: token *** is unknown\\n\\x1b[2J");
  }

  @Test
  void whatIsInEveryWordIsNoSecret() {
    Shown.hide("a");
    Shown.hide("");
    assertThat(Shown.masked("a tram")).isEqualTo("a tram");
  }
}

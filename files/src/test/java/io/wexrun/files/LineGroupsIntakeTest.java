package io.wexrun.files;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.core.pipeline.Settings;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/** Events with their stack traces, in files that grow. */
class LineGroupsIntakeTest {
  @TempDir private Path folder;

  private final Settings events =
      FilesIntake.matching("*.log").with("framing", Map.of("begins", "\\d"));

  private void write(String text) throws IOException {
    Files.writeString(
        folder.resolve("a.log"), text, StandardOpenOption.CREATE, StandardOpenOption.APPEND);
  }

  @Test
  void anEventIsTakenWithItsLinesAndTheLastOneWhenNothingFollowsIt() throws IOException {
    Taking taking = new Taking(folder, events);
    write("1 a\n at x\n at y\n2 b\n at");
    assertThat(taking.drain()).containsExactly("1 a\n at x\n at y", "2 b");
    write(" z\n3 c\n");
    assertThat(taking.drain()).as("what was late is a record of its own").startsWith(" at z");
  }

  @Test
  void linesThatComeInTimeBelongToTheEvent() throws IOException {
    Taking taking = new Taking(folder, events.with("last-line", "1h"));
    taking.restart();
    write("1 a\n");
    assertThat(taking.step()).isFalse();
    write(" at x\n");
    assertThat(taking.step()).isFalse();
    write("2 b\n");
    assertThat(taking.step()).isTrue();
    assertThat(taking.taken).containsExactly("1 a\n at x");
  }

  /** What was cut stays cut: otherwise a target would miss what came late, or have it twice. */
  @Test
  void whatWasTakenUnfinishedIsTakenAgainAsItWas() throws IOException {
    for (Settings settings :
        List.of(events.with("last-line", "take"), FilesIntake.matching("*.log"))) {
      Files.deleteIfExists(folder.resolve("a.log"));
      Taking taking = new Taking(folder, settings.with("last-line", "take"));
      write("1 a\n at");
      List<String> all = new ArrayList<>(taking.drain());
      write(" x\n");
      all.addAll(taking.drain());
      write(" at y\n2");
      all.addAll(taking.drain());
      taking.killed();
      write(" b\n3 c\n");
      List<String> again = taking.drain();
      assertThat(again.subList(0, all.size())).isEqualTo(all);
      assertThat(again.subList(all.size(), again.size())).containsExactly(" b", "3 c");
      assertThat(String.join("\n", again)).contains("1 a\n at\n x\n at y\n2\n b\n3 c");
    }
  }

  @Test
  void statementsEndWithTheirLineAndRecordsMayHaveAnySeparator() throws IOException {
    write("select 1\n  from t;\nselect 2;\nselect");
    Settings statements = FilesIntake.matching("*.log").with("framing", Map.of("ends", ";\\s*$"));
    assertThat(new Taking(folder, statements).drain())
        .containsExactly("select 1\n  from t;", "select 2;");
    Settings separated = FilesIntake.matching("*.log").with("framing", Map.of("separator", ";\\n"));
    assertThat(new Taking(folder, separated).drain())
        .containsExactly("select 1\n  from t", "select 2");
  }
}

package io.wexrun.cli;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.cli.Wexrun.Result;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

/** Every command that takes standard input: from a pipe, a file, nothing, and a closed handle. */
class StandardInputTest {
  @TempDir private Path folder;
  private Wexrun here;

  @BeforeEach
  void makeWorkspace() throws IOException {
    Files.createDirectories(folder.resolve("pipelines"));
    Files.writeString(
        folder.resolve("wexrun.yaml"),
        """
        workspace: w
        stores: {w: {folder: t, format: ndjson}}
        queues: {q: {partitions: 1}}
        tables: {t: {in: w, columns: {n: long}}}
        """);
    Files.writeString(
        folder.resolve("pipelines/p.yaml"),
        """
        pipeline: p
        intake: {stdin: lines}
        shape: [template: '{n:long}']
        route: [to: t]
        """);
    Files.writeString(folder.resolve("a.txt"), "1\n2\n3\n");
    here = Wexrun.in(folder);
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = ';',
      value = {
        "look -;        1 | 2 | 3;          there are no records to look at",
        "try p -;       3 tried;            0 tried",
        "queue put q -; appended 3 records; appended 0 records",
        "run --once;    loaded  t 3;        p  "
      })
  void itIsReadWhateverItIs(String command, String three, String none) {
    String[] args = command.split(" ");
    assertGives("cat a.txt | ", "", args, three);
    if (command.startsWith("try")) { // The same stream, whoever reads it.
      assertGives("", "< a.txt", args, three);
      assertGives("", "< /dev/null", args, none);
    }
    Result closed = here.runInShell("", "<&-", args);
    assertThat(closed.exit()).as(closed.err()).isEqualTo(3);
    assertThat(closed.err()).contains("cannot", "read", "standard input", "closed");
    if (command.startsWith("run") || command.startsWith("queue")) {
      Result folder = here.runInShell("", "< /", args);
      assertThat(folder.exit()).as(folder.err()).isEqualTo(3);
      assertThat(folder.err()).contains("standard input", "Is a directory");
    }
  }

  private void assertGives(String before, String from, String[] args, String wanted) {
    Result result = here.runInShell(before, from, args);
    assertThat(result.exit()).as("%s%s: %s", before, from, result.err()).isZero();
    assertThat(result.out() + result.err()).as("%s%s", before, from).contains(wanted.strip());
  }
}

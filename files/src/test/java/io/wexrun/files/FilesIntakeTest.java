package io.wexrun.files;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.contract.FolderSite;
import io.wexrun.core.connect.IntakeOpening;
import io.wexrun.core.connect.Site;
import io.wexrun.core.diagnose.Diagnostic;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.intake.Assigner;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Intake;
import io.wexrun.core.intake.Records;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.files.content.Pattern;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.time.Duration;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.TreeMap;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

class FilesIntakeTest {
  @TempDir private Path folder;
  private final Map<SourcePartition, Long> positions = new TreeMap<>();
  private final Map<Intake, Assigner> assigners = new HashMap<>();
  private final List<String> notices = new ArrayList<>();

  @BeforeEach
  void makeFolder() throws IOException {
    Files.createDirectories(folder.resolve("in/deep"));
  }

  private void write(String name, String text) throws IOException {
    Files.writeString(
        folder.resolve(name), text, StandardOpenOption.CREATE, StandardOpenOption.APPEND);
  }

  private Intake open(Settings settings) {
    IntakeOpening fresh = IntakeOpening.fresh(settings, site());
    Intake intake =
        new FilesConnector()
            .open(
                new IntakeOpening(
                    settings, fresh.site(), List.of(), notices::add, false, fresh.fed()));
    assigners.put(
        intake,
        new Assigner(intake, s -> positions.computeIfAbsent(s.partition(), p -> s.start())));
    return intake;
  }

  private Site site() {
    return new FolderSite(folder);
  }

  private Optional<Block> next(Intake intake) {
    ((FilesIntake) intake).lookSoon(); // The system's events may come a little later.
    return assigners.get(intake).next(Duration.ofMillis(1));
  }

  private Intake open(String pattern) {
    return open(FilesIntake.matching(pattern));
  }

  /** Polls until drained; the records as {@code source@position text}. */
  private List<String> drain(Intake intake) {
    List<String> found = new ArrayList<>();
    while (true) {
      Optional<Block> block = next(intake);
      if (block.isEmpty()) {
        if (intake.drained()) {
          return found;
        }
        continue;
      }
      Records records = block.get().records();
      for (int i = 0; i < records.count(); i++) {
        String text = new String(records.bytes(i), StandardCharsets.UTF_8);
        found.add(block.get().source() + "@" + records.position(i) + " " + text);
      }
      assertThat(block.get().first()).isEqualTo(positions.get(block.get().source()));
      positions.put(block.get().source(), block.get().end());
    }
  }

  @Test
  void everyMatchingFileIsASourceOfLines() throws IOException {
    write("in/a.log", "one\ntwo\r\n");
    write("in/b.log", "three\n");
    write("in/c.txt", "no\n");
    assertThat(drain(open("in/*.log")))
        .containsExactlyInAnyOrder("in/a.log@0 one", "in/a.log@4 two", "in/b.log@0 three");
  }

  @Test
  void aRunGoesOnWhereTheLastOneEnded() throws IOException {
    write("in/a.log", "one\n");
    drain(open("in/*.log"));
    write("in/a.log", "two\n");
    assertThat(drain(open("in/*.log"))).containsExactly("in/a.log@4 two");
    assertThat(drain(open("in/*.log"))).isEmpty();
  }

  @Test
  void filesAreFollowedAsTheyGrowAndNewOnesAreFound() throws IOException {
    write("in/a.log", "one\n");
    Intake intake = open("in/*.log");
    assertThat(drain(intake)).hasSize(1);
    write("in/a.log", "two\nthr");
    write("in/b.log", "new\n");
    assertThat(drain(intake)).containsExactlyInAnyOrder("in/a.log@4 two", "in/b.log@0 new");
    write("in/a.log", "ee\n");
    assertThat(drain(intake)).containsExactly("in/a.log@8 three");
    assertThat(next(intake)).isEmpty();
  }

  @Test
  void anUnfinishedLineWaitsAndIsTold() throws IOException {
    write("in/a.log", "one\nrest");
    Intake intake = open("in/*.log");
    assertThat(drain(intake)).containsExactly("in/a.log@0 one");
    assertThat(notices)
        .containsExactly(
            "in/a.log: 4 bytes stand after the last line end; taken when the line ends (or now,"
                + " with last-line: take)");
    assertThat(drain(intake)).isEmpty();
    assertThat(notices).as("told once").hasSize(1);
  }

  @Test
  void anUnfinishedLineIsTakenIfAsked() throws IOException {
    write("in/a.log", "one\nrest");
    assertThat(drain(open(FilesIntake.matching("in/*.log").with("last-line", "take"))))
        .containsExactly("in/a.log@0 one", "in/a.log@4 rest");
  }

  @Test
  void linesLongerThanABlockStayWhole() throws IOException {
    String longLine = "x".repeat(3 << 20);
    write("in/a.log", "one\n" + longLine + "\ntwo\n");
    assertThat(drain(open("in/a.log")))
        .containsExactly(
            "in/a.log@0 one", "in/a.log@4 " + longLine, "in/a.log@" + ((3 << 20) + 5) + " two");
  }

  @Test
  void memoryIsBoundedEvenIfALineNeverEnds() throws IOException {
    write("in/a.log", "x".repeat(40 << 20) + "\nnext\n");
    List<String> records = drain(open("in/a.log"));
    assertThat(records).hasSize(4).last().asString().endsWith(" next");
    assertThat(records.stream().mapToInt(String::length).max().orElse(0)).isLessThan(17 << 20);
  }

  @Test
  void noMatchIsTold() {
    Intake intake = open("in/*.none");
    assertThat(drain(intake)).isEmpty();
    assertThat(notices).containsExactly("no file matches in/*.none");
  }

  @ParameterizedTest
  @CsvSource({
    "in/*.log, 1",
    "in/**.log, 2",
    "in/deep/x.log, 1",
    "in/?.log, 1",
    "'in/{a,deep/x}.log', 2",
    "in/**/*.log, 2",
    "in/**/deep/*.log, 1",
    "in/*, 1",
    "in/.*, 1",
    "in/**, 2",
    "in/.s/*, 1",
    "none/*.log, 0",
    "in/[b-z].log, 0"
  })
  void patternsAreGlobs(String pattern, int matches) throws IOException {
    write("in/a.log", "1\n");
    write("in/deep/x.log", "2\n");
    write("in/.hidden.log", "3\n");
    Files.createDirectories(folder.resolve("in/.s"));
    write("in/.s/y.log", "4\n");
    assertThat(new Pattern(folder, pattern, false).matches()).hasSize(matches);
    String absolute =
        folder.resolve(pattern.startsWith("in/") ? "in" : "none")
            + pattern.replaceFirst("^[a-z]+", "");
    assertThat(new Pattern(Path.of("/elsewhere"), absolute, false).matches()).hasSize(matches);
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "in/none.log | wait | missing-file there is no file",
        "none/*.log  | wait | missing-folder there is no folder",
        "in/*.log    | tkae | bad-value 'tkae' is neither wait nor take",
        "in/*.none   | wait | no-file-yet no file matches in/*.none yet",
      })
  void whatIsWrongIsFoundBeforeTheRun(String pattern, String lastLine, String told)
      throws IOException {
    write("in/a.log", "1\n");
    Diagnostics diagnostics = Diagnostics.of("test");
    Settings settings = FilesIntake.matching(pattern).with("last-line", lastLine);
    new FilesConnector().check(settings, site(), KeyPath.ROOT, diagnostics);
    assertThat(diagnostics.all()).hasSize(1);
    assertThat(diagnostics.all().get(0).code() + " " + diagnostics.all().get(0).message())
        .startsWith(told);
  }

  private Intake withHeader() {
    return open(FilesIntake.matching("in/*.csv").with("header", true).with("framing", "csv"));
  }

  @Test
  void aHeaderIsNeverARecordEvenIfTheFileGrowsOrIsReadAgain() throws IOException {
    write("in/a.csv", "\uFEFFid,\"na\nme\"\r\n1,x\r\n");
    Intake intake = withHeader();
    Block first = next(intake).orElseThrow();
    assertThat(new String(first.records().header(), StandardCharsets.UTF_8))
        .isEqualTo("id,\"na\nme\"");
    assertThat(first.records().position(0)).isEqualTo(15);
    assertThat(new String(first.records().bytes(0), StandardCharsets.UTF_8)).isEqualTo("1,x");
    write("in/a.csv", "2,\"y\nz\"\n");
    Block second = next(intake).orElseThrow();
    assertThat(second.records().header()).isEqualTo(first.records().header());
    assertThat(second.records().count()).isEqualTo(1);
    intake.close();
    positions.put(second.source(), second.first());
    Block again = next(withHeader()).orElseThrow();
    assertThat(again.first()).isEqualTo(second.first());
    assertThat(again.records().header()).isEqualTo(first.records().header());
  }

  @Test
  void aFileWithoutAWholeHeaderWaitsForIt() throws IOException {
    write("in/a.csv", "id,na");
    Intake intake = withHeader();
    assertThat(drain(intake)).isEmpty();
    assertThat(notices.toString()).contains("in/a.csv: 5 bytes stand after");
    write("in/a.csv", "me\n");
    assertThat(next(intake).orElseThrow().records().count()).isZero();
    write("in/a.csv", "1,x\n");
    assertThat(next(intake).orElseThrow().records().count()).isEqualTo(1);
    intake.close();
  }

  @Test
  void severalPatternsAndExceptions() throws IOException {
    for (String name :
        List.of(
            "in/a.log", "in/a.tmp.log", "in/old/b.log", "in/c.txt", "out/d.log", "in/x/e.log")) {
      Path file = folder.resolve(name);
      Files.createDirectories(file.getParent());
      Files.writeString(file, name + "\n");
    }
    Settings settings =
        new Settings("files", Map.of("files", List.of("in/**/*.log", "in/*.txt", "in/a.*")))
            .with("except", List.of("*.tmp.*", "old", "in/x/*"));
    assertThat(new Taking(folder, settings).drain()).containsExactly("in/a.log", "in/c.txt");
    Settings none = FilesIntake.matching("in/*.log").with("except", "*");
    assertThat(check(none)).containsExactly("no-file-yet");
    assertThat(check(FilesIntake.matching("in"))).containsExactly("bad-pattern");
  }

  private List<String> check(Settings settings) {
    Diagnostics diagnostics = Diagnostics.of("p");
    new FilesConnector().check(settings, new FolderSite(folder), KeyPath.ROOT, diagnostics);
    return diagnostics.all().stream().map(Diagnostic::code).toList();
  }
}

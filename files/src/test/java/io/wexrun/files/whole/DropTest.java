package io.wexrun.files.whole;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.contract.FolderSite;
import io.wexrun.core.diagnose.Diagnostic;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.files.Taking;
import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.io.OutputStream;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.nio.file.StandardOpenOption;
import java.nio.file.attribute.FileTime;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.SplittableRandom;
import java.util.stream.Stream;
import java.util.zip.GZIPOutputStream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

/** Files that are dropped into a folder, each taken whole and once. */
class DropTest {
  @TempDir private Path folder;

  private Path drop(String name, String text) throws IOException {
    Path file = folder.resolve(name);
    Files.createDirectories(file.getParent());
    return Files.writeString(file, text);
  }

  private static Settings settings(Object... more) {
    Settings settings = Settings.of("drop", "in/**/*.csv").with("complete", "named");
    for (int i = 0; i < more.length; i += 2) {
      settings = settings.with((String) more[i], more[i + 1]);
    }
    return settings;
  }

  private Taking taking(Object... more) {
    return new Taking(folder, settings(more), new DropConnector());
  }

  private List<String> there() throws IOException {
    try (Stream<Path> files = Files.walk(folder)) {
      return files
          .filter(Files::isRegularFile)
          .map(file -> folder.relativize(file).toString())
          .sorted()
          .toList();
    }
  }

  @Test
  void aFileIsMovedWhenAllOfItIsAccountedForAndNotBefore() throws IOException {
    drop("in/a.csv", "1\n2");
    drop("in/x/b.csv", "3\n");
    drop("in/x/empty.csv", "");
    Taking taking = taking("then", Map.of("move", "taken"));
    assertThat(taking.drain()).containsExactly("1", "2", "3");
    assertThat(there()).contains("in/a.csv", "in/x/b.csv");
    taking.account();
    assertThat(there()).containsExactly("taken/a.csv", "taken/x/b.csv", "taken/x/empty.csv");
    drop("in/a.csv", "4\n");
    assertThat(taking.drain()).containsExactly("4");
    taking.account();
    assertThat(there()).contains("taken/a-2.csv");
    drop("in/a.csv", "5\n");
    taking.restart();
    assertThat(taking.drain()).containsExactly("5");
    assertThat(taking.notices).isEmpty();
  }

  @Test
  void whatWasAccountedForBeforeACrashIsMovedAfterIt() throws IOException {
    drop("in/a.csv", "1\n");
    Taking taking = taking("then", "delete");
    taking.drain();
    taking.commit();
    taking.crash();
    assertThat(taking.drain()).isEmpty();
    assertThat(there()).isEmpty();
    taking.restart();
    assertThat(taking.drain()).isEmpty();
    assertThat(taking.taken).containsExactly("1");
    assertThat(taking.notices).isEmpty();
  }

  @Test
  void filesThatAreBeingWrittenAreLeftUntilTheyHaveTheirName() throws IOException {
    Taking taking =
        new Taking(
            folder, Settings.of("drop", "in/*").with("complete", "named"), new DropConnector());
    drop("in/.a.csv", "no\n");
    drop("in/a.csv.tmp", "no\n");
    drop("in/b.csv.part", "no\n");
    assertThat(taking.drain()).isEmpty();
    Files.move(folder.resolve("in/a.csv.tmp"), folder.resolve("in/a.csv"));
    assertThat(taking.drain()).containsExactly("no");
  }

  @Test
  void aFileIsCompleteWhenItsMarkerIsThere() throws IOException {
    drop("in/a.csv", "1\n");
    Taking taking =
        taking("complete", Map.of("marker", "{stem}.done"), "then", Map.of("rename", "{name}.old"));
    assertThat(taking.drain()).isEmpty();
    assertThat(taking.notices)
        .containsExactly(
            "in/a.csv is not complete, and left to the next run: there is no a.done beside it");
    drop("in/a.done", "");
    assertThat(taking.drain()).containsExactly("1");
    taking.account();
    assertThat(there()).containsExactly("in/a.csv.old");
  }

  @Test
  void aFileIsCompleteWhenItIsQuietWhateverTheClockSays() throws IOException {
    Path old = drop("in/old.csv", "old\n");
    Files.setLastModifiedTime(old, FileTime.from(Instant.now().minusSeconds(60)));
    Path future = drop("in/new.csv", "new\n");
    Files.setLastModifiedTime(future, FileTime.from(Instant.now().plusSeconds(6000)));
    Taking taking = taking("complete", "200ms");
    taking.restart();
    assertThat(taking.step()).isTrue();
    assertThat(taking.taken).containsExactly("old");
    Files.writeString(future, "more\n", StandardOpenOption.APPEND);
    assertThat(taking.drain()).containsExactly("new", "more");
  }

  @Test
  void theSameBytesUnderAnotherNameAreNoticed() throws IOException {
    for (String again : List.of("warn", "take", "skip")) {
      drop("in/a.csv", again + "\n");
      Taking taking = taking("again", again, "then", "delete");
      taking.drain();
      taking.account();
      // It may get the removed one's inode, and be written in the same tick of the system's clock.
      Path other = drop("in/b.csv", again + "\n");
      Files.setLastModifiedTime(other, FileTime.from(Instant.now().minusSeconds(60)));
      List<String> second = taking.once();
      assertThat(second).hasSize(again.equals("skip") ? 0 : 1);
      String told = String.join("", taking.notices);
      assertThat(told.contains("in/b.csv has the same bytes as in/a.csv"))
          .isEqualTo(!again.equals("take"));
    }
    assertThat(there()).as("what is not taken goes, too").doesNotContain("in/a.csv");
  }

  @ParameterizedTest
  @CsvSource({"tell, 0", "take, 2"})
  void aFileThatIsChangedAfterItWasTakenIsTold(String changed, int more) throws IOException {
    drop("in/a.csv", "1\n");
    Taking taking = taking("changed", changed);
    taking.drain();
    taking.account();
    drop("in/a.csv", "1\n2\n");
    assertThat(taking.once()).hasSize(more);
    assertThat(String.join("", taking.notices).contains("was changed after it was taken"))
        .isEqualTo(more == 0);
    Path other = drop("in/other", "9\n");
    Files.move(other, folder.resolve("in/a.csv"), StandardCopyOption.REPLACE_EXISTING);
    assertThat(taking.once()).as("another file of that name").containsExactly("9");
  }

  @Test
  void aFileOfWhichTooManyDieIsSetAsideWhole() throws IOException {
    drop("in/bad.csv", "good\nbad\nbad\n");
    drop("in/good.csv", "good\ngood\nbad\n");
    Taking taking =
        taking("aside", Map.of("dead", "40%", "move", "aside"), "then", "delete").dies("bad");
    assertThat(taking.drain()).containsExactly("good", "good", "bad");
    taking.account();
    assertThat(there()).containsExactly("aside/bad.csv");
    assertThat(taking.notices)
        .containsExactly(
            "in/bad.csv is set aside: 2 of its 3 records would die; nothing of it is taken, and it"
                + " is aside/bad.csv now");
  }

  @Test
  void aFileThatGoesAwayOrIsCutWhileItIsTakenIsTold() throws IOException {
    drop("in/a.csv", "1\n".repeat(2_000_000));
    Path cut = drop("in/b.csv", "2\n".repeat(2_000_000));
    Taking taking = taking();
    taking.restart();
    taking.step();
    Files.writeString(cut, "");
    Files.delete(folder.resolve("in/a.csv"));
    taking.drain();
    assertThat(taking.taken.stream().filter("1"::equals)).as("it was open").hasSize(2_000_000);
    assertThat(taking.notices)
        .containsExactly(
            "in/b.csv was cut before all of it was taken: 4,000,000 bytes that it had when it was"
                + " complete are lost");
  }

  @Test
  void aCompressedFileThatIsNotWholeIsTakenToItsEndWhenItIs() throws IOException {
    ByteArrayOutputStream bytes = new ByteArrayOutputStream();
    List<String> lines = new ArrayList<>();
    SplittableRandom dice = new SplittableRandom(7);
    try (OutputStream out = new GZIPOutputStream(bytes)) {
      for (int i = 0; i < 20_000; i++) {
        lines.add("line " + dice.nextLong());
        out.write((lines.get(i) + "\n").getBytes(StandardCharsets.UTF_8));
      }
    }
    Path file = folder.resolve("in/a.csv");
    Files.createDirectories(file.getParent());
    Files.write(file, Arrays.copyOf(bytes.toByteArray(), bytes.size() / 2));
    Taking taking = taking("then", "delete");
    assertThat(taking.once()).isNotEmpty().hasSizeLessThan(20_000);
    assertThat(taking.notices).hasSize(1).first().asString().contains("cannot be unpacked");
    taking.restart();
    taking.drain();
    Files.write(file, bytes.toByteArray());
    taking.drain();
    taking.account();
    assertThat(taking.taken).isEqualTo(lines);
    assertThat(there()).isEmpty();
  }

  @Test
  void aFileThatIsReplacedBeforeAllOfItWasTakenIsTold() throws IOException {
    drop("in/a.csv", "1\n".repeat(1_000_000));
    Taking taking = taking();
    taking.restart();
    taking.step();
    taking.restart();
    Path other = drop("in/other", "x\ny\n");
    Files.move(other, folder.resolve("in/a.csv"), StandardCopyOption.REPLACE_EXISTING);
    assertThat(taking.drain()).containsExactly("x", "y");
    assertThat(taking.notices)
        .containsExactly(
            "in/a.csv was replaced by another file before all of it was taken: what stood behind"
                + " byte 1,048,576 is lost to the pipeline, unless it comes back");
  }

  /** Files come, are read, moved and crashed over by dice; each line comes once. */
  @Test
  void whateverHappensEachLineOfEachFileIsTakenOnce() throws IOException {
    long seed = new SplittableRandom().nextLong();
    SplittableRandom dice = new SplittableRandom(seed);
    List<Object> thens =
        List.of("leave", "delete", Map.of("move", "taken"), Map.of("rename", "{name}.x"));
    for (int history = 0; history < 60; history++) {
      String base = "h" + history;
      Taking taking =
          new Taking(
              folder,
              Settings.of("drop", base + "/*.csv")
                  .with("complete", "named")
                  .with("then", thens.get(dice.nextInt(thens.size()))),
              new DropConnector());
      taking.restart();
      List<String> all = new ArrayList<>();
      Files.createDirectories(folder.resolve(base));
      for (int step = 0; step < 40; step++) {
        switch (dice.nextInt(6)) {
          case 0, 1 -> {
            String name = base + "/" + dice.nextInt(3) + "-" + dice.nextInt(4) + ".csv";
            if (!Files.exists(folder.resolve(name))) {
              StringBuilder text = new StringBuilder();
              for (int i = dice.nextInt(3); i >= 0; i--) {
                all.add(history + " " + step + " " + i + " " + dice.nextInt());
                text.append(all.get(all.size() - 1)).append('\n');
              }
              drop(name, text.toString());
            }
          }
          case 2 -> taking.step();
          case 3 -> taking.account();
          case 4 -> taking.commit();
          default -> {
            if (dice.nextInt(3) == 0) {
              taking.crash();
            }
          }
        }
      }
      taking.drain();
      taking.account();
      assertThat(taking.taken).as("seed %d", seed).containsExactlyInAnyOrderElementsOf(all);
      assertThat(taking.notices).as("seed %d", seed).allMatch(told -> told.startsWith("no file"));
    }
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "complete | soon | it is not when a file is complete",
        "then | burn | it is not what becomes of a file",
        "again | never | 'never' is none of warn, take, skip",
        "aside | 10% | it does not say when a file is set aside, and where it goes",
        "where | depot == 'x' | the paths carry no values"
      })
  void whatIsWrongIsFoundBeforeTheRun(String key, String value, String told) throws IOException {
    drop("in/a.csv", "1\n");
    assertThat(check(settings(key, value))).hasSize(1).first().asString().startsWith(told);
  }

  @Test
  void aPlaceThatWouldBeTakenAgainIsNone() throws IOException {
    drop("in/a.csv", "1\n");
    assertThat(check(settings("then", Map.of("move", "in/taken"))))
        .containsExactly("files in in/taken are files of in/**/*.csv again");
    assertThat(check(settings("then", Map.of("move", "taken")))).isEmpty();
    assertThat(check(settings("then", Map.of("rename", "taken-{name}"))))
        .containsExactly("a file named 'taken-x.csv' is one of in/**/*.csv again");
  }

  private List<String> check(Settings settings) {
    Diagnostics diagnostics = Diagnostics.of("p");
    new DropConnector().check(settings, new FolderSite(folder), KeyPath.ROOT, diagnostics);
    return diagnostics.all().stream().map(Diagnostic::message).toList();
  }
}

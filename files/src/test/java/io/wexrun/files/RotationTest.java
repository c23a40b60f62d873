package io.wexrun.files;

import static org.assertj.core.api.Assertions.assertThat;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.nio.file.StandardOpenOption;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;

/** What operators and programs do to files that are followed, between runs and during one. */
class RotationTest {
  @TempDir private Path folder;

  private Path at(String name) {
    return folder.resolve(name);
  }

  private void append(String name, String text) throws IOException {
    Files.writeString(at(name), text, StandardOpenOption.CREATE, StandardOpenOption.APPEND);
  }

  private void cut(String name, String text) throws IOException {
    Files.writeString(
        at(name), text, StandardOpenOption.CREATE, StandardOpenOption.TRUNCATE_EXISTING);
  }

  private void moveOver(String name, String text) throws IOException {
    Files.writeString(at("new"), text);
    Files.move(at("new"), at(name), StandardCopyOption.REPLACE_EXISTING);
  }

  private void rename(String from, String to) throws IOException {
    Files.move(at(from), at(to), StandardCopyOption.REPLACE_EXISTING);
  }

  /** With the process going on, or another one each time. */
  private static void settle(Taking taking, boolean restarts) {
    if (restarts) {
      taking.once();
    } else {
      taking.drain();
    }
  }

  @ParameterizedTest
  @ValueSource(booleans = {true, false})
  void anotherFileUnderTheNameBeginsAnew(boolean restarts) throws IOException {
    Taking taking = Taking.of(folder, "*.log");
    append("a.log", "old1\nold2\n");
    settle(taking, restarts);
    moveOver("a.log", "new1\nnew2\n");
    settle(taking, restarts);
    moveOver("a.log", "newer1\nnewer2\nnewer3\nnewer4\n");
    settle(taking, restarts);
    cut("a.log", "cut1\ncut2\ncut3\ncut4\ncut5\ncut6\n");
    settle(taking, restarts);
    append("a.log", "cut7\n");
    settle(taking, restarts);
    assertThat(taking.taken)
        .containsExactly(
            "old1", "old2", "new1", "new2", "newer1", "newer2", "newer3", "newer4", "cut1", "cut2",
            "cut3", "cut4", "cut5", "cut6", "cut7");
    assertThat(taking.notices).allMatch(notice -> notice.contains("while nothing ran"));
  }

  @ParameterizedTest
  @ValueSource(booleans = {true, false})
  void aFileThatWasCutAndHasGrownAgainIsAnother(boolean restarts) throws IOException {
    Taking taking = Taking.of(folder, "*.log");
    append("a.log", "one\ntwo\nthree\n");
    settle(taking, restarts);
    cut("a.log", "");
    settle(taking, restarts);
    append("a.log", "four\nfive\nsix\nseven\n");
    settle(taking, restarts);
    assertThat(taking.taken).containsExactly("one", "two", "three", "four", "five", "six", "seven");
    assertThat(taking.notices).allMatch(notice -> notice.contains("while nothing ran"));
  }

  @ParameterizedTest
  @ValueSource(booleans = {true, false})
  void aRenamedFileGoesOn(boolean restarts) throws IOException {
    Taking taking = Taking.of(folder, "*.log");
    append("a.log", "one\n");
    settle(taking, restarts);
    rename("a.log", "b.log");
    append("b.log", "two\n");
    settle(taking, restarts);
    append("a.log", "three\n");
    settle(taking, restarts);
    assertThat(taking.taken).containsExactly("one", "two", "three");
    assertThat(taking.notices).isEmpty();
  }

  @ParameterizedTest
  @ValueSource(booleans = {true, false})
  void theRestOfARotatedFileIsReadUnderItsNewName(boolean restarts) throws IOException {
    Taking taking = Taking.of(folder, "*.log"); // Which does not show a.log.1.
    append("a.log", "one\n");
    settle(taking, restarts);
    append("a.log", "two\n");
    rename("a.log", "a.log.1");
    append("a.log", "three\n");
    settle(taking, restarts);
    append("a.log.1", "late\n");
    rename("a.log.1", "a.log.2");
    rename("a.log", "a.log.1");
    append("a.log", "four\n");
    settle(taking, restarts);
    assertThat(taking.taken).containsExactlyInAnyOrder("one", "two", "three", "late", "four");
    assertThat(taking.notices).isEmpty();
  }

  @ParameterizedTest
  @ValueSource(strings = {"*.log", "*.log*"})
  void copyAndCutIsARotation(String pattern) throws IOException {
    for (boolean restarts : new boolean[] {true, false}) {
      Taking taking = Taking.of(folder, pattern);
      String name = restarts + ".log";
      append(name, "one\n");
      settle(taking, restarts);
      append(name, "two\n");
      Files.copy(at(name), at(name + ".1"));
      cut(name, "");
      append(name, "three\n");
      settle(taking, restarts);
      assertThat(taking.taken).containsExactlyInAnyOrder("one", "two", "three");
      Files.delete(at(name + ".1"));
      Files.copy(at(name), at(name + ".1"));
      settle(taking, restarts); // Between the copy and the cut.
      cut(name, "four\n");
      settle(taking, restarts);
      assertThat(taking.taken).containsExactlyInAnyOrder("one", "two", "three", "four");
      assertThat(taking.notices).isEmpty();
      Files.delete(at(name));
      Files.delete(at(name + ".1"));
    }
  }

  @ParameterizedTest
  @ValueSource(booleans = {true, false})
  void whatCannotBeReadAnyMoreIsToldOnceWithHowMany(boolean restarts) throws IOException {
    Taking taking = Taking.of(folder, "*.log");
    append("a.log", "one\n");
    append("b.log", "two\nunfinished");
    append("c.log", "three\n");
    settle(taking, restarts);
    Files.delete(at("a.log")); // It was read to its end: nothing is lost.
    Files.delete(at("b.log"));
    cut("c.log", "x\n");
    settle(taking, restarts);
    settle(taking, restarts);
    assertThat(
            taking.notices.stream().filter(n -> !n.matches(".*(stand after|while nothing ran).*")))
        .containsExactly(
            "b.log is gone, and 10 bytes of it were not read: they are lost to the pipeline,"
                + " unless the file comes back");
    append("b.log", "two\nunfinished no more\n");
    settle(taking, restarts);
    assertThat(taking.taken).containsExactly("one", "two", "three", "x", "unfinished no more");
  }

  @Test
  void aFileThatWasRestoredOrEditedGoesOn() throws IOException {
    Taking taking = Taking.of(folder, "*.log");
    append("a.log", "one\n");
    taking.once();
    moveOver("a.log", "one\ntwo\n");
    assertThat(taking.once()).containsExactly("two");
    Files.delete(at("a.log"));
    taking.once();
    append("a.log", "one\ntwo\nthree\n");
    assertThat(taking.once()).containsExactly("three");
  }

  @Test
  void aKeptCopyOfAFileIsNotTakenTwiceUntilItGoesItsOwnWay() throws IOException {
    Taking taking = Taking.of(folder, "*");
    append("a.log", "one\n");
    Files.copy(at("a.log"), at("a.log.bak"));
    assertThat(taking.drain()).containsExactly("one");
    append("a.log", "two\n");
    assertThat(taking.drain()).containsExactly("two");
    append("a.log.bak", "other\n");
    assertThat(taking.drain()).containsExactly("one", "other");
  }

  @Test
  void filesThatBeginAlikeAreNotTakenForCopies() throws IOException {
    Taking taking = Taking.of(folder, "*.log");
    append("a.log", "started\n");
    append("b.log", "started\n");
    append("ab.log", "started\n");
    append("a-2.log", "started\n");
    taking.once();
    assertThat(taking.taken).containsExactly("started", "started", "started", "started");
    append("b.log", "b\n");
    append("ab.log", "ab\n");
    assertThat(taking.once()).containsExactlyInAnyOrder("b", "ab");
  }

  @Test
  void linksAreFollowedOnlyIfAsked() throws IOException {
    Files.createDirectories(at("elsewhere"));
    append("elsewhere/x.log", "x\n");
    Files.createDirectories(at("in"));
    Files.createSymbolicLink(at("in/link.log"), at("elsewhere/x.log"));
    Files.createSymbolicLink(at("in/deep"), at("elsewhere"));
    assertThat(Taking.of(folder, "in/**.log").drain()).isEmpty();
    Taking asked = new Taking(folder, FilesIntake.matching("in/*.log").with("links", "follow"));
    assertThat(asked.drain()).containsExactly("x");
    Files.createSymbolicLink(at("in/circle"), at("in"));
    new Taking(folder, FilesIntake.matching("in/**/y.log").with("links", "follow")).drain();
    assertThat(Taking.of(folder, "in/link.log").drain()).as("named by itself").containsExactly("x");
  }

  /** Copies under names that tell no order are not read, but it is said that they are there. */
  @Test
  void whatWasCopiedAndCutTwiceWhileNothingRanIsTold() throws IOException {
    Taking taking = Taking.of(folder, "a.log");
    append("a.log", "one, which is long enough to be known again by its bytes alone, whatever\n");
    assertThat(taking.drain()).hasSize(1);
    append("a.log", "two\n");
    Files.copy(at("a.log"), at("a.log.copy1"));
    cut("a.log", "three\n");
    Files.copy(at("a.log"), at("a.log.copy2"));
    cut("a.log", "four\n");
    taking.restart();
    assertThat(taking.drain()).contains("two", "four").doesNotContain("three");
    assertThat(taking.notices)
        .anyMatch(notice -> notice.startsWith("a.log.copy2 is not read: the pattern does not"));
  }

  @Test
  void whatWasCutWithoutACopyWhileNothingRanIsTold() throws IOException {
    Taking taking = Taking.of(folder, "a.log");
    append("a.log", "one, which is long enough to be known again by its bytes alone, whatever\n");
    assertThat(taking.drain()).hasSize(1);
    cut("a.log", "three\n");
    taking.restart();
    assertThat(taking.drain()).contains("three");
    assertThat(taking.notices)
        .anyMatch(notice -> notice.contains("was cut or replaced while nothing ran"));
  }
}

package io.wexrun.files;

import static org.assertj.core.api.Assertions.assertThat;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.nio.file.attribute.FileTime;
import java.time.Instant;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/** By when lines had been written, which decides the year of times without one. */
class DatingTest {
  private static final Instant DECEMBER = Instant.parse("2025-12-31T22:00:00Z");
  private static final Instant JANUARY = Instant.parse("2026-01-03T08:00:00Z");
  private static final Instant MARCH = Instant.parse("2026-03-05T08:00:00Z");

  @TempDir private Path folder;

  private void append(String text, Instant time) throws IOException {
    Path file = folder.resolve("a.log");
    Files.writeString(file, text, StandardOpenOption.CREATE, StandardOpenOption.APPEND);
    Files.setLastModifiedTime(file, FileTime.from(time));
  }

  @Test
  void linesWereWrittenByTheTimeOfTheFileInWhichTheyWereSeenFirst() throws IOException {
    Taking taking = Taking.of(folder, "*.log");
    append("one\ntwo\n", DECEMBER);
    taking.drain();
    append("three\n", MARCH);
    taking.drain();
    assertThat(taking.written)
        .containsEntry("one", DECEMBER)
        .containsEntry("two", DECEMBER)
        .containsEntry("three", MARCH);
  }

  @Test
  void theStateKeepsIt() throws IOException {
    Taking taking = Taking.of(folder, "*.log");
    append("one\ntwo\nthr", DECEMBER);
    taking.restart();
    append("ee\nfour\n", MARCH);
    taking.killed();
    taking.drain();
    assertThat(taking.taken).containsExactly("one", "two", "three", "four");
    assertThat(taking.written).containsEntry("two", DECEMBER).containsEntry("four", MARCH);
    taking.killed();
    taking.drain();
    assertThat(taking.written).containsEntry("one", DECEMBER).containsEntry("four", MARCH);
  }

  @Test
  void whatFollowsSoonIsNotKeptApart() throws IOException {
    Taking taking = Taking.of(folder, "*.log");
    append("one\n", DECEMBER);
    taking.drain();
    append("two\n", JANUARY);
    taking.drain();
    assertThat(taking.written).containsEntry("one", DECEMBER).containsEntry("two", JANUARY);
    append("three\n", MARCH);
    taking.killed();
    taking.drain();
    assertThat(taking.written).containsEntry("one", DECEMBER).containsEntry("two", MARCH);
  }

  @Test
  void onlyTheLastPartsAreKept() {
    Dating dating = Dating.NONE;
    for (int month = 0; month < 100; month++) {
      Instant time = DECEMBER.plusSeconds(month * 30L * 86_400);
      dating = dating.seen(month * 1000L + 500, FileTime.from(time));
      assertThat(dating.parts()).hasSizeLessThan(13);
      assertThat(Dating.of(dating.toString())).isEqualTo(dating);
    }
  }
}

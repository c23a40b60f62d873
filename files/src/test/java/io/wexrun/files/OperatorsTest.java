package io.wexrun.files;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.contract.Seeds;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.nio.file.StandardOpenOption;
import java.util.ArrayList;
import java.util.List;
import java.util.SplittableRandom;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/**
 * Random acts of programs and operators, while a pipeline runs and between its runs. Lines are all
 * different, so at the end each one was taken once; or it was told that bytes are lost.
 */
class OperatorsTest {
  @TempDir private Path base;

  @Test
  void whateverIsDoneToFilesEachLineIsTakenOnceOrTold() {
    Seeds.each(60, seed -> new History(base.resolve("s" + seed), seed).live());
  }

  /** One history. */
  private static final class History {
    private final Path folder;
    private final SplittableRandom dice;
    private final List<String> acts = new ArrayList<>();
    private final List<String> written = new ArrayList<>();
    private final Taking taking;
    private long lost;
    private int rotations;

    History(Path folder, long seed) throws IOException {
      this.folder = Files.createDirectories(folder);
      this.dice = new SplittableRandom(seed);
      this.taking = Taking.of(folder, dice.nextBoolean() ? "*.log" : "*.log*");
    }

    private Path file(String name) {
      return folder.resolve(name);
    }

    private String name() {
      return List.of("a.log", "b.log", "c.log").get(dice.nextInt(3));
    }

    private String lines() {
      StringBuilder text = new StringBuilder();
      for (int left = dice.nextInt(1, 5); left > 0; left--) {
        String line = "line " + written.size() + " " + "x".repeat(dice.nextInt(100));
        written.add(line);
        text.append(line).append('\n');
      }
      return text.toString();
    }

    private void append(Path file, String text) throws IOException {
      Files.writeString(file, text, StandardOpenOption.CREATE, StandardOpenOption.APPEND);
    }

    void live() throws IOException {
      taking.restart();
      for (int left = 40; left > 0; left--) {
        act();
      }
      taking.once();
      assertThat(taking.taken).as("%s", acts).doesNotHaveDuplicates();
      List<String> missing = new ArrayList<>(written);
      missing.removeAll(taking.taken);
      long bytes = missing.stream().mapToLong(line -> line.length() + 1).sum();
      assertThat(bytes).as("%s lost %s, told %s", acts, missing, taking.notices).isEqualTo(lost);
      long told =
          taking.notices.stream()
              .filter(n -> n.contains("lost"))
              .mapToLong(n -> Long.parseLong(n.replaceFirst(".* and ([0-9,]+) bytes?.*", "$1")))
              .sum();
      assertThat(told).as("%s told %s", acts, taking.notices).isEqualTo(lost);
    }

    private void act() throws IOException {
      String name = name();
      Path file = file(name);
      int what = dice.nextInt(10);
      if (what < 3 || !Files.exists(file)) {
        acts.add("append " + name);
        append(file, lines());
        return;
      }
      switch (what) {
        case 3 -> {
          acts.add("restart");
          taking.restart();
        }
        case 4 -> {
          acts.add("drain");
          taking.drain();
        }
        case 5 -> taking.step();
        case 6 -> {
          taking.look(); // What was never seen under a name that matches is not known.
          acts.add("rotate " + name);
          Files.move(file, file(name + "." + ++rotations));
        }
        case 7 -> {
          taking.look();
          acts.add("copy and cut " + name);
          Files.copy(file, file(name + "." + ++rotations));
          if (dice.nextBoolean()) {
            acts.add("drain between");
            taking.drain();
          }
          Files.writeString(file, dice.nextBoolean() ? "" : lines());
          taking.look();
        }
        case 8 -> replace(file, name);
        default -> remove(file, name);
      }
    }

    private void replace(Path file, String name) throws IOException {
      taking.drain();
      Path other = file("other");
      boolean same = dice.nextBoolean();
      acts.add((same ? "restore " : "replace ") + name);
      Files.writeString(other, (same ? Files.readString(file) : "") + lines());
      Files.move(other, file, StandardCopyOption.REPLACE_EXISTING);
      taking.look();
    }

    /** Sometimes before it was read to its end, but not before anybody could know of it. */
    private void remove(Path file, String name) throws IOException {
      acts.add("remove " + name);
      taking.drain();
      if (dice.nextInt(3) == 0) {
        String last = lines();
        append(file, last);
        taking.look();
        lost += last.length();
      }
      Files.delete(file);
      taking.restart();
    }
  }
}

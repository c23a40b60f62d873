package io.wexrun.files;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.contract.Seeds;
import io.wexrun.core.pipeline.Settings;
import java.io.IOException;
import java.io.OutputStream;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.nio.file.StandardOpenOption;
import java.nio.file.attribute.FileTime;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.SplittableRandom;
import java.util.stream.Stream;
import java.util.zip.GZIPOutputStream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/**
 * Files that are written, rotated in all ways, compressed and touched at random, while who follows
 * them ends and begins again: each line that was written is taken once.
 */
class TortureTest {
  @TempDir private Path base;

  /** The programs and operators of one folder. */
  private static final class World {
    private final Path folder;
    private final SplittableRandom dice;
    private final String pattern;
    private final Taking taking;
    private final List<String> written = new ArrayList<>();
    private final List<String> done = new ArrayList<>();
    private final boolean dated;
    private final boolean events;
    private int day = 1;
    private String open = "";

    World(Path folder, SplittableRandom dice) throws IOException {
      this.folder = Files.createDirectories(folder);
      this.dice = dice;
      String[] patterns = {"*.log", "*.log*", "*"};
      this.pattern = patterns[dice.nextInt(patterns.length)];
      this.dated = dice.nextBoolean();
      this.events = dice.nextBoolean();
      Settings settings = FilesIntake.matching(pattern);
      this.taking =
          new Taking(
              folder, events ? settings.with("framing", Map.of("begins", "line ")) : settings);
      lines();
      this.taking.restart(); // What nobody has ever seen under its name, nobody can know later.
    }

    private Path at(String name) {
      return folder.resolve(name);
    }

    /** The file that is written to. */
    private String current() {
      return dated ? dated(day) : "a.log";
    }

    private static String dated(int day) {
      return "a-2026-%02d-%02d.log".formatted(1 + day / 28, 1 + day % 28);
    }

    private void write(String text) throws IOException {
      Files.writeString(at(current()), text, StandardOpenOption.CREATE, StandardOpenOption.APPEND);
    }

    void step() throws IOException {
      int what = dice.nextInt(13);
      done.add(Integer.toString(what));
      switch (what) {
        case 0, 1, 2 -> lines();
        case 3 -> rename();
        case 4 -> copyAndCut();
        case 5 -> compress();
        case 6 -> touch();
        case 7 -> taking.restart();
        case 8 -> taking.commit();
        case 9 -> taking.crash();
        default -> taking.step();
      }
    }

    private void lines() throws IOException {
      for (int left = 1 + dice.nextInt(30); left > 0; left--) {
        String line = "line " + written.size() + " " + "x".repeat(dice.nextInt(90));
        line += events && dice.nextInt(3) == 0 ? "\n  at some place\n  at another one" : "";
        String rest = line.substring(Math.min(open.length(), line.length()));
        written.add(open.isEmpty() ? line : open + rest);
        write(rest + "\n");
        open = "";
      }
      if (dice.nextInt(4) == 0) {
        open = "line " + written.size() + (events && dice.nextBoolean() ? "\n  at" : " half");
        write(open);
      }
    }

    /** The line that is open goes with its file: it gets its end there. */
    private void endOpenLine() throws IOException {
      if (!open.isEmpty()) {
        written.add(open);
        write("\n");
        open = "";
      }
    }

    private void shift() throws IOException {
      endOpenLine();
      for (int n = 20; n > 0; n--) {
        for (String ending : List.of("", ".gz")) {
          if (Files.exists(at("a.log." + n + ending))) {
            Files.move(at("a.log." + n + ending), at("a.log." + (n + 1) + ending));
          }
        }
      }
    }

    private void rename() throws IOException {
      if (dated) {
        endOpenLine();
        day++;
      } else if (Files.exists(at("a.log"))) {
        shift();
        Files.move(at("a.log"), at("a.log.1"), StandardCopyOption.REPLACE_EXISTING);
      }
    }

    /** Nothing is written between the copy and the cut; somebody may look. */
    private void copyAndCut() throws IOException {
      if (!dated && Files.exists(at("a.log"))) {
        shift();
        Files.copy(at("a.log"), at("a.log.1"));
        if (dice.nextBoolean()) {
          taking.step();
        }
        Files.writeString(at("a.log"), "", StandardOpenOption.TRUNCATE_EXISTING);
        if (dice.nextBoolean()) {
          taking.step();
        }
      }
    }

    private void compress() throws IOException {
      if (dated && pattern.equals("*.log")) {
        taking.look(); // Else it would never have been seen under a name that the pattern shows.
      }
      for (int n = dated ? day - 1 : 20; n > 0; n--) {
        String name = dated ? dated(n) : "a.log." + n;
        Path plain = at(name);
        if (Files.exists(plain)) {
          Path packed = at(name + ".gz");
          try (OutputStream out = new GZIPOutputStream(Files.newOutputStream(packed))) {
            Files.copy(plain, out);
          }
          if (dice.nextBoolean()) {
            byte[] whole = Files.readAllBytes(packed);
            Files.write(packed, Arrays.copyOf(whole, dice.nextInt(whole.length)));
            taking.step();
            Files.write(packed, whole);
            taking.step();
          }
          Files.delete(plain);
          return;
        }
      }
    }

    private void touch() throws IOException {
      try (Stream<Path> files = Files.list(folder)) {
        List<Path> all = files.sorted().toList();
        if (!all.isEmpty()) {
          Path file = all.get(dice.nextInt(all.size()));
          Files.setLastModifiedTime(file, FileTime.fromMillis(1_700_000_000_000L + dice.nextInt()));
        }
      }
    }

    void end() throws IOException {
      endOpenLine();
      taking.with("last-line", "take"); // Nothing follows any more: nothing need be waited for.
      taking.once();
      taking.once();
      List<String> missing = new ArrayList<>(written);
      List<String> extra = new ArrayList<>(taking.taken);
      taking.taken.forEach(missing::remove);
      written.forEach(extra::remove);
      assertThat(List.of(missing, extra))
          .as(
              "missing and more, with %s, dated %s, events %s, after %s",
              pattern, dated, events, done)
          .isEqualTo(List.of(List.of(), List.of()));
    }
  }

  @Test
  void whatWasWrittenIsTakenOnceWhateverHappensToItsFile() {
    Seeds.each(
        200,
        seed -> {
          World world = new World(base.resolve("" + seed), new SplittableRandom(seed));
          for (int i = 0; i < 40; i++) {
            world.step();
          }
          world.end();
        });
  }
}

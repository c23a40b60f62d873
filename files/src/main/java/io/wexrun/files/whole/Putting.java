package io.wexrun.files.whole;

import io.wexrun.core.diagnose.Counted;
import io.wexrun.files.content.Patterns;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.Optional;

/** Puts files where they belong: those that were taken, and those that are not taken at all. */
final class Putting {
  private final Patterns patterns;
  private final Dropping dropping;
  private final WholeNotes notes;

  Putting(Patterns patterns, Dropping dropping, WholeNotes notes) {
    this.patterns = patterns;
    this.dropping = dropping;
    this.notes = notes;
  }

  /**
   * Does with a file what is to be done afterwards, and with its marker.
   *
   * @return where it is now; empty if it cannot be done, which is told
   */
  Optional<Path> afterwards(Path path) {
    boolean away = dropping.then().takesAway();
    try {
      if (away && !Files.exists(path)) {
        return Optional.of(path);
      }
      Path now = dropping.then().apply(path, patterns);
      Optional<Path> marker = dropping.complete().markerOf(path);
      if (marker.isPresent() && away) {
        Files.deleteIfExists(marker.get());
      }
      return Optional.of(now);
    } catch (IOException e) {
      notes.tell(
          "then " + path,
          patterns.name(path)
              + " is taken, but cannot be "
              + switch (dropping.then().what()) {
                case LEAVE -> "left";
                case DELETE -> "deleted";
                case MOVE -> "moved to " + dropping.then().to();
                case RENAME -> "renamed";
              }
              + ": "
              + e.getClass().getSimpleName().replace("Exception", "")
              + " "
              + e.getMessage()
              + "; it is tried again");
      return Optional.empty();
    }
  }

  /** Moves a file away of which too many records would die. */
  void aside(Path path, Dropping.Aside aside, long dead, long records) {
    String what =
        patterns.name(path)
            + " is set aside: "
            + Counted.number(dead)
            + " of its "
            + Counted.of(records, "record")
            + " would die; nothing of it is taken, ";
    try {
      Path folder = patterns.workspace().resolve(aside.folder());
      Path now = Afterwards.move(path, Afterwards.placeIn(folder, path, patterns));
      notes.say(what + "and it is " + patterns.name(now) + " now");
    } catch (IOException e) {
      notes.tell("aside " + path, what + "but it cannot be moved: " + e.getMessage());
    }
  }
}

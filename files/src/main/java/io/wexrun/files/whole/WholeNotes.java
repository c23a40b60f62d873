package io.wexrun.files.whole;

import io.wexrun.core.diagnose.Counted;
import java.util.HashSet;
import java.util.Set;
import java.util.function.Consumer;

/** Tells what a user should know of files that are taken whole, each thing once. */
final class WholeNotes {
  private final Consumer<String> notices;
  private final boolean rows;
  private final Set<String> told = new HashSet<>();

  /**
   * Notes of one intake.
   *
   * @param rows whether the files hold rows, not bytes of text
   */
  WholeNotes(Consumer<String> notices, boolean rows) {
    this.notices = notices;
    this.rows = rows;
  }

  /** Tells something, whether it was told before or not. */
  void say(String notice) {
    notices.accept(notice);
  }

  /** Tells something, unless something of the same was told before. */
  void tell(String about, String notice) {
    if (told.add(about)) {
      notices.accept(notice);
    }
  }

  /** The rest of a file cannot be taken any more. */
  void lost(WholeFile file, String what) {
    file.lose();
    tell(
        "gone " + file.source(),
        file.source()
            + what
            + ": what stood behind "
            + (rows ? "row " : "byte ")
            + Counted.number(file.place())
            + " is lost to the pipeline, unless it comes back");
  }

  /** What was found while a file was read, if anything was. */
  void damage(WholeFile file) {
    cut(file, file.lost());
    if (!file.broken().isEmpty()) {
      tell(
          "broken " + file.source() + file.broken(),
          file.source()
              + (rows ? " cannot be read behind row " : " cannot be unpacked behind byte ")
              + Counted.number(file.place())
              + (rows ? " (" : " of what is in it (")
              + file.broken()
              + "): what was before it is taken, the rest when the file is whole");
    }
  }

  /** A file is shorter than it was when it was complete, if the number of bytes is positive. */
  void cut(WholeFile file, long lost) {
    if (lost > 0 && file.broken().isEmpty()) {
      tell(
          "cut " + file.source(),
          file.source()
              + " was cut before all of it was taken: "
              + Counted.of(lost, "byte")
              + " that it had when it was complete "
              + (lost == 1 ? "is" : "are")
              + " lost");
    }
  }
}

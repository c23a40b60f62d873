package io.wexrun.files.whole;

import io.wexrun.files.content.Pattern;
import io.wexrun.files.content.Patterns;
import java.io.IOException;
import java.nio.file.FileAlreadyExistsException;
import java.nio.file.Files;
import java.nio.file.NoSuchFileException;
import java.nio.file.Path;

/**
 * What becomes of a file of which every record is accounted for.
 *
 * @param what one of the words
 * @param to the folder it is moved to, from the workspace, or the name that it gets
 */
record Afterwards(What what, String to) {
  static final Afterwards LEAVE = new Afterwards(What.LEAVE, "");

  private static final int MOST_NAMES = 10_000;

  enum What {
    LEAVE,
    DELETE,
    MOVE,
    RENAME
  }

  /** Whether the file goes away from where it was. */
  boolean takesAway() {
    return what != What.LEAVE;
  }

  /**
   * Does it; does nothing to a file that is not there.
   *
   * @return where the file is afterwards; what it was if it is nowhere
   * @throws IOException if it cannot be done; then nothing has happened
   */
  Path apply(Path file, Patterns patterns) throws IOException {
    return switch (what) {
      case LEAVE -> file;
      case DELETE -> {
        Files.deleteIfExists(file);
        yield file;
      }
      case MOVE -> move(file, placeIn(patterns.workspace().resolve(to), file, patterns));
      case RENAME -> move(file, file.resolveSibling(Completeness.named(to, file)));
    };
  }

  /** The place of a file in a folder: as deep as it stood below the folder of its pattern. */
  static Path placeIn(Path folder, Path file, Patterns patterns) {
    for (Pattern pattern : patterns.wanted()) {
      if (!pattern.plain() && file.startsWith(pattern.folder())) {
        return folder.resolve(pattern.folder().relativize(file));
      }
    }
    return folder.resolve(file.getFileName());
  }

  /** Moves a file; if there is one of that name already, to the next name that is free. */
  static Path move(Path file, Path to) throws IOException {
    Files.createDirectories(to.getParent());
    String name = to.getFileName().toString();
    int dot = name.lastIndexOf('.') > 0 ? name.lastIndexOf('.') : name.length();
    for (int next = 1; next < MOST_NAMES; next++) {
      String number = next == 1 ? "" : "-" + next;
      Path free = to.resolveSibling(name.substring(0, dot) + number + name.substring(dot));
      try {
        if (!Files.exists(free)) {
          Files.move(file, free);
          return free;
        }
      } catch (FileAlreadyExistsException e) {
        continue; // Somebody else was quicker.
      } catch (NoSuchFileException e) {
        if (!Files.exists(file)) {
          return file; // It was moved before, or by somebody else.
        }
        throw e;
      }
    }
    throw new IOException("too many files are named like " + to);
  }
}

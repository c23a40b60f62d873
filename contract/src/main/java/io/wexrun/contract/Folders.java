package io.wexrun.contract;

import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.Comparator;
import java.util.stream.Stream;

/** Folders of tests. */
public final class Folders {
  private Folders() {}

  /**
   * Removes a folder with everything in it.
   *
   * @throws UncheckedIOException if it is not there, or cannot be removed
   */
  public static void remove(Path folder) {
    try (Stream<Path> files = Files.walk(folder)) {
      for (Path file : files.sorted(Comparator.reverseOrder()).toList()) {
        Files.delete(file);
      }
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }
}

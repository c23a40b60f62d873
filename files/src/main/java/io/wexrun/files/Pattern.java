package io.wexrun.files;

import io.wexrun.core.diagnose.OutsideException;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.file.FileSystems;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.PathMatcher;
import java.util.List;
import java.util.stream.Stream;

/**
 * A file name with {@code *}, {@code ?}, {@code **}, {@code [..]} or {@code {a,b}}, as in {@link
 * java.nio.file.FileSystem#getPathMatcher glob patterns}.
 */
final class Pattern {
  private final Path folder;
  private final String glob;
  private final boolean plain;

  /** A pattern that starts from a workspace's folder, or anywhere if it is absolute. */
  Pattern(Path workspace, String text) {
    int special = first(text);
    plain = special < 0;
    int cut = plain ? text.length() : text.lastIndexOf('/', special);
    folder = workspace.resolve(cut < 0 ? "" : text.substring(0, Math.max(cut, cut == 0 ? 1 : 0)));
    glob = plain ? "" : text.substring(cut + 1);
  }

  private static int first(String text) {
    for (int i = 0; i < text.length(); i++) {
      if ("*?[{".indexOf(text.charAt(i)) >= 0) {
        return i;
      }
    }
    return -1;
  }

  /** The folder that is searched; for a plain name, the file itself. */
  Path folder() {
    return folder;
  }

  boolean plain() {
    return plain;
  }

  /** The files that match now, sorted by name. */
  List<Path> matches() {
    if (plain) {
      return Files.isRegularFile(folder) ? List.of(folder) : List.of();
    }
    if (!Files.isDirectory(folder)) {
      return List.of();
    }
    PathMatcher matcher = FileSystems.getDefault().getPathMatcher("glob:" + glob);
    int depth =
        glob.contains("**")
            ? Integer.MAX_VALUE
            : (int) glob.chars().filter(c -> c == '/').count() + 1;
    try (Stream<Path> files = Files.walk(folder, depth)) {
      return files
          .filter(f -> matcher.matches(folder.relativize(f)) && Files.isRegularFile(f))
          .sorted()
          .toList();
    } catch (IOException | UncheckedIOException e) {
      throw new OutsideException("cannot look into " + folder + ": " + e.getMessage(), e);
    }
  }
}

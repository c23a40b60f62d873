package io.wexrun.files.content;

import java.nio.file.FileSystems;
import java.nio.file.Path;
import java.nio.file.PathMatcher;
import java.util.List;

/**
 * What is done with compressed files.
 *
 * @param unpack whether they are unpacked
 * @param members patterns of the files of an archive that are wanted, without a slash for their
 *     names, with one for their paths in it; all but hidden ones if there are none
 */
public record Unpacking(boolean unpack, List<String> members) {
  public static final Unpacking NONE = new Unpacking(false, List.of());
  public static final Unpacking ALL = new Unpacking(true, List.of());

  /** Whether a file of an archive is wanted. */
  public boolean wants(String member) {
    Path path = Path.of(member.replaceFirst("^(\\./|/)+", ""));
    if (members.isEmpty()) {
      return !hidden(path);
    }
    for (String pattern : members) {
      PathMatcher matcher = FileSystems.getDefault().getPathMatcher("glob:" + pattern);
      if (matcher.matches(pattern.contains("/") ? path : path.getFileName())) {
        return true;
      }
    }
    return false;
  }

  /** Names that begin with a dot, and the folder in which macOS keeps what is beside a file. */
  private static boolean hidden(Path path) {
    for (Path name : path) {
      if (name.toString().startsWith(".") || name.toString().equals("__MACOSX")) {
        return true;
      }
    }
    return false;
  }
}

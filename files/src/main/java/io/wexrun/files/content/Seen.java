package io.wexrun.files.content;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.LinkOption;
import java.nio.file.Path;
import java.nio.file.attribute.BasicFileAttributes;
import java.nio.file.attribute.FileTime;
import java.util.Map;
import java.util.Optional;

/**
 * A file as it was there when looked.
 *
 * @param key its device and number; {@code none} where files have none
 * @param size in bytes
 * @param modified when it was changed last, as its file system says
 */
public record Seen(Path path, String key, long size, FileTime modified) {
  public static final String NO_KEY = "none";

  /**
   * Looks at a file, or at what a link leads to; empty if it is not a file, or is gone by now.
   *
   * @throws IOException if it cannot be looked at
   */
  public static Optional<Seen> at(Path path) throws IOException {
    if (!Files.exists(path)) {
      return Optional.empty();
    }
    if (!path.getFileSystem().supportedFileAttributeViews().contains("unix")) {
      BasicFileAttributes found = Files.readAttributes(path, BasicFileAttributes.class);
      return found.isRegularFile()
          ? Optional.of(new Seen(path, NO_KEY, found.size(), found.lastModifiedTime()))
          : Optional.empty();
    }
    try {
      Map<String, Object> found =
          Files.readAttributes(path, "unix:dev,ino,size,lastModifiedTime,isRegularFile");
      return (boolean) found.get("isRegularFile")
          ? Optional.of(
              new Seen(
                  path,
                  found.get("dev") + "/" + found.get("ino"),
                  (long) found.get("size"),
                  (FileTime) found.get("lastModifiedTime")))
          : Optional.empty();
    } catch (java.nio.file.NoSuchFileException e) {
      return Optional.empty();
    }
  }

  /** Whether it is a link to something, not a file itself. */
  public static boolean isLink(Path path) {
    return Files.isSymbolicLink(path) && Files.exists(path, LinkOption.NOFOLLOW_LINKS);
  }

  public boolean hasKey() {
    return !key.equals(NO_KEY);
  }
}

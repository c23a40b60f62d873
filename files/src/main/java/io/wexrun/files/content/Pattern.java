package io.wexrun.files.content;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.path.PathFields;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.file.AccessDeniedException;
import java.nio.file.FileSystems;
import java.nio.file.FileVisitOption;
import java.nio.file.FileVisitResult;
import java.nio.file.Files;
import java.nio.file.LinkOption;
import java.nio.file.NoSuchFileException;
import java.nio.file.Path;
import java.nio.file.PathMatcher;
import java.nio.file.SimpleFileVisitor;
import java.nio.file.attribute.BasicFileAttributes;
import java.util.ArrayList;
import java.util.Collection;
import java.util.EnumSet;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import java.util.regex.PatternSyntaxException;

/**
 * A file name with {@code *}, {@code ?}, {@code **}, {@code [..]} or {@code {a,b}}, as in {@link
 * java.nio.file.FileSystem#getPathMatcher glob patterns}. Where {@code **} stands for folders, it
 * may also stand for none. Where {@link PathFields} have a value, there is any text. Names that
 * begin with a dot match only where the pattern has the dot, too. Symbolic links are followed only
 * if asked; the pattern's own folder, and a name without a pattern, may be links.
 */
public final class Pattern {
  private final String text;
  private final Path folder;
  private final String glob;
  private final boolean plain;
  private final boolean links;
  private final List<PathMatcher> matchers = new ArrayList<>();

  /** A pattern that starts from a workspace's folder, or anywhere if it is absolute. */
  public Pattern(Path workspace, String text, boolean links) {
    this.text = text;
    int special = first(text);
    plain = special < 0;
    int cut = plain ? text.length() : text.lastIndexOf('/', special);
    folder = workspace.resolve(cut < 0 ? "" : text.substring(0, Math.max(cut, cut == 0 ? 1 : 0)));
    glob = plain ? "" : PathFields.glob(text.substring(cut + 1));
    this.links = links;
    if (!plain) {
      spelled(glob).forEach(each -> matcher(each).ifPresent(matchers::add));
    }
  }

  /** What tells whether a path is of a glob pattern; empty if it is none. */
  static Optional<PathMatcher> matcher(String glob) {
    try {
      return Optional.of(FileSystems.getDefault().getPathMatcher("glob:" + glob));
    } catch (PatternSyntaxException e) {
      return Optional.empty();
    }
  }

  /** Whether it is a pattern; one that is none matches nothing. */
  boolean valid() {
    return plain || !matchers.isEmpty();
  }

  /** As it was written. */
  @Override
  public String toString() {
    return text;
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
  public Path folder() {
    return folder;
  }

  public boolean plain() {
    return plain;
  }

  /** Whether some file right in a folder could match. */
  public boolean matchesIn(Path place) {
    String last = glob.substring(glob.lastIndexOf('/') + 1).replaceAll("[*?\\[\\]{},]", "x");
    Path inside = folder.normalize().relativize(place.normalize()).resolve(last);
    return matchers.stream().anyMatch(each -> each.matches(inside));
  }

  /** Whether a file of a name could match. */
  public boolean matchesName(String name) {
    String last = glob.substring(glob.lastIndexOf('/') + 1).replace("**", "*");
    return !plain && matcher(last).filter(each -> each.matches(Path.of(name))).isPresent();
  }

  /** Whether a file of this path could match. */
  public boolean matches(Path file) {
    if (plain) {
      return file.equals(folder);
    }
    if (!file.startsWith(folder)) {
      return false;
    }
    Path inside = folder.relativize(file);
    return !hiddenUnasked(inside) && matchers.stream().anyMatch(m -> m.matches(inside));
  }

  /** The files that match now, sorted by name. */
  public List<Path> matches() {
    return matches(new ArrayList<>(), new ArrayList<>());
  }

  /**
   * The files that match now, sorted by name.
   *
   * @param looked takes the folders that were looked into
   * @param denied takes those that must not be looked into
   */
  List<Path> matches(Collection<Path> looked, Collection<Path> denied) {
    if (plain) {
      looked.add(folder.toAbsolutePath().getParent());
      return Files.isRegularFile(folder) ? List.of(folder) : List.of();
    }
    if (!Files.isDirectory(folder)) {
      return List.of();
    }
    Found found = new Found();
    Set<FileVisitOption> options =
        links ? EnumSet.of(FileVisitOption.FOLLOW_LINKS) : EnumSet.noneOf(FileVisitOption.class);
    int depth =
        glob.contains("**")
            ? Integer.MAX_VALUE
            : (int) glob.chars().filter(c -> c == '/').count() + 1;
    try {
      // The folder itself may be a link: what it leads to is searched.
      Files.walkFileTree(links ? folder : folder.toRealPath(), options, depth, found);
    } catch (IOException | UncheckedIOException e) {
      throw new OutsideException("cannot look into " + folder + ": " + e.getMessage(), e);
    }
    looked.addAll(found.folders);
    denied.addAll(found.denied);
    found.files.sort(null);
    return found.files;
  }

  /** Collects what matches; names it from the folder as it was written, not from its real path. */
  private final class Found extends SimpleFileVisitor<Path> {
    final List<Path> files = new ArrayList<>();
    final List<Path> folders = new ArrayList<>();
    final List<Path> denied = new ArrayList<>();
    private Path root;

    @Override
    public FileVisitResult preVisitDirectory(Path directory, BasicFileAttributes attributes) {
      root = root == null ? directory : root;
      if (!directory.equals(root) && hiddenUnasked(root.relativize(directory))) {
        return FileVisitResult.SKIP_SUBTREE;
      }
      folders.add(directory.equals(root) ? folder : folder.resolve(root.relativize(directory)));
      return FileVisitResult.CONTINUE;
    }

    @Override
    public FileVisitResult visitFile(Path file, BasicFileAttributes attributes) {
      Path inside = root.relativize(file);
      if (attributes.isRegularFile()
          && !hiddenUnasked(inside)
          && matchers.stream().anyMatch(m -> m.matches(inside))) {
        files.add(folder.resolve(inside));
      }
      return FileVisitResult.CONTINUE;
    }

    @Override
    public FileVisitResult visitFileFailed(Path file, IOException e) throws IOException {
      if (e instanceof NoSuchFileException || !Files.exists(file, LinkOption.NOFOLLOW_LINKS)) {
        return FileVisitResult.CONTINUE; // It went away meanwhile; another may have its name.
      }
      if (Files.isSymbolicLink(file)) {
        return FileVisitResult.CONTINUE; // It leads nowhere, or in a circle.
      }
      if (e instanceof AccessDeniedException) {
        denied.add(file);
        return FileVisitResult.CONTINUE;
      }
      throw e;
    }
  }

  /** The pattern, and what it also is where each folder {@code **} stands for no folder. */
  private static List<String> spelled(String glob) {
    List<String> all = new ArrayList<>(List.of(glob));
    for (int i = 0; i < all.size() && all.size() < 32; i++) {
      String each = all.get(i);
      for (int at = each.indexOf("**/"); at >= 0; at = each.indexOf("**/", at + 1)) {
        boolean whole = at == 0 || each.charAt(at - 1) == '/';
        String without = each.substring(0, at) + each.substring(at + 3);
        if (whole && !all.contains(without)) {
          all.add(without);
        }
      }
    }
    return all;
  }

  /** Whether some name on the way begins with a dot that the pattern does not have. */
  private boolean hiddenUnasked(Path inside) {
    for (Path name : inside) {
      if (name.toString().startsWith(".") && !namesADot()) {
        return true;
      }
    }
    return false;
  }

  private boolean namesADot() {
    return glob.startsWith(".")
        || glob.contains("/.")
        || glob.contains("{.")
        || glob.contains(",.");
  }
}

package io.wexrun.files;

import io.wexrun.files.content.Content;
import io.wexrun.files.content.Seen;
import io.wexrun.files.content.Unpacking;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.FileTime;
import java.util.ArrayList;
import java.util.Collection;
import java.util.Collections;
import java.util.Comparator;
import java.util.HashMap;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import java.util.stream.Stream;

/**
 * Tells which of the files that are there are those that are known, whatever their names are now.
 *
 * <ol>
 *   <li>A file with the same device and number is the same one, if what was read of it still stands
 *       in it: it may have been renamed. It is also looked for among the other files of its folder,
 *       which the pattern does not show.
 *   <li>Otherwise, a file under the same name is the same one if what was read stands in it: it was
 *       restored or copied over from elsewhere.
 *   <li>Otherwise, a file of the same folder is, if what was read stands in it: it is a copy that
 *       was made before the file was cut.
 * </ol>
 *
 * <p>A copy of a file that is still whole, with a name made of its name, is not a file of its own:
 * the file is going to be cut next, or somebody keeps a copy. Made for one look, while programs may
 * write, move and cut the files: what is found out of one file need not hold any more when the next
 * one is looked at.
 */
final class Recognition {
  /** So much must have been read of a file to know it again by its bytes alone. */
  private static final long ENOUGH = 64;

  private static final String SEPARATORS = "._-~";
  private static final FileTime NEVER = FileTime.fromMillis(0);

  /** What a date in the name of a rotated file looks like: six digits at least. */
  private static final Pattern DATED = Pattern.compile("[._-](?:[._-]?[0-9]){6,}");

  private final Unpacking unpacking;
  private final Set<List<Seen>> copies;
  private final Map<Path, Seen> free = new LinkedHashMap<>();
  private final Map<FollowedFile, Seen> recognized = new LinkedHashMap<>();
  private final Set<Path> taken = new HashSet<>();
  private final Map<Seen, Path> missed = new LinkedHashMap<>();
  private final Map<Path, Seen> missedAt = new HashMap<>();

  /** The known files by where they were recognized. */
  private final Map<Path, FollowedFile> files = new HashMap<>();

  private final List<FollowedFile> missing = new ArrayList<>();
  private final Map<Path, Map<Path, Seen>> folders = new HashMap<>();

  /**
   * Looks.
   *
   * @param matched the files that the pattern shows
   * @param known those that are known
   * @param unpacking whether compressed files are taken for what is in them
   * @param copies compressed copies that were found before, with what they are copies of; takes
   *     more
   * @throws IOException if a file cannot be read
   */
  Recognition(
      List<Seen> matched,
      Collection<FollowedFile> known,
      Unpacking unpacking,
      Set<List<Seen>> copies)
      throws IOException {
    this.unpacking = unpacking;
    this.copies = copies;
    matched.forEach(seen -> free.put(seen.path(), seen));
    // Those that are there come before those that were gone, the latest first: a file that was cut
    // keeps its number, and what it holds now is its own.
    List<FollowedFile> latestFirst = new ArrayList<>(known);
    Collections.reverse(latestFirst);
    latestFirst.sort(Comparator.comparing(FollowedFile::gone));
    List<FollowedFile> left = byName(bySameNumber(latestFirst));
    for (FollowedFile file : left) {
      Optional<Seen> copy = file.gone() ? Optional.empty() : copyOf(file);
      if (copy.isPresent()) {
        recognize(file, copy.get());
      } else {
        missing.add(file);
      }
    }
    removeCopies();
    findMissed(matched, known);
  }

  /**
   * Files that had a name of the pattern and were rotated before anybody looked: a known file has
   * become an older generation than theirs.
   */
  private void findMissed(List<Seen> matched, Collection<FollowedFile> known) throws IOException {
    Set<Path> shown = new HashSet<>();
    matched.forEach(seen -> shown.add(seen.path()));
    for (Map.Entry<FollowedFile, Seen> each : Map.copyOf(recognized).entrySet()) {
      Path original = each.getKey().foundAs();
      Optional<Generation> older = Generation.of(each.getValue().path(), original);
      if (older.isEmpty() || shown.contains(each.getValue().path())) {
        continue;
      }
      for (Seen seen : beside(each.getKey()).values()) {
        boolean unknown =
            !taken.contains(seen.path()) && !shown.contains(seen.path()) && seen.size() > 0;
        Optional<Generation> its = Generation.of(seen.path(), original);
        if (unknown
            && its.isPresent()
            && its.get().after(older.get())
            && !isOneOf(known, seen)
            && !isCopy(seen)) {
          missed.put(seen, original);
          missedAt.put(seen.path(), seen);
        }
      }
    }
  }

  private void recognize(FollowedFile file, Seen seen) {
    recognized.put(file, seen);
    files.put(seen.path(), file);
    taken.add(seen.path());
    free.remove(seen.path());
  }

  private List<FollowedFile> bySameNumber(Collection<FollowedFile> known) throws IOException {
    Map<String, Seen> byKey = new HashMap<>();
    free.values().stream().filter(Seen::hasKey).forEach(seen -> byKey.put(seen.key(), seen));
    List<FollowedFile> left = new ArrayList<>();
    for (FollowedFile file : known) {
      Seen same = byKey.get(file.key());
      if (same == null && !file.gone() && !file.key().equals(Seen.NO_KEY)) {
        same =
            beside(file).values().stream()
                .filter(seen -> seen.key().equals(file.key()))
                .findFirst()
                .orElse(null);
      }
      if (same != null && !taken.contains(same.path()) && file.isIn(same)) {
        recognize(file, same);
      } else {
        left.add(file);
      }
    }
    return left;
  }

  private List<FollowedFile> byName(List<FollowedFile> known) throws IOException {
    List<FollowedFile> left = new ArrayList<>();
    for (FollowedFile file : known) {
      Seen same = free.get(file.path());
      if (same != null && file.isIn(same)) {
        recognize(file, same);
      } else {
        left.add(file);
      }
    }
    return left;
  }

  private Optional<Seen> copyOf(FollowedFile file) throws IOException {
    List<Seen> candidates = new ArrayList<>(free.values());
    beside(file).values().stream()
        .filter(seen -> !taken.contains(seen.path()) && !free.containsKey(seen.path()))
        .forEach(candidates::add);
    for (Seen seen : candidates) {
      Path family = Generation.family(seen.path());
      boolean named =
          isNamedAfter(seen.path(), file.path())
              || family.equals(Generation.family(file.path()))
              || family.equals(Generation.family(file.foundAs()));
      boolean enough = named || file.read() >= ENOUGH;
      if (enough && !seen.path().equals(file.path()) && file.isIn(seen)) {
        return Optional.of(seen);
      }
    }
    return Optional.empty();
  }

  /** All files in the folder where a file was last; looked at once. */
  private Map<Path, Seen> beside(FollowedFile file) throws IOException {
    Path folder = file.path().getParent();
    Map<Path, Seen> known = folders.get(folder);
    if (known == null) {
      known = new LinkedHashMap<>();
      if (Files.isDirectory(folder)) {
        try (Stream<Path> entries = Files.list(folder)) {
          for (Path entry : entries.sorted().toList()) {
            if (!Files.isSymbolicLink(entry) && Files.isReadable(entry)) {
              Optional<Seen> seen = Seen.at(entry);
              if (seen.isPresent()) {
                known.put(entry, seen.get());
              }
            }
          }
        }
      }
      folders.put(folder, known);
    }
    return known;
  }

  /** What is left of the free ones are files of their own, but for empty ones and copies. */
  private void removeCopies() throws IOException {
    for (Seen seen : List.copyOf(free.values())) {
      if (seen.size() == 0) {
        free.remove(seen.path()); // It may be the begin of a copy; who knows what it becomes.
        continue;
      }
      if (isCopy(seen)) {
        free.remove(seen.path());
      }
    }
  }

  /**
   * Whether it is a known file that was renamed while it was looked for; the next look finds it.
   */
  private static boolean isOneOf(Collection<FollowedFile> known, Seen seen) throws IOException {
    for (FollowedFile file : known) {
      if (seen.hasKey() && file.key().equals(seen.key()) && file.isIn(seen)) {
        return true;
      }
    }
    return false;
  }

  private boolean isCopy(Seen seen) throws IOException {
    for (Path name : originals(seen.path())) {
      FollowedFile file = files.get(name);
      Seen known = file == null ? null : recognized.get(file);
      if (known != null && isCopyOf(seen, known)
          || missedAt.containsKey(name) && isCopyOf(seen, missedAt.get(name))
          || free.containsKey(name) && isCopyOf(seen, free.get(name))
          || file != null && file.isIn(seen)) {
        // The last is one that holds what was read of a file that may have been cut since it was
        // recognized. The next look tells.
        return true;
      }
    }
    return false;
  }

  private boolean isCopyOf(Seen seen, Seen original) throws IOException {
    // A compressed one is unpacked only once for this: what it begins like stays what it is.
    List<Seen> pair = List.of(seen, new Seen(original.path(), original.key(), 0, NEVER));
    if (copies.contains(pair)) {
      return true;
    }
    if (!FileMark.isBeginOf(seen.path(), original.path(), unpacking)) {
      return false;
    }
    if (Content.isPacked(seen.path(), unpacking)) {
      copies.add(pair);
    }
    return true;
  }

  /** The names of the same folder of which a name may be made, whether there are such files. */
  private static Set<Path> originals(Path name) {
    String it = name.getFileName().toString();
    Set<Path> originals = new LinkedHashSet<>();
    for (int at = 1; at < it.length(); at++) {
      if (SEPARATORS.indexOf(it.charAt(at)) >= 0) {
        originals.add(name.resolveSibling(it.substring(0, at)));
        Matcher dated = DATED.matcher(it).region(at, it.length());
        for (int end = it.lastIndexOf('.'); end > at; end = it.lastIndexOf('.', end - 1)) {
          if (dated.region(at, end).matches()) {
            originals.add(name.resolveSibling(it.substring(0, at) + it.substring(end)));
          }
        }
      }
    }
    originals.removeIf(original -> !isNamedAfter(name, original));
    return originals;
  }

  /**
   * Whether a name is made of another one of the same folder: {@code a.log.1}, {@code
   * a.log-20261125} or {@code a-20261125.log} of {@code a.log}.
   */
  static boolean isNamedAfter(Path name, Path original) {
    String it = name.getFileName().toString();
    String of = original.getFileName().toString();
    if (it.equals(of) || !name.resolveSibling(of).equals(original)) {
      return false;
    }
    if (it.startsWith(of)) {
      return SEPARATORS.indexOf(it.charAt(of.length())) >= 0;
    }
    int dot = of.lastIndexOf('.');
    return dot > 0
        && it.startsWith(of.substring(0, dot))
        && it.endsWith(of.substring(dot))
        && DATED.matcher(it.substring(dot, it.length() - of.length() + dot)).matches();
  }

  /**
   * Files that nobody reads, and that may hold what a known file had before it was cut: one of the
   * copies that were made of it was found, and these are later ones, under names that tell no
   * order.
   *
   * @return with the known file that each is named after
   * @throws IOException if a file cannot be read
   */
  Map<Seen, FollowedFile> unread(List<Seen> matched) throws IOException {
    Set<Path> shown = new HashSet<>();
    matched.forEach(seen -> shown.add(seen.path()));
    Map<Seen, FollowedFile> unread = new LinkedHashMap<>();
    for (Map.Entry<FollowedFile, Seen> each : recognized.entrySet()) {
      Path original = each.getKey().foundAs();
      if (each.getValue().path().equals(original)) {
        continue;
      }
      for (Seen seen : beside(each.getKey()).values()) {
        boolean later = seen.modified().compareTo(each.getValue().modified()) >= 0;
        boolean unknown =
            !taken.contains(seen.path())
                && !shown.contains(seen.path())
                && !missedAt.containsKey(seen.path());
        if (later
            && unknown
            && seen.size() > 0
            && isNamedAfter(seen.path(), original)
            && !isCopy(seen)) {
          unread.put(seen, each.getKey());
        }
      }
    }
    return unread;
  }

  /** Where the known files are that are there. */
  Map<FollowedFile, Seen> recognized() {
    return recognized;
  }

  /** The known files that are not there. */
  List<FollowedFile> missing() {
    return missing;
  }

  /** Files that are new and were rotated already, with the names that they had before. */
  Map<Seen, Path> missed() {
    return missed;
  }

  /** The files that are new. */
  Collection<Seen> fresh() {
    return free.values();
  }
}

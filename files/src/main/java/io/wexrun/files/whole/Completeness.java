package io.wexrun.files.whole;

import io.wexrun.files.content.Seen;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.util.HashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;

/**
 * Tells whether a file is complete. For one thread.
 *
 * <p>One that is complete when it is quiet has not been changed for a time, as far as was seen, or
 * by the file's own time. That a clock was set back does not matter, then: a time in the future is
 * no reason to wait for it.
 */
final class Completeness {
  private static final List<String> TEMPORARY =
      List.of("~", ".tmp", ".temp", ".part", ".partial", ".filepart", ".swp", ".lock");

  /** A busy machine may be late. */
  private static final Duration LEEWAY = Duration.ofSeconds(1);

  private final Rule rule;
  private final Map<Path, Young> young = new HashMap<>();

  /**
   * When files are complete.
   *
   * @param quiet unchanged for so long; empty if as soon as they have their name
   * @param marker the name of a file that stands beside one that is complete, with {@code {name}}
   *     and {@code {stem}} for that one's; empty if there is none
   */
  record Rule(Optional<Duration> quiet, Optional<String> marker) {
    static final Rule NAMED = new Rule(Optional.empty(), Optional.empty());

    /** The marker of a file, if there is to be one. */
    Optional<Path> markerOf(Path file) {
      return marker.map(name -> file.resolveSibling(named(name, file)));
    }
  }

  private record Young(Seen seen, long since, long first) {}

  Completeness(Rule rule) {
    this.rule = rule;
  }

  /** A name made of that of a file: {@code {name}} is all of it, {@code {stem}} without ending. */
  static String named(String pattern, Path file) {
    String name = file.getFileName().toString();
    int dot = name.lastIndexOf('.');
    return pattern
        .replace("{name}", name)
        .replace("{stem}", dot > 0 ? name.substring(0, dot) : name);
  }

  /** Whether a name is one under which a file is written before it gets its own. */
  static boolean temporary(Path file) {
    String name = file.getFileName().toString().toLowerCase(Locale.ROOT);
    return name.startsWith("~$") || TEMPORARY.stream().anyMatch(name::endsWith);
  }

  /** Whether a file, as it is seen now, is complete. */
  boolean complete(Seen seen) throws IOException {
    if (rule.marker().isPresent()) {
      return Files.exists(rule.markerOf(seen.path()).orElseThrow());
    }
    if (rule.quiet().isEmpty()) {
      return true;
    }
    long now = System.nanoTime();
    Young before = young.get(seen.path());
    if (before == null || !before.seen().equals(seen)) {
      long first = before == null ? now : before.first();
      young.put(seen.path(), new Young(seen, now, first));
      long age = System.currentTimeMillis() - seen.modified().toMillis();
      boolean old = before == null && age >= rule.quiet().get().toMillis();
      return old && forget(seen);
    }
    return now - before.since() >= rule.quiet().get().toNanos() && forget(seen);
  }

  private boolean forget(Seen seen) {
    young.remove(seen.path());
    return true;
  }

  /** Whether a file is going to be complete soon, unless it is still being written. */
  boolean soon(Path file) {
    Young waits = young.get(file);
    if (waits == null) {
      return false;
    }
    Duration quiet = rule.quiet().orElseThrow();
    return System.nanoTime() - waits.first() < quiet.plus(quiet).plus(LEEWAY).toNanos();
  }

  /** Why a file is not complete yet. */
  String why(Path file) {
    return rule.markerOf(file)
        .map(marker -> "there is no " + marker.getFileName() + " beside it")
        .orElseGet(
            () ->
                "it was changed less than "
                    + rule.quiet().orElseThrow().toMillis() / 1000.0
                    + " seconds ago");
  }
}

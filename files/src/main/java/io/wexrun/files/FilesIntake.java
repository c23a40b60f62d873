package io.wexrun.files;

import io.wexrun.core.diagnose.Counted;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Intake;
import io.wexrun.core.intake.KnownSource;
import io.wexrun.core.intake.Source;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.Settings;
import java.io.IOException;
import java.nio.file.NoSuchFileException;
import java.nio.file.Path;
import java.time.Duration;
import java.util.ArrayList;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalLong;
import java.util.Set;
import java.util.function.Consumer;
import java.util.stream.Collectors;

/**
 * Follows the files that match a pattern as they grow; new ones are found by looking again. Every
 * file is a source partition of its own, whatever its name becomes; the position of a line is the
 * place of its first byte. A source partition has the path that its file had when it was found; the
 * next file of the same name is {@code PATH#2}, the one after that {@code PATH#3}.
 */
public final class FilesIntake implements Intake {
  private static final long SOON_NANOS = Duration.ofMillis(20).toNanos();

  /** How often in a row files may be moved while they are looked at. */
  private static final int MOST_TRIES = 20;

  private final Path workspace;
  private final Patterns patterns;
  private final String written;
  private final Reading reading;
  private final Consumer<String> notices;
  private final Map<SourcePartition, FollowedFile> files = new LinkedHashMap<>();
  private final Set<FollowedFile> goneBefore = new LinkedHashSet<>();
  private final List<FollowedFile> assigned = new ArrayList<>();
  private final Set<List<Seen>> copies = new HashSet<>();
  private final Set<String> told = new LinkedHashSet<>();
  private long lookedAt;
  private long lookTook;
  private int turn;
  private boolean atEnd;
  private boolean lookedAtEnd;
  private boolean toldEnd;

  FilesIntake(
      Path workspace,
      Patterns patterns,
      Reading reading,
      List<KnownSource> known,
      Consumer<String> notices) {
    this.workspace = workspace.toAbsolutePath().normalize();
    this.patterns = patterns;
    this.written =
        patterns.wanted().stream().map(Pattern::toString).collect(Collectors.joining(", "));
    this.reading = reading;
    this.notices = notices;
    known.forEach(this::know);
  }

  /** Settings of an intake that follows the files matching a pattern, one record for each line. */
  public static Settings matching(String pattern) {
    return Settings.of("files", pattern);
  }

  private void know(KnownSource source) {
    Path path = workspace.resolve(source.partition().name().replaceFirst("#\\d+$", ""));
    FileMark mark = source.identity().flatMap(FileMark::of).orElse(null);
    FollowedFile file = new FollowedFile(path, path, source.partition(), reading, mark);
    file.known(source.position());
    if (file.gone()) {
      goneBefore.add(file);
    }
    files.put(source.partition(), file);
  }

  /**
   * Finds out which files are there: those that are known, wherever they are by now, and new ones.
   * A file with a header begins behind it, once that is whole; an empty file is not found yet.
   */
  @Override
  public List<Source> look() {
    if (lookIsDue()) {
      long begun = System.nanoTime();
      try {
        recognizeAll();
      } catch (IOException e) {
        throw new OutsideException("cannot look at " + written + ": " + e.getMessage(), e);
      }
      lookedAt = System.nanoTime();
      lookTook = lookedAt - begun;
    }
    List<Source> sources = new ArrayList<>();
    for (FollowedFile file : files.values()) {
      if (goneBefore.contains(file)) {
        continue;
      }
      try {
        OptionalLong start = file.start();
        if (start.isPresent()) {
          sources.add(new Source(file.source(), file.identity(), start.getAsLong()));
          file.said();
        }
      } catch (IOException e) {
        throw cannotRead(file, e);
      }
    }
    return sources;
  }

  /** Looking at very many files takes its time, and must not take all of it. */
  private boolean lookIsDue() {
    long since = System.nanoTime() - lookedAt;
    return lookTook < SOON_NANOS
        || since > 5 * lookTook
        || files.values().stream().anyMatch(FollowedFile::doubtful);
  }

  /** The next look is made however long the one before took. */
  void lookSoon() {
    lookTook = 0;
  }

  private void recognizeAll() throws IOException {
    for (int left = MOST_TRIES; ; left--) {
      try {
        recognize();
        return;
      } catch (NoSuchFileException e) {
        if (left == 0) {
          throw e;
        }
        // One was moved or removed between two looks at it: it is elsewhere by now.
      }
    }
  }

  private void recognize() throws IOException {
    // Files about which there was doubt were not read: they may have more.
    atEnd &= files.values().stream().noneMatch(FollowedFile::doubtful);
    List<Seen> matched = new ArrayList<>();
    for (Path path : patterns.matches()) {
      Seen.at(path).ifPresent(matched::add);
    }
    Recognition recognition = new Recognition(matched, files.values(), reading.text(), copies);
    for (Map.Entry<FollowedFile, Seen> each : recognition.recognized().entrySet()) {
      each.getKey().is(each.getValue());
      goneBefore.remove(each.getKey());
    }
    for (FollowedFile file : recognition.missing()) {
      if (!file.gone() && !file.open() && file.suspect()) {
        lose(file, matched);
      }
    }
    for (Seen seen : recognition.fresh()) {
      Optional<Packed> packed = reading.text() ? Packed.how(seen.path()) : Optional.empty();
      if (packed.isPresent() && !packed.get().read()) {
        tell(
            "packed " + seen.path(),
            seen.path() + " is passed over: it is compressed (" + packed.get() + "); unpack it");
        continue;
      }
      find(seen, seen.path());
    }
    for (Map.Entry<Seen, Path> each : recognition.missed().entrySet()) {
      find(each.getKey(), each.getValue());
    }
    if (matched.isEmpty() && files.isEmpty()) {
      tell("", "no file matches " + written);
    }
  }

  private void find(Seen seen, Path as) throws IOException {
    SourcePartition source = nameFor(as);
    FollowedFile file = new FollowedFile(seen.path(), as, source, reading, null);
    file.is(seen);
    files.put(source, file);
  }

  private void lose(FollowedFile file, List<Seen> matched) throws IOException {
    boolean replaced = matched.stream().anyMatch(seen -> seen.path().equals(file.path()));
    long lost = file.lose();
    if (lost > 0) {
      told.remove(file.source().name());
      tell(
          file.source().name(),
          file.source()
              + (replaced ? " was cut or replaced, and " : " is gone, and ")
              + Counted.of(lost, "byte")
              + " of it "
              + (lost == 1 ? "was" : "were")
              + " not read: they are lost to the pipeline, unless the file comes back");
    }
  }

  private void tell(String about, String notice) {
    if (told.add(about)) {
      notices.accept(notice);
    }
  }

  /** The path from the workspace if the file is in it, else the whole path; with slashes. */
  private SourcePartition nameFor(Path path) {
    Path whole = path.toAbsolutePath().normalize();
    Path shown = whole.startsWith(workspace) ? workspace.relativize(whole) : whole;
    String name = shown.toString().replace('\\', '/');
    SourcePartition source = new SourcePartition(name);
    for (int next = 2; files.containsKey(source); next++) {
      source = new SourcePartition(name + "#" + next);
    }
    return source;
  }

  @Override
  public void assign(SourcePartition partition, long position) {
    FollowedFile file = files.get(partition);
    file.goTo(position);
    if (!assigned.contains(file)) {
      assigned.add(file);
    }
    atEnd = false;
  }

  @Override
  public void revoke(SourcePartition partition) {
    FollowedFile file = files.get(partition);
    if (assigned.remove(file)) {
      file.close();
    }
  }

  @Override
  public Optional<Block> poll(Duration wait) {
    Optional<Block> block = pass();
    if (block.isEmpty() && atEnd) {
      pause(wait);
      block = pass();
    }
    atEnd = block.isEmpty();
    return block;
  }

  /** The next block of some file; a file goes on until its end before the next one's turn. */
  private Optional<Block> pass() {
    for (int left = assigned.size(); left > 0; left--) {
      turn = turn % assigned.size();
      FollowedFile file = assigned.get(turn);
      try {
        Optional<Block> block = file.next();
        if (block.isPresent()) {
          return block;
        }
        if (!file.broken().isEmpty()) {
          tell(
              "broken " + file.source() + " " + file.broken(),
              file.source()
                  + " cannot be unpacked behind byte "
                  + Counted.number(file.read())
                  + " of what is in it ("
                  + file.broken()
                  + "): what was before it is taken, the rest when the file is whole");
        }
        turn++;
      } catch (IOException e) {
        throw cannotRead(file, e);
      }
    }
    return Optional.empty();
  }

  private static OutsideException cannotRead(FollowedFile file, IOException e) {
    return new OutsideException("cannot read " + file.source() + ": " + e.getMessage(), e);
  }

  private static void pause(Duration wait) {
    try {
      Thread.sleep(Math.max(1, Math.min(50, wait.toMillis())));
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    }
  }

  @Override
  public void accounted(Map<SourcePartition, Long> positions) {
    positions.forEach(
        (source, position) ->
            Optional.ofNullable(files.get(source)).ifPresent(file -> file.accounted(position)));
  }

  @Override
  public boolean drained() {
    if (!atEnd || assigned.stream().anyMatch(file -> file.doubtful() || file.waits())) {
      return false;
    }
    lookedAtEnd = !lookedAtEnd;
    if (lookedAtEnd) {
      lookSoon(); // Once, lest a run never end beside a busy writer.
      return false;
    }
    if (!toldEnd) {
      toldEnd = true;
      for (FollowedFile file : files.values()) {
        if (file.unfinished() > 0) {
          notices.accept(
              file.source()
                  + ": "
                  + Counted.of(file.unfinished(), "byte")
                  + (file.unfinished() == 1 ? " stands" : " stand")
                  + (reading.text()
                      ? " after the last line end; taken when the line ends (or now, with"
                          + " last-line: take)"
                      : " after the last whole record; taken when the rest of it is there"));
        }
      }
    }
    return true;
  }

  @Override
  public void close() {
    files.values().forEach(FollowedFile::close);
  }
}

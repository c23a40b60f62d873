package io.wexrun.files;

import io.wexrun.core.diagnose.Counted;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.intake.Backlog;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Intake;
import io.wexrun.core.intake.KnownSource;
import io.wexrun.core.intake.Source;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.files.content.Content;
import io.wexrun.files.content.Pace;
import io.wexrun.files.content.Patterns;
import io.wexrun.files.content.Reading;
import io.wexrun.files.content.Seen;
import java.io.IOException;
import java.nio.file.AccessDeniedException;
import java.nio.file.NoSuchFileException;
import java.nio.file.Path;
import java.time.Duration;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.function.Consumer;

/**
 * Follows the files that match a pattern as they grow; new ones are found by looking again. Every
 * file is a source partition of its own, whatever its name becomes; the position of a line is the
 * place of its first byte. A source partition has the path that its file had when it was found; the
 * next file of the same name is {@code PATH#2}, the one after that {@code PATH#3}.
 */
public final class FilesIntake implements Intake {
  /** How often in a row files may be moved while they are looked at. */
  private static final int MOST_TRIES = 20;

  private final Path workspace;
  private final Patterns patterns;
  private final String written;
  private final Reading reading;
  private final Consumer<String> notices;
  private final Map<SourcePartition, FollowedFile> files = new LinkedHashMap<>();
  private final Set<FollowedFile> goneBefore = new LinkedHashSet<>();
  private final Set<FollowedFile> assigned = new LinkedHashSet<>();

  /** Those that may have something to read; the first one has its turn. */
  private final Set<FollowedFile> active = new LinkedHashSet<>();

  /** Where those that are there were when it was looked last. */
  private final Map<Path, FollowedFile> byPath = new HashMap<>();

  private final Set<List<Seen>> copies = new HashSet<>();
  private final Set<String> told = new LinkedHashSet<>();
  private final Pace pace;

  /** What was said last, and where in it each file stands. */
  private List<Source> sources = List.of();

  private final Map<FollowedFile, Integer> places = new HashMap<>();

  /** Files that may have changed since then. */
  private final Set<FollowedFile> touched = new HashSet<>();

  /** The latest files of each name that were known when it began, and were not seen since. */
  private final Map<Path, FollowedFile> before = new HashMap<>();

  private boolean sourcesAreOld = true;

  /** Whether about some file there is doubt. */
  private boolean doubt;

  private boolean atEnd;
  private long handedOut;
  private boolean lookedAtEnd;
  private boolean toldEnd;

  FilesIntake(
      Patterns patterns, Reading reading, List<KnownSource> known, Consumer<String> notices) {
    this.workspace = patterns.workspace();
    this.patterns = patterns;
    this.written = patterns.written(", ");
    this.reading = reading;
    this.notices = notices;
    this.pace = new Pace(notice -> tell("events", notice));
    known.forEach(this::know);
  }

  /** The how manieth file of its name it is. */
  private static int number(FollowedFile file) {
    String name = file.source().name();
    int mark = name.lastIndexOf('#');
    return mark > 0 && name.substring(mark + 1).matches("\\d{1,9}")
        ? Integer.parseInt(name.substring(mark + 1))
        : 1;
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
    before.merge(path, file, (one, other) -> number(one) > number(other) ? one : other);
    files.put(source.partition(), file);
  }

  /**
   * Finds out which files are there: those that are known, wherever they are by now, and new ones.
   * An empty file is not found yet.
   */
  @Override
  public List<Source> look() {
    try {
      for (Path path : pace.written(path -> byPath.containsKey(path) || patterns.matches(path))) {
        written(path);
      }
      if (lookIsDue()) {
        long begun = System.nanoTime();
        recognizeAll();
        pace.looked(begun);
      }
    } catch (IOException e) {
      throw new OutsideException("cannot look at " + written + ": " + e.getMessage(), e);
    }
    touched.addAll(active);
    if (sourcesAreOld) {
      listAll();
    } else if (!touched.isEmpty()) {
      List<Source> now = new ArrayList<>(sources);
      touched.forEach(file -> now.set(places.get(file), file.now()));
      sources = now;
    }
    touched.forEach(FollowedFile::said);
    touched.clear();
    return sources;
  }

  private void listAll() {
    sourcesAreOld = false;
    List<Source> now = new ArrayList<>();
    places.clear();
    for (FollowedFile file : files.values()) {
      if (!goneBefore.contains(file)) {
        places.put(file, now.size());
        now.add(file.now());
        file.said();
      }
    }
    sources = now;
  }

  /** A file was written to: if it only grew, no other one need be looked at. */
  private void written(Path path) throws IOException {
    FollowedFile file = byPath.get(path);
    if (file == null || file.gone() || file.doubtful()) {
      pace.unclear();
      return;
    }
    try {
      Optional<Seen> now = Seen.at(path);
      boolean grew =
          now.isPresent()
              && now.get().key().equals(file.key())
              && now.get().size() >= file.read()
              && file.isIn(now.get());
      if (!grew) {
        pace.unclear();
      } else if (file.is(now.get())) {
        activate(file);
      }
    } catch (NoSuchFileException e) {
      pace.unclear();
    } catch (AccessDeniedException e) {
      deny(path);
    }
  }

  private void activate(FollowedFile file) {
    touched.add(file);
    if (assigned.contains(file)) {
      active.add(file);
      atEnd = false;
    }
  }

  private boolean lookIsDue() {
    return pace.due() || doubt;
  }

  /** The next look is made however long the one before took. */
  void lookSoon() {
    pace.soon();
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
    atEnd &= !doubt; // Files about which there was doubt were not read: they may have more.
    sourcesAreOld = true;
    List<Path> folders = new ArrayList<>();
    List<Path> paths = patterns.matches(folders, this::deny);
    pace.begin(folders); // What happens while it is looked is seen by the next look.
    List<Seen> matched = new ArrayList<>();
    for (Path path : paths) {
      Seen.at(path).ifPresent(matched::add);
    }
    Recognition recognition = new Recognition(matched, files.values(), reading.unpacking(), copies);
    for (Map.Entry<FollowedFile, Seen> each : recognition.recognized().entrySet()) {
      if (each.getKey().is(each.getValue())) {
        activate(each.getKey());
      }
      goneBefore.remove(each.getKey());
      before.values().remove(each.getKey());
    }
    for (FollowedFile file : recognition.missing()) {
      if (!file.gone() && !file.open() && file.suspect()) {
        lose(file, matched);
      }
    }
    for (Seen seen : recognition.fresh()) {
      find(seen, seen.path());
    }
    for (Map.Entry<Seen, Path> each : recognition.missed().entrySet()) {
      find(each.getKey(), each.getValue());
    }
    recognition
        .unread(matched)
        .forEach(
            (seen, of) ->
                tell(
                    "unread " + seen.path(),
                    patterns.name(seen.path())
                        + " is not read: the pattern does not cover its name. It seems to hold what "
                        + patterns.name(of.foundAs())
                        + " had before it was cut a second time; if so, name it in the pattern"));
    if (matched.isEmpty() && files.isEmpty()) {
      tell("", "no file matches " + written);
    }
    doubt = files.values().stream().anyMatch(FollowedFile::doubtful);
    byPath.clear();
    for (FollowedFile file : files.values()) {
      if (!file.gone()) {
        byPath.put(file.path(), file);
      }
    }
  }

  private void deny(Path path) {
    tell("denied " + path, patterns.denial(path));
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
    if (replaced) {
      tellIfBroken(file, file.read() + lost);
    }
    if (lost == 0 && replaced && before.containsValue(file) && file.read() > 0) {
      tell(
          "cut " + file.source(),
          file.source()
              + " was cut or replaced while nothing ran, and no file beside it holds what was read up"
              + " to byte "
              + Counted.number(file.read())
              + ": what was written behind that, if anything was, is missed");
    }
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

  /**
   * Says of a compressed file that less can be unpacked than is known of it: it may be the same.
   */
  private void tellIfBroken(FollowedFile file, long known) throws IOException {
    try (Content content = Content.open(file.path(), reading.unpacking())) {
      long size = content.size(Math.max(0, known - 1));
      if (content.packed() && size < known) {
        content
            .broken()
            .ifPresent(why -> tell("broken " + file.source(), unreadable(file, size, why)));
      }
    } catch (NoSuchFileException e) {
      // It went away meanwhile, which the next look finds.
    }
  }

  private static String unreadable(FollowedFile file, long from, String why) {
    return file.source()
        + " cannot be unpacked behind byte "
        + Counted.number(from)
        + " of what is in it ("
        + why
        + "): what was before it is taken, the rest when the file is whole";
  }

  private void tell(String about, String notice) {
    if (told.add(about)) {
      notices.accept(notice);
    }
  }

  private SourcePartition nameFor(Path path) {
    String name = patterns.name(path);
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
    doubt |= file.doubtful();
    assigned.add(file);
    activate(file);
  }

  @Override
  public void revoke(SourcePartition partition) {
    FollowedFile file = files.get(partition);
    active.remove(file);
    if (assigned.remove(file)) {
      file.close();
    }
  }

  @Override
  public boolean listen(Runnable come) {
    pace.listen(come);
    return true;
  }

  @Override
  public Duration patience() {
    return pace.patience();
  }

  @Override
  public Optional<Block> poll(Duration wait) {
    Optional<Block> block = pass();
    if (block.isEmpty() && atEnd) {
      pace.rest(wait);
      block = pass();
    }
    atEnd = block.isEmpty();
    handedOut += block.map(Block::length).orElse(0);
    return block;
  }

  @Override
  public Optional<Backlog> backlog() {
    long left = active.stream().mapToLong(FollowedFile::left).sum();
    return Optional.of(new Backlog(handedOut, left, Backlog.Unit.BYTES));
  }

  /** The next block of some file; a file goes on until its end before the next one's turn. */
  private Optional<Block> pass() {
    for (FollowedFile file : List.copyOf(active)) {
      try {
        Optional<Block> block = file.next();
        touched.add(file);
        doubt |= file.doubtful();
        if (block.isPresent()) {
          return block;
        }
        if (!file.broken().isEmpty()) {
          tell(
              "broken " + file.source() + " " + file.broken(),
              unreadable(file, file.read(), file.broken()));
        }
        active.remove(file);
        if (file.open() || file.waits()) {
          active.add(file); // Behind the others.
        }
      } catch (AccessDeniedException e) {
        deny(file.path());
        active.remove(file); // A look finds that it has more.
      } catch (IOException e) {
        throw cannotRead(file, e);
      }
    }
    return Optional.empty();
  }

  private static OutsideException cannotRead(FollowedFile file, IOException e) {
    return new OutsideException("cannot read " + file.source() + ": " + e.getMessage(), e);
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
    pace.close();
  }
}

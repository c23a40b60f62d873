package io.wexrun.files.whole;

import io.wexrun.core.connect.IntakeOpening;
import io.wexrun.core.connect.PlannedSource;
import io.wexrun.core.connect.RowsReader;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.intake.Backlog;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Intake;
import io.wexrun.core.intake.KnownSource;
import io.wexrun.core.intake.Source;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.path.PathFields;
import io.wexrun.files.content.Pace;
import io.wexrun.files.content.Patterns;
import io.wexrun.files.content.Reading;
import io.wexrun.files.content.Seen;
import java.io.IOException;
import java.nio.file.AccessDeniedException;
import java.nio.file.Files;
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
import java.util.function.ToLongFunction;

/**
 * Takes whole files, each once, in the order of their names, when they are complete. Every file is
 * a source partition; the next one of the same name is {@code PATH#2}, and one that is taken again
 * because somebody asked for it {@code PATH#LABEL}. At most one is open.
 */
final class WholeFiles implements Intake {
  private final Patterns patterns;
  private final Reading reading;
  private final Optional<RowsReader> rows;
  private final Dropping dropping;
  private final Completeness completeness;
  private final Optional<String> label;
  private final ToLongFunction<Block> deaths;
  private final WholeNotes notes;
  private final Putting putting;
  private final Map<SourcePartition, WholeFile> files = new LinkedHashMap<>();

  /** The last one that was taken under a path; those that are taken again beside. */
  private final Map<Path, WholeFile> byPath = new HashMap<>();

  private final Map<String, WholeFile> byKey = new HashMap<>();
  private final List<WholeFile> assigned = new ArrayList<>();
  private final Set<Path> waiting = new LinkedHashSet<>();
  private final Map<Path, Seen> passedOver = new HashMap<>();
  private final Pace pace;
  private final Set<WholeFile> begun = new HashSet<>();
  private boolean lookedAtEnd;
  private boolean toldEnd;

  WholeFiles(
      IntakeOpening opening,
      Patterns patterns,
      Reading reading,
      Optional<RowsReader> rows,
      Dropping dropping) {
    this.rows = rows;
    this.patterns = patterns;
    this.reading = reading;
    this.dropping = dropping;
    this.completeness = new Completeness(dropping.complete());
    this.label = opening.choice().again();
    this.deaths = opening.deaths();
    this.notes = new WholeNotes(opening.notices(), rows.isPresent());
    this.putting = new Putting(patterns, dropping, notes);
    this.pace = new Pace(notice -> notes.tell("events", notice));
    opening.known().forEach(this::know);
  }

  private void know(KnownSource known) {
    String name = known.partition().name();
    Path path = patterns.workspace().resolve(PathFields.file(name));
    WholeMark mark = known.identity().flatMap(WholeMark::of).orElse(null);
    WholeFile file = new WholeFile(known.partition(), path, reading, rows, mark, known.position());
    add(file);
  }

  private void add(WholeFile file) {
    files.put(file.source(), file);
    if (label.isEmpty() || file.source().name().endsWith("#" + label.get())) {
      byPath.put(file.path(), file);
      if (file.mark() != null) {
        byKey.put(file.mark().key(), file);
      }
    }
  }

  @Override
  public List<Source> look() {
    if (!pace.written(patterns::matches).isEmpty() || !waiting.isEmpty()) {
      pace.unclear();
    }
    if (pace.due()) {
      long begun = System.nanoTime();
      waiting.clear();
      List<Path> folders = new ArrayList<>();
      List<Path> paths =
          patterns.matches(folders, path -> notes.tell("denied " + path, patterns.denial(path)));
      pace.begin(folders);
      paths.forEach(this::lookAt);
      pace.looked(begun);
    }
    List<Source> sources = new ArrayList<>();
    for (WholeFile file : files.values()) {
      if (file.finished() && !file.done()) {
        finish(file);
      }
      if (wanted(file)) {
        sources.add(new Source(file.source(), file.identity(), 0));
        file.said();
      }
    }
    return sources;
  }

  private void lookAt(Path path) {
    try {
      Optional<Seen> seen = Seen.at(path);
      if (seen.isPresent()) {
        look(seen.get());
      }
    } catch (NoSuchFileException e) {
      waiting.remove(path); // It was moved meanwhile; the next look finds it elsewhere.
    } catch (IOException e) {
      throw new OutsideException("cannot read " + path + ": " + e.getMessage(), e);
    }
  }

  /** Files of before that are gone, or are not of the choice, are not taken from. */
  private boolean wanted(WholeFile file) {
    String name = PathFields.file(file.source().name());
    if (!patterns.where().test(name) || file.mark() == null) {
      return false;
    }
    boolean more = !file.read() && file.broken().isEmpty() && !file.gone();
    if (more && !file.open() && !file.finished() && !Files.exists(file.path())) {
      notes.lost(file, " is gone before all of it was taken");
    }
    return !file.gone() || assigned.contains(file);
  }

  private void look(Seen seen) throws IOException {
    Path path = seen.path();
    if (passedOver(path)) {
      return;
    }
    WholeFile file = byPath.get(path);
    if (file != null && file.mark() == null) {
      file.is(seen, WholeMark.of(seen, reading.unpacking(), dropping.digest()));
      byKey.put(seen.key(), file);
      return;
    }
    if (file != null && file.mark().sameAs(seen)) {
      file.sameAsBefore();
      return;
    }
    if (seen.equals(passedOver.get(path))) {
      return;
    }
    WholeFile renamed = byKey.get(seen.key());
    if (renamed != null && renamed.mark().sameAs(seen) && !renamed.done()) {
      if (!Files.exists(renamed.path())) {
        renamed.is(seen, renamed.mark());
        byPath.put(path, renamed);
        return;
      }
    }
    if (file != null && !file.read() && !file.open() && !file.gone()) {
      if (!completeness.complete(seen)) {
        waiting.add(path);
      } else if (file.place() == 0 && file.mark().key().equals(seen.key())
          || file.mark().beginsLike(seen, reading.unpacking())) {
        // It was broken and is whole now, or was changed before its rest was taken.
        notes.cut(file, file.mark().size() - Math.max(seen.size(), file.place()));
        file.is(seen, WholeMark.of(seen, reading.unpacking(), dropping.digest()));
        byKey.put(seen.key(), file);
      } else {
        notes.lost(file, " was replaced by another file before all of it was taken");
        admit(seen, file);
      }
      return;
    }
    if (file != null && file.mark().key().equals(seen.key()) && !isAnother(file, seen)) {
      return;
    }
    if (file == null && packedSince(seen)) {
      passedOver.put(path, seen);
      return;
    }
    if (!completeness.complete(seen)) {
      waiting.add(path);
      return;
    }
    admit(seen, file);
  }

  /** What would become of the files that are there, none of which is opened. */
  List<PlannedSource> plan() {
    List<PlannedSource> planned = new ArrayList<>();
    for (Path path : patterns.matches()) {
      try {
        Optional<Seen> seen = Seen.at(path);
        if (seen.isPresent() && !passedOver(path)) {
          planned.add(plan(seen.get()));
        }
      } catch (IOException e) {
        throw new OutsideException("cannot look at " + path + ": " + e.getMessage(), e);
      }
    }
    return planned;
  }

  private PlannedSource plan(Seen seen) throws IOException {
    WholeFile file = byPath.get(seen.path());
    PlannedSource.Plan plan;
    if (file != null && file.mark() != null && file.mark().sameAs(seen)) {
      plan = file.read() ? PlannedSource.Plan.TAKEN : PlannedSource.Plan.GO_ON;
    } else {
      boolean complete = completeness.complete(seen);
      plan = complete ? PlannedSource.Plan.TAKE : PlannedSource.Plan.WAITS;
    }
    return new PlannedSource(patterns.name(seen.path()), seen.size(), plan);
  }

  private boolean passedOver(Path path) {
    return dropping.temporary() && (Completeness.temporary(path) || isMarker(path));
  }

  private boolean isMarker(Path path) {
    return dropping
        .complete()
        .marker()
        .filter(
            marker -> {
              String name = path.getFileName().toString();
              int at = marker.indexOf('{');
              int end = marker.lastIndexOf('}');
              return at >= 0
                  && name.length() > at + marker.length() - end - 1
                  && name.startsWith(marker.substring(0, at))
                  && name.endsWith(marker.substring(end + 1));
            })
        .isPresent();
  }

  /**
   * Whether a file that has the number of one that was taken is looked at as another one. That is
   * gone, perhaps, and left its number; or it was changed in place.
   */
  private boolean isAnother(WholeFile file, Seen seen) throws IOException {
    boolean wentAway = file.finished() && dropping.then().takesAway();
    if (file.gone() || wentAway && !file.mark().beginsLike(seen, reading.unpacking())) {
      return true;
    }
    if (!file.read()) {
      return false; // It is read up to where it was when it was complete.
    }
    if (!dropping.changed() && !file.cut()) { // That was told.
      notes.tell(
          "changed " + seen,
          file.source()
              + " was changed after it was taken, and the change is not taken: drop it under"
              + " another name, or say 'changed: take'");
    }
    return dropping.changed();
  }

  /** Whether it is a file that was taken before it was compressed. */
  private boolean packedSince(Seen seen) throws IOException {
    String name = seen.path().getFileName().toString();
    int dot = name.lastIndexOf('.');
    WholeFile before =
        dot > 0 ? byPath.get(seen.path().resolveSibling(name.substring(0, dot))) : null;
    return before != null
        && before.mark() != null
        && !Files.exists(before.path())
        && before.mark().beginsLike(seen, reading.unpacking());
  }

  private void admit(Seen seen, WholeFile before) throws IOException {
    WholeMark mark = WholeMark.of(seen, reading.unpacking(), dropping.digest());
    if (before != null && before.mark().sameContent(mark) && before.mark().unchangedIn(seen)) {
      before.is(seen, mark.endsAt(before.mark().end())); // Copied back, or restored.
      return;
    }
    Optional<WholeFile> same =
        files.values().stream()
            .filter(file -> file.mark() != null && file.mark().sameContent(mark))
            .findFirst();
    if (same.isPresent() && dropping.again() != Dropping.Again.TAKE) {
      boolean skip = dropping.again() == Dropping.Again.SKIP;
      notes.tell(
          "again " + seen,
          patterns.name(seen.path())
              + " has the same bytes as "
              + same.get().source()
              + ", which was taken before: it is "
              + (skip ? "not taken again" : "taken, too"));
      if (skip) {
        passOver(seen);
        return;
      }
    }
    WholeFile file = new WholeFile(nameFor(seen.path()), seen.path(), reading, rows, mark, 0);
    if (dropping.aside().isPresent() && isSetAside(file, seen)) {
      return;
    }
    add(file);
  }

  private void passOver(Seen seen) {
    passedOver.put(seen.path(), seen);
    putAway(seen.path());
  }

  private SourcePartition nameFor(Path path) {
    String name = patterns.name(path);
    if (label.isPresent()) {
      return new SourcePartition(name + "#" + label.get());
    }
    SourcePartition source = new SourcePartition(name);
    for (int next = 2; files.containsKey(source); next++) {
      source = new SourcePartition(name + "#" + next);
    }
    return source;
  }

  /** Tries the whole file, and moves it away if too many of its records would die. */
  private boolean isSetAside(WholeFile file, Seen seen) throws IOException {
    Dropping.Aside aside = dropping.aside().orElseThrow();
    long records = 0;
    long dead = 0;
    try (WholeFile trial =
        new WholeFile(file.source(), file.path(), reading, rows, file.mark(), 0)) {
      while (!trial.waits()) {
        Optional<Block> block = trial.next();
        if (block.isPresent()) {
          records += block.get().records().count();
          dead += deaths.applyAsLong(block.get());
        }
      }
    }
    if (records == 0 || dead <= aside.dead() * records) {
      return false;
    }
    passedOver.put(seen.path(), seen);
    putting.aside(seen.path(), aside, dead, records);
    return true;
  }

  private Optional<Path> putAway(Path path) {
    Optional<Path> now = putting.afterwards(path);
    if (now.isPresent() && dropping.then().takesAway()) {
      byPath.remove(path);
    }
    return now;
  }

  private void finish(WholeFile file) {
    try {
      Optional<Seen> now = Seen.at(file.path());
      boolean same = now.isPresent() && file.mark().sameAs(now.get());
      Optional<Path> to = same ? putAway(file.path()) : Optional.of(file.path());
      to.ifPresent(file::doneAt);
    } catch (IOException e) {
      throw new OutsideException("cannot look at " + file.source() + ": " + e.getMessage(), e);
    }
  }

  @Override
  public void assign(SourcePartition partition, long position) {
    WholeFile file = files.get(partition);
    if (file == null) {
      throw OutsideException.lasting(partition + " is not there any more");
    }
    file.goTo(position);
    if (!assigned.contains(file)) {
      assigned.add(file);
    }
  }

  @Override
  public void revoke(SourcePartition partition) {
    WholeFile file = files.get(partition);
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
    Optional<Block> block = next();
    if (block.isEmpty()) {
      pace.rest(wait);
    }
    return block;
  }

  @Override
  public Optional<Backlog> backlog() {
    long left = assigned.stream().mapToLong(WholeFile::left).sum();
    long done = begun.stream().mapToLong(file -> file.mark().size() - file.left()).sum();
    return Optional.of(new Backlog(done, left, Backlog.Unit.BYTES));
  }

  private Optional<Block> next() {
    for (WholeFile file : assigned) {
      try {
        while (!file.waits()) {
          Optional<Block> block = file.next();
          notes.damage(file);
          if (block.isPresent()) {
            begun.add(file);
            return block;
          }
        }
      } catch (NoSuchFileException | AccessDeniedException e) {
        continue; // The next look tells.
      } catch (IOException e) {
        throw new OutsideException("cannot read " + file.source() + ": " + e.getMessage(), e);
      }
    }
    return Optional.empty();
  }

  @Override
  public void accounted(Map<SourcePartition, Long> positions) {
    positions.forEach(
        (source, position) -> {
          WholeFile file = files.get(source);
          if (file != null) {
            file.accounted(position);
            if (file.finished() && !file.done()) {
              finish(file);
            }
          }
        });
  }

  @Override
  public boolean drained() {
    boolean more =
        assigned.stream().anyMatch(file -> !file.waits() && Files.exists(file.path()))
            || waiting.stream().anyMatch(completeness::soon)
            || assigned.stream().anyMatch(file -> file.read() && !file.endIsSaid());
    lookedAtEnd = !more && !lookedAtEnd;
    if (lookedAtEnd) {
      pace.soon(); // The system's events may come a little later than what happened.
      return false;
    }
    if (!more && !toldEnd) {
      toldEnd = true;
      waiting.forEach(
          path ->
              notes.say(
                  patterns.name(path)
                      + " is not complete, and left to the next run: "
                      + completeness.why(path)));
      if (files.isEmpty() && waiting.isEmpty()) {
        notes.say("no file matches " + patterns.written(", "));
      }
    }
    return !more;
  }

  @Override
  public void close() {
    files.values().forEach(WholeFile::close);
    pace.close();
  }
}

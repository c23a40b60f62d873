package io.wexrun.files;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.identity.Identity;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Source;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.schema.Instants;
import io.wexrun.files.content.Content;
import io.wexrun.files.content.Cutter;
import io.wexrun.files.content.Reading;
import io.wexrun.files.content.Seen;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.file.Files;
import java.nio.file.NoSuchFileException;
import java.nio.file.Path;
import java.time.Duration;
import java.util.Arrays;
import java.util.Optional;

/**
 * One file that is read from a position on, in blocks of whole lines, as it grows; whatever its
 * name is by now. Before it reads on, it makes sure that what it has read still stands before that.
 */
final class FollowedFile implements AutoCloseable {
  private static final int TAIL = 64;

  /** No compressed file is shorter: less is one that is just being written, or none. */
  private static final int LEAST_PACKED = 8;

  private static final long SUSPECTED_NANOS = Duration.ofMillis(40).toNanos();

  private static final byte[] NOTHING = {};

  private final SourcePartition source;
  private final Path foundAs;
  private final Reading reading;

  /** Where the file is now, or was last. */
  private Path path;

  /** The file as it was last looked at and known again; null if that was never. */
  private Seen seen;

  /** By what it is known again; null if it was not seen yet, and nothing is known of it. */
  private FileMark mark;

  private Content content;

  /** The compressed file, as it was seen, all of which was read; null if there is more. */
  private Seen readWhole;

  /** Why a compressed file cannot be read any further, once that is so. */
  private String broken = "";

  private final Cutter cutter;

  /** The bytes before the place up to which was read, as many as are known of the last ones. */
  private byte[] tail = NOTHING;

  private final Cuts cuts = new Cuts();
  private boolean doubtful;
  private boolean gone;
  private Source told;
  private FileMark toldMark;
  private int toldCuts;

  /** Since when it has not been found; 0 if it was when it was looked for the last time. */
  private long suspectedSince;

  /**
   * A file that is read from its start until it {@linkplain #goTo goes} elsewhere.
   *
   * @param foundAs under which name it was looked for; the source has its name
   * @param mark by what it was known; null if it is new
   */
  FollowedFile(Path path, Path foundAs, SourcePartition source, Reading reading, FileMark mark) {
    this.path = path;
    this.foundAs = foundAs;
    this.source = source;
    this.reading = reading;
    this.mark = mark;
    this.gone = mark != null && mark.gone();
    if (mark != null) {
      cuts.known(mark.cuts());
    }
    this.cutter = new Cutter(source, reading);
  }

  SourcePartition source() {
    return source;
  }

  Path path() {
    return path;
  }

  /** Under which name it was found, before it was rotated. */
  Path foundAs() {
    return foundAs;
  }

  /** Its device and number; {@link Seen#NO_KEY} if they are not known. */
  String key() {
    return seen != null ? seen.key() : mark != null ? mark.key() : Seen.NO_KEY;
  }

  /** Up to where it was read. */
  long read() {
    return cutter.read();
  }

  /**
   * How far it was read by a run before this one or by this one; a file that is shorter is another.
   */
  private long least() {
    return Math.max(read(), mark == null ? 0 : mark.end());
  }

  /** Whether it is not there any more, and that was told. */
  boolean gone() {
    return gone;
  }

  /** Where a file of an earlier run goes on, before it is assigned. */
  void known(long place) {
    cutter.goTo(place);
  }

  /**
   * Whether this is the file that is seen somewhere: what was read of it stands there. Looks into
   * it unless nothing has changed since the last time.
   */
  boolean isIn(Seen other) throws IOException {
    if (other.equals(seen) && !doubtful) {
      return true;
    }
    return standsIn(other.path());
  }

  private boolean tailStandsIn(Content file) throws IOException {
    ByteBuffer found = ByteBuffer.allocate(tail.length);
    file.read(found, read() - tail.length);
    return Arrays.equals(found.array(), tail);
  }

  /**
   * It is the file that is seen: from now on it is read there.
   *
   * @return whether there may be something to read
   */
  boolean is(Seen now) throws IOException {
    boolean more = doubtful || gone || !now.equals(seen) || now.size() > read();
    more &= readWhole == null || !now.equals(readWhole);
    boolean repacked = content != null && content.packed() && !now.equals(seen);
    if (seen == null || !seen.key().equals(now.key()) || doubtful || repacked) {
      close();
    }
    path = now.path();
    doubtful = false;
    suspectedSince = 0;
    if (!now.equals(seen) || mark == null || mark.end() != read()) {
      seen = now;
      if (mark == null || mark.end() <= read()) {
        if (content == null || !content.packed()) {
          note(now);
        } else {
          mark = FileMark.of(now, content, read(), dating());
        }
      }
    }
    if (gone) {
      gone = false;
      mark = mark.gone(false);
    }
    return more;
  }

  /** Notes by what it is known again, unless it is not what it was. */
  private void note(Seen now) throws IOException {
    try (Content there = Content.open(now.path(), reading.unpacking())) {
      Dating dated = there.packed() ? dating() : dating().seen(now.size(), now.modified());
      FileMark newer = FileMark.of(now, there, read(), dated);
      doubtful = !standsIn(there);
      mark = doubtful ? mark : newer;
    }
  }

  private boolean standsIn(Path other) throws IOException {
    try (Content file = Content.open(other, reading.unpacking())) {
      return (file.packed() || file.size(0) >= least()) && standsIn(file);
    }
  }

  /**
   * Whether what was read stands in a file. If so, it did at any time before, too: a file that is
   * cut does not get it back. So what else was read of the file just before is of the same one.
   */
  private boolean standsIn(Content file) throws IOException {
    return (mark == null || mark.standsIn(file))
        && file.size(read()) >= read()
        && (tail.length == 0 || tailStandsIn(file));
  }

  /**
   * It is not there any more.
   *
   * @return how many bytes are known that were not read, and cannot be read now; 0 also if that was
   *     told before
   */
  long lose() throws IOException {
    long size =
        Math.max(mark == null ? 0 : mark.size(), Math.max(mark == null ? 0 : mark.end(), read()));
    long lost = gone ? 0 : size - cutter.position();
    close();
    gone = true;
    doubtful = false;
    suspectedSince = 0;
    cutter.forgetRest();
    tail = NOTHING;
    if (mark != null) {
      mark = mark.gone(true); // What was told is not told again by the next run.
    }
    return lost;
  }

  /** Whether it is open, so that it can be read to its end wherever it is. */
  boolean open() {
    return content != null && !doubtful;
  }

  /**
   * It is not found. It may just be renamed or compressed, so that is looked at again soon.
   *
   * @return whether it has not been found for so long that it is gone
   */
  boolean suspect() {
    long now = System.nanoTime();
    suspectedSince = suspectedSince == 0 ? now : suspectedSince;
    doubtful = true;
    return now - suspectedSince > SUSPECTED_NANOS;
  }

  /** Whether its bytes are not those that were read, so that it must be found out what happened. */
  boolean doubtful() {
    return doubtful;
  }

  /** The source partition, and who the file is; the same object as long as that is the same. */
  Source now() {
    if (told == null || toldMark != mark || toldCuts != cuts.changes()) {
      Optional<Identity> identity =
          Optional.ofNullable(mark).map(known -> known.with(cuts.all()).identity());
      told = new Source(source, identity, 0);
      toldMark = mark;
      toldCuts = cuts.changes();
    }
    return told;
  }

  /** Who it is was said: its cuts may be used from the next call on. */
  void said() {
    cuts.said();
  }

  /** Nothing before a position is asked for again. */
  void accounted(long place) {
    cuts.accounted(place);
  }

  /** Whether something of it is going to be taken if nothing follows. */
  boolean waits() {
    return !gone
        && broken.isEmpty()
        && !cutter.inHead()
        && reading.waits(cutter.rest(), cutter.newline());
  }

  /**
   * Goes on with the record at a position. Elsewhere than where it is, only after it was seen that
   * what was read of it still stands there.
   */
  void goTo(long place) {
    doubtful |= place != read();
    cutter.goTo(place);
    tail = NOTHING;
  }

  /** How many bytes of it are left to take, as far as it was seen; of a packed one all, or none. */
  long left() {
    if (seen == null || gone) {
      return 0;
    }
    boolean packed = content != null && content.packed();
    return packed ? 0 : Math.max(0, seen.size() - read());
  }

  /** How many bytes stand after the last line end that was read. */
  long unfinished() {
    return cutter.rest().length;
  }

  /** The next lines, if the file has any more, and is still the one that it was. */
  Optional<Block> next() throws IOException {
    Optional<Block> ready = cutter.ready();
    if (ready.isPresent()) {
      return ready;
    }
    if (gone || doubtful) {
      return Optional.empty();
    }
    if (seen != null && seen.equals(readWhole) && cutAtEnd(broken) > read()) {
      return Optional.empty(); // To see that there is no more it would be unpacked once more.
    }
    if (!opened()) {
      return Optional.empty();
    }
    long read = read();
    long size = content.size(read);
    if (size < read) {
      doubtful = true;
      return Optional.empty();
    }
    long cut = size == read ? cutAtEnd(content.broken().orElse("")) : cut();
    boolean partEnds = content.partEnd(cutter.position()) == read && read > cutter.position();
    if (size == read && cut > read && !partEnds || !cutter.prepare(content)) {
      end();
      return Optional.empty();
    }
    Cutter.Chunk chunk = cutter.read(content, size, dating().end(read), cut);
    if (chunk.length() > read - cutter.position()) {
      cuts.grew();
    }
    if (!content.packed() && !standsIn(content)) {
      doubtful = true;
      return Optional.empty();
    }
    if (chunk.end() == 0) {
      cutter.keep(chunk);
      keepTail(chunk.data(), chunk.length());
      return Optional.empty();
    }
    keepTail(chunk.data(), chunk.length());
    return Optional.of(cutter.take(chunk, written(cutter.position() + chunk.end())));
  }

  private void keepTail(byte[] data, int length) {
    tail = Arrays.copyOfRange(data, Math.max(0, length - TAIL), length);
  }

  /** Nothing more is there for now. */
  private void end() throws IOException {
    if (content.packed()) {
      readWhole = seen;
      broken = seen.size() < LEAST_PACKED ? "" : content.broken().orElse("");
      mark = FileMark.of(seen, content, read(), dating());
    }
    close();
  }

  /** Why the rest of a compressed file cannot be read; empty if it can, or was. */
  String broken() {
    return broken;
  }

  /** The next place where a record ends whatever follows; the largest number if there is none. */
  private long cut() {
    return cuts.behind(cutter.position()).orElse(Long.MAX_VALUE);
  }

  /**
   * The same where nothing more can be read: what is due by now is cut; not in a compressed file
   * that is broken off, of which more may come.
   */
  private long cutAtEnd(String why) {
    if (why.isEmpty()) {
      cuts.cutWhatIsDue(reading, cutter);
    }
    return cut();
  }

  private Dating dating() {
    return mark == null ? Dating.NONE : mark.dating();
  }

  /** By when the bytes before a place had been written. */
  private long written(long place) throws IOException {
    long known = dating().before(place);
    if (known > 0) {
      return known;
    }
    try {
      return Instants.micros(Files.getLastModifiedTime(path).toInstant());
    } catch (NoSuchFileException e) {
      return Instants.micros(seen.modified().toInstant()); // Renamed since.
    }
  }

  /** Opens the file if it is not open; false if another one is under its name, or none. */
  private boolean opened() throws IOException {
    if (content != null) {
      return true;
    }
    try {
      content = Content.open(path, reading.unpacking());
    } catch (NoSuchFileException e) {
      doubtful = true;
      return false;
    }
    Optional<Seen> now = Seen.at(path);
    if (now.isEmpty() || !now.get().key().equals(key())) {
      close();
      doubtful = true;
      return false;
    }
    if (content.packed() && read() > 0 && !standsIn(content)) {
      doubtful = true;
      return false;
    }
    return true;
  }

  @Override
  public void close() {
    Content open = content;
    content = null;
    if (open == null) {
      return;
    }
    try {
      open.close();
    } catch (IOException e) {
      throw new OutsideException("cannot close " + path + ": " + e.getMessage(), e);
    }
  }
}

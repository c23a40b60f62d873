package io.wexrun.files.whole;

import io.wexrun.core.connect.RowsReader;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.framing.Placed;
import io.wexrun.core.identity.Identity;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.schema.Instants;
import io.wexrun.files.content.Content;
import io.wexrun.files.content.Cutter;
import io.wexrun.files.content.Reading;
import io.wexrun.files.content.Seen;
import java.io.Closeable;
import java.io.IOException;
import java.nio.file.NoSuchFileException;
import java.nio.file.Path;
import java.time.Instant;
import java.util.Map;
import java.util.Optional;

/** A file that is complete, and read from its start to its end. For one thread. */
final class WholeFile implements AutoCloseable {
  private static final int BLOCK = 1 << 20;

  private final SourcePartition source;
  private final Reading reading;
  private final Optional<RowsReader> rows;
  private final Cutter cutter;
  private Path path;
  private WholeMark mark;
  private Content content;
  private RowsReader.Rows open;
  private long accounted;
  private String broken = "";
  private long lost;
  private boolean cut;
  private boolean said;
  private boolean done;
  private boolean gone;

  /** Whether another file was in its place when it was to be opened. */
  private boolean doubtful;

  /**
   * A file that is read from a position on.
   *
   * @param rows reads its rows; empty if it is text
   * @param mark null if nothing is known of the file
   * @param position behind what is accounted for
   */
  WholeFile(
      SourcePartition source,
      Path path,
      Reading reading,
      Optional<RowsReader> rows,
      WholeMark mark,
      long position) {
    this.rows = rows;
    this.source = source;
    this.path = path;
    this.reading = reading;
    this.mark = mark;
    this.cutter = new Cutter(source, reading);
    this.accounted = position;
    this.said = mark != null && mark.known().isPresent();
    cutter.goTo(position);
  }

  SourcePartition source() {
    return source;
  }

  Path path() {
    return path;
  }

  WholeMark mark() {
    return mark;
  }

  Optional<Identity> identity() {
    return Optional.ofNullable(mark).map(WholeMark::identity);
  }

  /** It is this file, which was renamed, or is the one that was broken and is whole now. */
  void is(Seen seen, WholeMark now) {
    close();
    path = seen.path();
    mark = now;
    broken = "";
    gone = false;
    doubtful = false;
  }

  /** What was not taken of it cannot be taken. */
  void lose() {
    close();
    gone = true;
  }

  /** It was seen to be what it was. */
  void sameAsBefore() {
    doubtful = false;
  }

  boolean gone() {
    return gone;
  }

  /** Its identity, with its end if that was known by then, was told to the state. */
  void said() {
    said = mark != null && mark.known().isPresent();
  }

  boolean endIsSaid() {
    return said;
  }

  void goTo(long position) {
    cutter.goTo(position);
    close();
  }

  void accounted(long position) {
    accounted = Math.max(accounted, position);
  }

  /** Whether all of it was handed out. */
  boolean read() {
    return mark != null
        && mark.known().isPresent()
        && cutter.position() >= mark.known().getAsLong();
  }

  /** Whether every record of it is accounted for, and the state knows where it ends. */
  boolean finished() {
    return said
        && mark != null
        && mark.known().isPresent()
        && accounted >= mark.known().getAsLong();
  }

  /** Whether what becomes of it afterwards has been done. */
  boolean done() {
    return done;
  }

  void doneAt(Path now) {
    path = now;
    done = true;
  }

  /** Whether nothing more of it comes for now. */
  boolean waits() {
    return read() || gone || doubtful || !broken.isEmpty();
  }

  /**
   * How many bytes of it are left to take; of one that is packed or has rows, all until its end.
   */
  long left() {
    if (mark == null || waits()) {
      return 0;
    }
    boolean plain = rows.isEmpty() && content != null && !content.packed();
    return plain ? Math.max(0, mark.size() - cutter.read()) : mark.size();
  }

  /** Why the rest of a compressed file cannot be read; empty if it can. */
  String broken() {
    return broken;
  }

  /** Up to where what is in it was read. */
  long place() {
    return cutter.read();
  }

  /** How many bytes were cut off it before they were read; 0 again when asked. */
  long lost() {
    long bytes = lost;
    lost = 0;
    return bytes;
  }

  /** Whether bytes were cut off it before they were read. */
  boolean cut() {
    return cut;
  }

  /** The next block; empty at its end, and then its end is known unless it is broken. */
  Optional<Block> next() throws IOException {
    if (!open() && !waits()) {
      Optional<Seen> now = Seen.at(path);
      doubtful = now.isEmpty() || !mark.sameAs(now.get());
    }
    return rows.isPresent() ? nextRows(rows.get()) : nextText();
  }

  private Optional<Block> nextRows(RowsReader reader) {
    if (waits()) {
      return Optional.empty();
    }
    long first = cutter.position();
    Placed block = Placed.block(source, first);
    try {
      if (open == null) {
        open = reader.open(path, first);
      }
      Optional<Map<String, Object>> row = open.next();
      while (row.isPresent()) {
        block.add(first + block.records(), RowJson.of(row.get()));
        row = block.bytes() < BLOCK ? open.next() : Optional.empty();
      }
    } catch (IOException e) {
      broken = e.getMessage();
      close();
    }
    if (block.records() == 0) {
      mark = broken.isEmpty() ? mark.endsAt(first) : mark;
      close();
      return Optional.empty();
    }
    long next = first + block.records();
    cutter.goTo(next);
    long now = Instants.micros(Instant.now());
    return Optional.of(block.build(now, mark.time() * 1000, Cutter.here()));
  }

  private Optional<Block> nextText() throws IOException {
    Optional<Block> ready = cutter.ready();
    if (ready.isPresent() || waits()) {
      return ready;
    }
    if (content == null) {
      content = Content.open(path, reading.unpacking());
    }
    long there = content.size(cutter.read());
    long size = content.packed() ? there : mark.size();
    if (!content.packed() && there < size) {
      lost = size - Math.max(there, cutter.position());
      size = there;
      cut = true;
    }
    boolean end = cutter.read() >= size;
    if (end && content.broken().isPresent()) {
      broken = content.broken().get();
      close();
      return Optional.empty();
    }
    if (end && cutter.rest().length == 0) {
      mark = mark.endsAt(cutter.position());
      close();
      return Optional.empty();
    }
    cutter.prepareWhole(content);
    Cutter.Chunk chunk = cutter.readWhole(content, size);
    if (chunk.end() > 0) {
      return Optional.of(cutter.take(chunk, mark.time() * 1000));
    }
    cutter.keep(chunk);
    return Optional.empty();
  }

  /** Whether it is open. */
  boolean open() {
    return content != null || open != null;
  }

  @Override
  public void close() {
    Closeable was = content == null ? open : content;
    content = null;
    open = null;
    if (was == null) {
      return;
    }
    try {
      was.close();
    } catch (NoSuchFileException e) {
      return; // Gone is closed.
    } catch (IOException e) {
      throw new OutsideException("cannot close " + path + ": " + e.getMessage(), e);
    }
  }
}

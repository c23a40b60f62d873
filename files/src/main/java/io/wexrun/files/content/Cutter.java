package io.wexrun.files.content;

import io.wexrun.core.framing.Newline;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.FilePlace;
import io.wexrun.core.intake.Framing;
import io.wexrun.core.intake.Records;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.schema.Instants;
import java.io.IOException;
import java.net.InetAddress;
import java.net.UnknownHostException;
import java.nio.ByteBuffer;
import java.nio.charset.StandardCharsets;
import java.time.Instant;
import java.util.ArrayDeque;
import java.util.Arrays;
import java.util.Deque;
import java.util.Optional;

/**
 * Cuts the bytes of a file, from a position on, into blocks of whole records. Of an archive, each
 * file in it is cut for itself. For one thread.
 */
public final class Cutter {
  /** A line longer than this is cut into records of this length, each too long to be taken. */
  public static final int LONGEST_LINE = 16 << 20;

  private static final int BLOCK = 1 << 20;
  private static final byte[] NOTHING = {};
  private static final String HOST = host();

  /** No byte-order mark is longer. */
  private static final int MARK = 5;

  private final SourcePartition source;
  private final Reading reading;
  private final Deque<Block> ready = new ArrayDeque<>();

  private long position;
  private byte[] rest = NOTHING;

  /** What is known of the file before the position; null as long as that was not looked at. */
  private Text text;

  private long partStart;
  private byte[] header = NOTHING;
  private long line;
  private String member = "";

  public Cutter(SourcePartition source, Reading reading) {
    this.source = source;
    this.reading = reading;
  }

  /** A place of which only the machine is known. */
  public static FilePlace here() {
    return new FilePlace("", 0, HOST);
  }

  /** The name of this machine, as it says itself; empty if it has none. */
  private static String host() {
    try {
      return InetAddress.getLocalHost().getHostName();
    } catch (UnknownHostException e) {
      return "";
    }
  }

  /**
   * Bytes that were read, beginning at the position.
   *
   * @param end where the last whole record in them ends; 0 if none does
   * @param length how many there are
   */
  public record Chunk(byte[] data, int end, int length) {}

  /** Where the next record begins. */
  public long position() {
    return position;
  }

  /** Up to where bytes were read. */
  public long read() {
    return position + rest.length;
  }

  /** The bytes from the position on in which no record has ended yet. */
  public byte[] rest() {
    return rest;
  }

  public Newline newline() {
    return text == null ? Newline.BYTE : text.newline();
  }

  /** The next record begins at a position. */
  public void goTo(long place) {
    position = place;
    rest = NOTHING;
    text = null;
    ready.clear();
  }

  /** What was read, and is no record yet, is forgotten. */
  public void forgetRest() {
    rest = NOTHING;
  }

  /** A block that was cut and not handed out. */
  public Optional<Block> ready() {
    return Optional.ofNullable(ready.poll());
  }

  /** Whether what is there is not even a whole head. */
  public boolean inHead() {
    return text != null
        && position == partStart
        && reading.headed()
        && !headIsWhole(rest, rest.length);
  }

  /**
   * Finds out what the records at the position need to know of the file before it.
   *
   * @return false as long as there is too little of the file
   */
  public boolean prepare(Content content) throws IOException {
    return prepare(content, false);
  }

  /** The same for a file that is complete, so that there never is too little of it. */
  public void prepareWhole(Content content) throws IOException {
    prepare(content, true);
  }

  private boolean prepare(Content content, boolean whole) throws IOException {
    if (text != null && content.partStart(position) == partStart) {
      return true;
    }
    long start = content.partStart(position);
    Optional<Text> found = Text.at(content, start, reading, whole);
    if (found.isEmpty()) {
      return false;
    }
    text = found.get();
    partStart = start;
    header = NOTHING;
    line = 1;
    member = content.member(position);
    if (position > start) {
      catchUp(content);
    }
    return true;
  }

  /** Looks at what stands before the position in its file: its header, and how many lines. */
  private void catchUp(Content content) throws IOException {
    boolean all = reading.lineNumbers() || !reading.head().begins().isEmpty();
    if (!all && !reading.head().first()) {
      return;
    }
    byte[] data = NOTHING;
    boolean head = reading.head().first();
    long at = partStart;
    while (at + data.length < position && (all || head) && data.length < LONGEST_LINE) {
      int before = data.length;
      data = Arrays.copyOf(data, before + (int) Math.min(BLOCK, position - at - before));
      int n = content.read(ByteBuffer.wrap(data, before, data.length - before), at + before);
      data = Arrays.copyOf(data, before + n);
      if (head && headIsWhole(data, data.length)) {
        header = headerOf(data, data.length);
        head = false;
      }
      int lines = text.newline().lastEnd(data, data.length);
      if (!head && all) {
        line += text.newline().count(data, 0, lines);
        headerLines(data, lines);
        data = Arrays.copyOfRange(data, lines, data.length);
        at += lines;
      }
      if (n == 0) {
        break;
      }
    }
  }

  /** The last line in {@code data[0, end)} that names columns is the header. */
  private void headerLines(byte[] data, int end) {
    for (int at = nextHeader(data, 0, end); at >= 0; at = headerBehind(data, at, end)) {
      header = headerAt(data, at, end);
    }
  }

  /** Where the next line that names columns begins, from a line on; -1 if none does. */
  private int nextHeader(byte[] data, int from, int end) {
    if (reading.head().begins().isEmpty()) {
      return -1;
    }
    byte[] begin = reading.head().begins().getBytes(text.charset());
    byte[] mark = text.marked() && from == 0 ? "\uFEFF".getBytes(text.charset()) : NOTHING;
    int at = from + (standsAt(data, from, end, mark) ? mark.length : 0);
    while (at >= 0 && !standsAt(data, at, end, begin)) {
      at = text.newline().after(data, at, end);
    }
    return at;
  }

  private int headerBehind(byte[] data, int header, int end) {
    int next = text.newline().after(data, header, end);
    return next < 0 ? -1 : nextHeader(data, next, end);
  }

  private static boolean standsAt(byte[] data, int at, int end, byte[] what) {
    return end - at >= what.length
        && Arrays.equals(data, at, at + what.length, what, 0, what.length);
  }

  private byte[] headerAt(byte[] data, int at, int end) {
    int lineEnd = text.newline().after(data, at, end);
    byte[] bytes = Arrays.copyOfRange(data, at, lineEnd < 0 ? end : lineEnd);
    String named = new String(bytes, text.charset()).substring(reading.head().begins().length());
    return named.strip().getBytes(StandardCharsets.UTF_8);
  }

  private Records beginning(byte[] data, int end) {
    Framing framing = reading.beginning(text.charset(), text.marked());
    return framing.cut(new Block(source, 0, end, data, end, framing));
  }

  private boolean headIsWhole(byte[] data, int length) {
    Framing framing = reading.beginning(text.charset(), text.marked());
    int end = framing.end(data, 0, length);
    int lines = text.newline().count(data, 0, end);
    return end > 0
        && lines >= reading.head().skipped()
        && (!reading.head().first() || beginning(data, end).count() > 0);
  }

  private byte[] headerOf(byte[] data, int end) {
    Records records = beginning(data, end);
    return records.count() == 0 ? NOTHING : records.bytes(0);
  }

  /**
   * Reads until a record ends.
   *
   * @param size how long the file is
   * @param part where a block had better end
   * @param cut where a record ends in any case
   */
  public Chunk read(Content content, long size, long part, long cut) throws IOException {
    return read(content, size, part, cut, false);
  }

  /**
   * Reads until a record ends, or the file does.
   *
   * @param size how long the file is; of a compressed one, as far as is known
   */
  public Chunk readWhole(Content content, long size) throws IOException {
    return read(content, size, Long.MAX_VALUE, Long.MAX_VALUE, true);
  }

  private Chunk read(Content content, long size, long part, long cut, boolean whole)
      throws IOException {
    Framing framing = reading.body(text.charset());
    boolean head = position == partStart && reading.headed();
    byte[] data = rest;
    int length = rest.length;
    long there = size;
    long last = Math.min(cut, content.partEnd(position));
    boolean ends = last <= read() || whole && there <= read();
    int end = ends ? (int) (Math.min(last, there) - position) : 0;
    // Invariant: data[0, length) are the bytes from position on, and hold no end of a record, or
    // not the whole head.
    while (end == 0 && length < LONGEST_LINE && position + length < Math.min(there, last)) {
      int before = length;
      // A record that goes on behind the part that was written before is taken with what follows.
      long to =
          position + length < part ? Math.min(part, Math.min(there, last)) : Math.min(there, last);
      data = Arrays.copyOf(data, length + (int) Math.min(to - position - length, BLOCK));
      length +=
          content.read(ByteBuffer.wrap(data, length, data.length - length), position + length);
      if (length == before) {
        break;
      }
      end = framing.end(data, head ? 0 : before, length);
      if (head && end > 0 && !headIsWhole(data, end)) {
        end = 0;
      }
      if (content.packed()) {
        there = content.size(position + length);
        last = Math.min(cut, content.partEnd(position));
      }
      ends = whole && position + length >= there && content.broken().isEmpty();
      end = position + length == last || ends ? length : end;
    }
    if (end == 0 && length >= LONGEST_LINE) {
      end = LONGEST_LINE;
    }
    return new Chunk(data, end, length);
  }

  /** What was read is no record yet. */
  public void keep(Chunk chunk) {
    rest = Arrays.copyOf(chunk.data(), chunk.length());
  }

  /**
   * Takes the whole records of what was read.
   *
   * @param written by when they had been written, in microseconds since 1970-01-01T00:00:00Z
   */
  public Block take(Chunk chunk, long written) {
    byte[] data = chunk.data();
    int end = chunk.end();
    boolean begins = position == partStart;
    if (begins && reading.head().first()) {
      header = headerOf(data, end);
    }
    int from = 0;
    int next = nextHeader(data, 0, end);
    while (next >= 0) {
      byte[] named = headerAt(data, next, end);
      if (!Arrays.equals(named, header)) {
        if (next > from && !(from == 0 && begins && next < MARK)) {
          ready.add(block(part(data, from, next), next - from, begins && from == 0, written));
          from = next;
        }
        header = named;
      }
      next = headerBehind(data, next, end);
    }
    ready.add(
        block(from == 0 ? data : part(data, from, end), end - from, begins && from == 0, written));
    rest = Arrays.copyOfRange(data, end, chunk.length());
    return ready.poll();
  }

  private static byte[] part(byte[] data, int from, int to) {
    return Arrays.copyOfRange(data, from, to);
  }

  private Block block(byte[] data, int length, boolean begins, long written) {
    long first = position;
    position += length;
    long taken = Instants.micros(Instant.now());
    Framing framing =
        begins ? reading.behindHead(text.charset(), text.marked()) : reading.body(text.charset());
    FilePlace place = new FilePlace(member, reading.lineNumbers() ? line : 0, HOST);
    if (reading.lineNumbers()) {
      line += text.newline().count(data, 0, length);
    }
    return new Block(source, first, position, data, length, framing, header, taken, written, place);
  }
}

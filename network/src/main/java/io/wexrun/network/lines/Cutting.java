package io.wexrun.network.lines;

import io.netty.buffer.ByteBuf;
import io.wexrun.core.framing.Framings;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Framing;
import io.wexrun.core.intake.Records;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.network.door.Filtered;
import io.wexrun.network.door.Inbox;
import io.wexrun.queue.Parcel;
import java.time.Duration;
import java.util.Arrays;
import java.util.Map;
import java.util.concurrent.atomic.AtomicInteger;

/** Cuts the bytes of one sender into records, and appends them. For one thread. */
final class Cutting {
  /** A record of several lines is taken when nothing has followed for so long. */
  static final Duration QUIET = Duration.ofSeconds(2);

  private static final SourcePartition NOWHERE = new SourcePartition("connection");
  private static final byte[] NOTHING = {};
  private static final AtomicInteger SENDERS = new AtomicInteger();
  private static final int FIRST_ROOM = 4096;

  private final Inbox inbox;
  private final Framing framing;
  private final int longest;
  private final Map<String, String> headers;
  private final int sender = SENDERS.getAndIncrement() & Integer.MAX_VALUE;
  private byte[] data = NOTHING;
  private int length;
  private int known;
  private Parcel stuck;
  private long lastAt;

  /**
   * The bytes of a sender.
   *
   * @param longest a record that is longer is cut there
   * @param headers of each record
   */
  Cutting(Inbox inbox, Framing framing, int longest, Map<String, String> headers) {
    this.inbox = inbox;
    this.framing = framing;
    this.longest = longest;
    this.headers = headers;
  }

  /** The cutting of the next datagram. */
  static Records cut(byte[] data, int length, Framing framing) {
    Records all = framing.cut(new Block(NOWHERE, 0, length, data, length, framing));
    Records filled = Filtered.withoutBlank(all);
    return Filtered.of(filled, i -> filled.end(i) > filled.start(i));
  }

  void add(ByteBuf bytes) {
    int more = bytes.readableBytes();
    room(more);
    bytes.readBytes(data, length, more);
    length += more;
    lastAt = System.nanoTime();
  }

  void add(byte[] bytes, int more) {
    room(more);
    System.arraycopy(bytes, 0, data, length, more);
    length += more;
    lastAt = System.nanoTime();
  }

  private void room(int more) {
    if (length + more > data.length) {
      data = Arrays.copyOf(data, Math.max(FIRST_ROOM, Math.max(data.length * 2, length + more)));
    }
  }

  /** How many bytes are no record yet. */
  int rest() {
    return length;
  }

  boolean openEnded() {
    return Framings.openEnded(framing);
  }

  boolean quiet() {
    return System.nanoTime() - lastAt >= QUIET.toNanos();
  }

  /** Whether records wait for room. */
  boolean stuck() {
    return stuck != null;
  }

  /** Runs something when there may be room. */
  void whenRoom(Runnable then) {
    inbox.whenRoom(then);
  }

  /**
   * Appends the whole records.
   *
   * @return false if there is no room for them
   */
  boolean take() {
    if (stuck != null && !put(stuck)) {
      return false;
    }
    stuck = null;
    int end = framing.end(data, known, length);
    if (end == 0 && length >= longest) {
      end = length; // Too long to be a record; the pieces die of it, and nothing is lost unseen.
    }
    known = end == 0 ? length : 0;
    return end == 0 || append(end);
  }

  private boolean append(int end) {
    byte[] block = Arrays.copyOf(data, end);
    System.arraycopy(data, end, data, 0, length - end);
    length -= end;
    known = 0;
    if (length == 0 && data.length > 1 << 20) {
      data = NOTHING;
    }
    Records records = cut(block, end, framing);
    if (records.count() == 0) {
      return true;
    }
    Parcel parcel = new Parcel(sender, records, NOTHING, headers, "");
    if (!put(parcel)) {
      stuck = parcel;
      return false;
    }
    return true;
  }

  private boolean put(Parcel parcel) {
    return inbox.put(parcel).isPresent();
  }

  /** What may be a record by now is one: nothing has followed it. */
  void takeWhatIsDue() {
    int end = length;
    while (end > 0 && data[end - 1] != '\n') {
      end--;
    }
    if (stuck == null && end > 0) {
      append(end);
    }
  }

  /** Nothing follows any more: what there is is a record, too. */
  void end() {
    if (take() && length > 0) {
      append(length);
    }
    if (stuck != null) {
      inbox.whenRoom(this::endStuck);
    }
  }

  private void endStuck() {
    Parcel last = stuck;
    stuck = null;
    if (last != null && !put(last)) {
      stuck = last;
      inbox.whenRoom(this::endStuck);
    } else if (length > 0) {
      append(length);
    }
  }
}

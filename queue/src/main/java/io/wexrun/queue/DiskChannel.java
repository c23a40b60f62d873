package io.wexrun.queue;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Intake;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.tally.Account;
import java.nio.file.Path;
import java.time.Duration;
import java.util.ArrayDeque;
import java.util.Deque;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/**
 * The channel of a pipeline on disk: what its intake took waits here, through restarts, until the
 * tally accounts for it. It is a queue of one partition whose records are blocks.
 *
 * <p><b>Once.</b> Blocks keep source and position. The intake goes on where {@link #positions}
 * says: behind what is accounted for and what waits. A block that is not the next one of its
 * source, as after a loss of power or a repair, is passed over, and the intake takes it again.
 *
 * <p>One thread puts, one polls the {@link #intake}, any accounts.
 */
public final class DiskChannel implements AutoCloseable {
  private static final long SYNC_NANOS = Duration.ofMillis(200).toNanos();
  private static final long LARGEST_FILE = 64L << 20;
  private static final int HEAD = 16 << 10;
  private static final int READ = 1 << 20;

  /** A block that is not accounted for. */
  private record Waiting(long position, long end, int records) {}

  private final Queue queue;
  private final Partition partition;
  private final long bound;
  private final Map<SourcePartition, Long> accounted;
  private final Map<SourcePartition, Long> ends;
  private final Map<SourcePartition, Deque<Waiting>> waiting = new HashMap<>();
  private long records;
  private long syncedAt = System.nanoTime();
  private boolean ended;
  private boolean deserted;

  private DiskChannel(Queue queue, long bound, Map<SourcePartition, Long> accounted) {
    this.queue = queue;
    this.partition = queue.partition(0);
    this.bound = bound;
    this.accounted = new HashMap<>(accounted);
    this.ends = new HashMap<>(accounted);
    long position = partition.oldest();
    Optional<Partition.Peek> peek = partition.peek(position, HEAD);
    while (peek.isPresent()) {
      Pack pack = peek.get().pack();
      ChannelBlock block = ChannelBlock.of(Packs.headers(pack, peek.get().data()));
      if (follows(block, ends)) {
        waits(block, pack.baseOffset());
      }
      position = pack.end();
      peek = partition.peek(position, HEAD);
    }
    if (queue.writable()) {
      // What was passed over is taken again, and must not be mistaken for a repetition then.
      partition
          .sequences("=")
          .forEach(
              (producer, end) -> {
                if (end > ends.getOrDefault(new SourcePartition(producer.substring(1)), -1L)) {
                  partition.forget(producer);
                }
              });
    }
  }

  /**
   * Opens a channel, making it if it is not there.
   *
   * @param bound about how many bytes may wait on disk
   * @param accounted the positions of the tally
   * @throws OutsideException if another process has it, or if it is damaged
   */
  public static DiskChannel open(
      Path folder, String name, long bound, Map<SourcePartition, Long> accounted) {
    return of(Queue.open(folder, name, options(bound)), bound, accounted);
  }

  static QueueOptions options(long bound) {
    return QueueOptions.partitions(1).sizes(Math.max(4096, Math.min(LARGEST_FILE, bound / 8)), 1);
  }

  /** A channel in a queue, which it closes. */
  static DiskChannel of(Queue queue, long bound, Map<SourcePartition, Long> accounted) {
    try {
      return new DiskChannel(queue, bound, accounted);
    } catch (RuntimeException e) {
      queue.close();
      throw e;
    }
  }

  /**
   * How many records wait in a channel, also while another process has it.
   *
   * @param accounted the positions of the tally
   */
  public static long held(Path folder, String name, Map<SourcePartition, Long> accounted) {
    Optional<Queue> queue = Queue.openToRead(folder, name);
    if (queue.isEmpty()) {
      return 0;
    }
    try (Queue open = queue.get()) {
      return new DiskChannel(open, 0, accounted).records;
    }
  }

  /** Whether a block goes on where its source is; notes how far it goes then. */
  private static boolean follows(ChannelBlock block, Map<SourcePartition, Long> read) {
    Long expected = read.get(block.source());
    boolean next =
        expected == null ? block.begins() : block.first() <= expected && expected < block.end();
    if (next) {
      read.put(block.source(), block.end());
    }
    return next;
  }

  private void waits(ChannelBlock block, long position) {
    waiting
        .computeIfAbsent(block.source(), s -> new ArrayDeque<>())
        .add(new Waiting(position, block.end(), block.records()));
    records += block.records();
  }

  /** Where the intake of each source goes on. */
  public synchronized Map<SourcePartition, Long> positions() {
    return new HashMap<>(ends);
  }

  /** How many records wait. */
  public synchronized long held() {
    return records;
  }

  /**
   * Adds a block when there is room. It survives the end of the process at once, and the loss of
   * power after the next {@link #sync}.
   *
   * @return false if the channel was ended meanwhile, or there is no room and nobody makes any;
   *     then the block was not taken
   * @throws OutsideException if the disk fails or the framing has no {@linkplain
   *     io.wexrun.core.intake.Framing#form form}; then it was not taken either
   */
  public boolean put(Block block) throws InterruptedException {
    if (block.framing().form().isEmpty()) {
      throw new OutsideException(
          "records of " + block.source() + " cannot wait on disk: their framing has no form");
    }
    int count = block.records().count();
    boolean begins;
    synchronized (this) {
      while (!ended && !waiting.isEmpty() && partition.bytes() + block.length() > bound) {
        if (deserted) {
          return false;
        }
        wait();
      }
      if (ended) {
        return false;
      }
      begins = !ends.containsKey(block.source());
    }
    String producer = "=" + block.source().name();
    PackBuilder pack =
        ChannelBlock.pack(producer, block, count, begins, queue.options().clock().millis());
    Partition.Outcome outcome = partition.append(pack, block.end());
    if (outcome.repeated()) {
      throw new IllegalStateException(
          "block of " + block.source() + " to " + block.end() + " twice");
    }
    synchronized (this) {
      ends.put(block.source(), block.end());
      waiting
          .computeIfAbsent(block.source(), s -> new ArrayDeque<>())
          .add(new Waiting(outcome.base(), block.end(), count));
      records += count;
    }
    partition.publish();
    queue.appended();
    return true;
  }

  /**
   * What was put survives the loss of power from here on.
   *
   * @throws OutsideException if the disk fails; then what was put since the last time may be lost,
   *     and the channel must be opened anew
   */
  public void sync() {
    queue.sync();
    syncedAt = System.nanoTime();
  }

  /** Syncs if the last time was a fifth of a second ago; see {@link #sync}. */
  public void syncNowAndThen() {
    if (System.nanoTime() - syncedAt > SYNC_NANOS) {
      sync();
    }
  }

  /** No block comes any more in this run. Wakes who waits. */
  public synchronized void end() {
    ended = true;
    notifyAll();
  }

  /** Nobody takes from it any more in this run: puts go on only as long as there is room. */
  public synchronized void desert() {
    deserted = true;
    notifyAll();
  }

  private synchronized boolean hasEnded() {
    return ended;
  }

  /** Notes what the tally has; what it has all of is removed. */
  public void accounted(List<Account> accounts) {
    long needed = partition.end();
    synchronized (this) {
      for (Account account : accounts) {
        accounted.merge(account.source(), account.to(), Math::max);
        Deque<Waiting> blocks = waiting.get(account.source());
        while (blocks != null && !blocks.isEmpty() && blocks.peek().end() <= account.to()) {
          records -= blocks.remove().records();
        }
        if (blocks != null && blocks.isEmpty()) {
          waiting.remove(account.source());
          partition.forget("=" + account.source().name());
        }
      }
      for (Deque<Waiting> blocks : waiting.values()) {
        needed = Math.min(needed, blocks.peek().position());
      }
    }
    partition.removeBefore(needed);
    synchronized (this) {
      notifyAll();
    }
  }

  /** The blocks that are not accounted for, and those that come. It is drained after the end. */
  public synchronized Intake intake() {
    return new Waiters(new HashMap<>(accounted), partition.oldest());
  }

  private final class Waiters implements Intake {
    private final Map<SourcePartition, Long> read;
    private final Deque<QueueRecord> ahead = new ArrayDeque<>();
    private long position;

    Waiters(Map<SourcePartition, Long> read, long position) {
      this.read = read;
      this.position = position;
    }

    @Override
    public Optional<Block> poll(Duration wait) {
      Optional<Block> next = next();
      if (next.isEmpty() && !hasEnded()) {
        queue.awaitAppend(wait.toMillis());
        next = next();
      }
      return next;
    }

    private Optional<Block> next() {
      while (true) {
        QueueRecord record = ahead.poll();
        if (record == null) {
          position = Math.max(position, partition.oldest());
          Optional<Partition.Chunk> chunk = partition.read(position, READ);
          if (chunk.isEmpty()) {
            return Optional.empty();
          }
          ahead.addAll(Packs.records(0, chunk.get().data(), chunk.get().length(), Long.MIN_VALUE));
          position = chunk.get().end();
          continue;
        }
        ChannelBlock head = ChannelBlock.of(record.headers());
        long from = read.getOrDefault(head.source(), head.first());
        if (follows(head, read)) {
          Block block = head.block(record.value());
          return Optional.of(from > head.first() ? block.since(from) : block);
        }
      }
    }

    @Override
    public boolean drained() {
      return hasEnded() && ahead.isEmpty() && position >= partition.end();
    }

    @Override
    public void close() {
      // The channel belongs to who opened it.
    }
  }

  @Override
  public void close() {
    end();
    try {
      queue.sync();
    } finally {
      queue.close();
    }
  }
}

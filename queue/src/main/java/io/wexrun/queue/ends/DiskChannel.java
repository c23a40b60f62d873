package io.wexrun.queue.ends;

import io.wexrun.core.channel.Channel;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.tally.Account;
import io.wexrun.queue.Queue;
import io.wexrun.queue.QueueOptions;
import io.wexrun.queue.log.Pack;
import io.wexrun.queue.log.PackBuilder;
import io.wexrun.queue.log.Packs;
import io.wexrun.queue.log.Partition;
import io.wexrun.queue.log.QueueRecord;
import java.util.ArrayDeque;
import java.util.Deque;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalLong;

/**
 * A channel on disk: what a pipeline's intake took waits here, through restarts, until the tally
 * accounts for it. It is a queue of one partition whose records are blocks.
 *
 * <p>Blocks keep source and position. After a loss of power or a repair some may be missing; then
 * what is behind them is passed over, and the intake takes it again. A block is handed out before
 * it is synced: for sources that can be read again that is enough.
 */
final class DiskChannel implements Channel {
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
  private final Map<SourcePartition, Long> starts = new HashMap<>();
  private final Map<SourcePartition, Deque<Waiting>> waiting = new HashMap<>();
  private final Map<SourcePartition, Long> durable = new HashMap<>();
  private Runnable listener = () -> {};
  private volatile Runnable room = () -> {};
  private long records;
  private boolean ended;
  private boolean abandoned;

  /** Of what was taken: how far each source is, where the next pack stands, and what was read. */
  private Map<SourcePartition, Long> read;

  private long position;
  private final Deque<QueueRecord> ahead = new ArrayDeque<>();

  private DiskChannel(Queue queue, long bound, Map<SourcePartition, Long> accounted) {
    this.queue = queue;
    this.partition = queue.partition(0);
    this.bound = bound;
    this.accounted = new HashMap<>(accounted);
    this.ends = new HashMap<>(accounted);
    this.read = new HashMap<>(accounted);
    this.position = partition.oldest();
    long place = partition.oldest();
    Optional<Partition.Peek> peek = partition.peek(place, HEAD);
    while (peek.isPresent()) {
      Pack pack = peek.get().pack();
      ChannelBlock block = ChannelBlock.of(Packs.headers(pack, peek.get().data()));
      if (follows(block, ends)) {
        waits(block.source(), pack.baseOffset(), block.end(), block.records());
      }
      place = pack.end();
      peek = partition.peek(place, HEAD);
    }
    durable.putAll(ends);
    if (queue.writable()) {
      forgetWhatIsPassedOver();
    }
  }

  /** What was passed over is taken again, and must not be mistaken for a repetition then. */
  private void forgetWhatIsPassedOver() {
    partition
        .sequences("=")
        .forEach(
            (producer, end) -> {
              if (end > ends.getOrDefault(new SourcePartition(producer.substring(1)), -1L)) {
                partition.forget(producer);
              }
            });
  }

  /** How a queue that is a channel is made. */
  static QueueOptions options(long bound) {
    return QueueOptions.partitions(1).sizes(Math.max(4096, Math.min(LARGEST_FILE, bound / 8)), 1);
  }

  /**
   * A channel in a queue, which it closes.
   *
   * @param bound about how many bytes may wait
   * @param accounted the positions of the tally
   * @throws OutsideException if it is damaged
   */
  static DiskChannel of(Queue queue, long bound, Map<SourcePartition, Long> accounted) {
    try {
      return new DiskChannel(queue, bound, accounted);
    } catch (RuntimeException e) {
      queue.close();
      throw e;
    }
  }

  /** How many records wait in a channel; closes the queue. */
  static long held(Queue toRead, Map<SourcePartition, Long> accounted) {
    try (toRead) {
      return new DiskChannel(toRead, 0, accounted).records;
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

  private void waits(SourcePartition source, long place, long end, int count) {
    waiting.computeIfAbsent(source, s -> new ArrayDeque<>()).add(new Waiting(place, end, count));
    records += count;
  }

  @Override
  public synchronized long begin(SourcePartition source, long start) {
    starts.putIfAbsent(source, start);
    return ends.getOrDefault(source, starts.get(source));
  }

  /**
   * Puts a block. It survives the end of the process at once, and the loss of power after the next
   * {@link #sync}.
   *
   * @throws OutsideException if the disk fails or the framing has no {@linkplain
   *     io.wexrun.core.intake.Framing#form form}; then it was not taken
   */
  @Override
  public Put put(Block block) {
    SourcePartition source = block.source();
    if (block.framing().form().isEmpty()) {
      throw OutsideException.lasting(
          "records of " + source + " cannot wait on disk: their framing has no form");
    }
    boolean begins;
    synchronized (this) {
      if (ended) {
        return Put.ENDED;
      }
      if (!waiting.isEmpty() && partition.bytes() + block.length() > bound) {
        return abandoned ? Put.ENDED : Put.FULL;
      }
      begins = !ends.containsKey(source);
      long expected = begins ? starts.getOrDefault(source, block.first()) : ends.get(source);
      if (block.first() > expected || expected >= block.end()) {
        return Put.TAKEN; // Passed over.
      }
    }
    int count = block.records().count();
    PackBuilder pack =
        ChannelBlock.pack(
            "=" + source.name(), block, count, begins, queue.options().clock().millis());
    Partition.Outcome outcome = partition.append(pack, block.end());
    if (outcome.repeated()) {
      throw new IllegalStateException("block of " + source + " to " + block.end() + " twice");
    }
    Runnable told;
    synchronized (this) {
      ends.put(source, block.end());
      waits(source, outcome.base(), block.end(), count);
      told = listener;
    }
    partition.publish();
    queue.appended();
    told.run();
    return Put.TAKEN;
  }

  /**
   * What was put survives the loss of power from here on.
   *
   * @throws OutsideException if the disk fails; then what was put since the last time may be lost,
   *     and the channel must be opened anew
   */
  @Override
  public Map<SourcePartition, Long> sync() {
    queue.sync();
    Map<SourcePartition, Long> changed = new HashMap<>();
    synchronized (this) {
      ends.forEach(
          (source, end) -> {
            if (!end.equals(durable.put(source, end))) {
              changed.put(source, end);
            }
          });
    }
    return changed;
  }

  @Override
  public synchronized void listen(Runnable put) {
    listener = put;
  }

  @Override
  public void listenForRoom(Runnable told) {
    room = told;
  }

  @Override
  public Optional<Block> take() {
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
  public boolean exhausted() {
    synchronized (this) {
      if (!ended) {
        return false;
      }
    }
    return ahead.isEmpty() && position >= partition.end();
  }

  @Override
  public Map<SourcePartition, Long> rewind() {
    synchronized (this) {
      read = new HashMap<>(accounted);
    }
    ahead.clear();
    position = partition.oldest();
    return NOTHING;
  }

  @Override
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
    room.run();
  }

  @Override
  public void end() {
    Runnable told;
    synchronized (this) {
      ended = true;
      told = listener;
    }
    told.run();
    room.run();
  }

  @Override
  public void abandon() {
    synchronized (this) {
      abandoned = true;
    }
    room.run();
  }

  @Override
  public synchronized OptionalLong held() {
    return OptionalLong.of(records);
  }

  @Override
  public double fill() {
    synchronized (this) {
      if (waiting.isEmpty()) {
        return 0; // What is left of its file is removed with the next one.
      }
    }
    return (double) partition.bytes() / bound;
  }

  @Override
  public boolean outlivesRun() {
    return true;
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

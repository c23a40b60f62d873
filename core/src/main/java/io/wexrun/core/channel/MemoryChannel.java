package io.wexrun.core.channel;

import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.tally.Account;
import java.util.ArrayDeque;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalLong;
import java.util.Queue;

/**
 * A channel in memory. It keeps a block only until it is taken: what must be delivered again, the
 * intake must read again.
 */
public final class MemoryChannel implements Channel {
  /** How often one who puts looks whether others have given memory back. */
  private static final long LOOK_MILLIS = 20;

  private final Memory.Share memory;
  private final Map<SourcePartition, Long> accounted;
  private final Map<SourcePartition, Long> ends;
  private final Queue<Block> waiting = new ArrayDeque<>();
  private Runnable listener = () -> {};
  private boolean ended;
  private boolean abandoned;

  /**
   * An empty channel.
   *
   * @param memory what blocks that wait are counted in; closed with the channel
   * @param accounted the positions of the tally
   */
  public MemoryChannel(Memory.Share memory, Map<SourcePartition, Long> accounted) {
    this.memory = memory;
    this.accounted = new HashMap<>(accounted);
    this.ends = new HashMap<>(accounted);
  }

  @Override
  public synchronized long begin(SourcePartition source, long start) {
    accounted.putIfAbsent(source, start);
    return ends.computeIfAbsent(source, s -> start);
  }

  @Override
  public boolean put(Block block) throws InterruptedException {
    Runnable told;
    synchronized (this) {
      while (!ended && follows(block) && !memory.room(block.length())) {
        if (abandoned) {
          return false;
        }
        wait(LOOK_MILLIS);
      }
      if (ended) {
        return false;
      }
      if (!follows(block)) {
        return true;
      }
      long end = ends.get(block.source());
      waiting.add(end > block.first() ? block.since(end) : block);
      memory.take(block.length());
      ends.put(block.source(), block.end());
      told = listener;
    }
    told.run();
    return true;
  }

  private boolean follows(Block block) {
    long end = ends.getOrDefault(block.source(), Long.MIN_VALUE);
    return block.first() <= end && end < block.end();
  }

  @Override
  public Map<SourcePartition, Long> sync() {
    return NOTHING;
  }

  @Override
  public synchronized Optional<Block> take() {
    Block block = waiting.poll();
    if (block != null) {
      memory.give(block.length());
      notifyAll();
    }
    return Optional.ofNullable(block);
  }

  @Override
  public synchronized void listen(Runnable put) {
    listener = put;
  }

  @Override
  public synchronized boolean exhausted() {
    return ended && waiting.isEmpty();
  }

  @Override
  public synchronized Map<SourcePartition, Long> rewind() {
    waiting.clear();
    memory.give(memory.held());
    Map<SourcePartition, Long> back = new HashMap<>();
    ends.forEach(
        (source, end) -> {
          long position = accounted.get(source);
          if (position != end) {
            back.put(source, position);
          }
        });
    ends.putAll(back);
    ended &= back.isEmpty();
    notifyAll();
    return back;
  }

  @Override
  public synchronized void accounted(List<Account> accounts) {
    accounts.forEach(account -> accounted.put(account.source(), account.to()));
  }

  @Override
  public void end() {
    Runnable told;
    synchronized (this) {
      ended = true;
      notifyAll();
      told = listener;
    }
    told.run();
  }

  @Override
  public synchronized void abandon() {
    abandoned = true;
    notifyAll();
  }

  @Override
  public OptionalLong held() {
    return OptionalLong.empty();
  }

  @Override
  public boolean outlivesRun() {
    return false;
  }

  @Override
  public void close() {
    memory.close();
  }
}

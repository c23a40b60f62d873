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
  private final Memory.Share memory;
  private final Map<SourcePartition, Long> accounted;
  private final Map<SourcePartition, Long> ends;
  private final Queue<Block> waiting = new ArrayDeque<>();
  private Runnable listener = () -> {};
  private volatile Runnable room = () -> {};
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
  public Put put(Block block) {
    Runnable told;
    synchronized (this) {
      if (ended) {
        return Put.ENDED;
      }
      if (!follows(block)) {
        return Put.TAKEN;
      }
      if (!memory.room(block.length())) {
        return abandoned ? Put.ENDED : Put.FULL;
      }
      long end = ends.get(block.source());
      waiting.add(end > block.first() ? block.since(end) : block);
      memory.take(block.length());
      ends.put(block.source(), block.end());
      told = listener;
    }
    told.run();
    return Put.TAKEN;
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
  public Optional<Block> take() {
    Block block;
    synchronized (this) {
      block = waiting.poll();
      if (block == null) {
        return Optional.empty();
      }
      memory.give(block.length());
    }
    room.run();
    return Optional.of(block);
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
  public synchronized boolean exhausted() {
    return ended && waiting.isEmpty();
  }

  @Override
  public Map<SourcePartition, Long> rewind() {
    Map<SourcePartition, Long> back = rewound();
    room.run();
    return back;
  }

  private synchronized Map<SourcePartition, Long> rewound() {
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
  public OptionalLong held() {
    return OptionalLong.empty();
  }

  @Override
  public double fill() {
    return memory.fill();
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

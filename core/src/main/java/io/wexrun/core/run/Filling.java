package io.wexrun.core.run;

import io.wexrun.core.channel.Channel;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.identity.Identity;
import io.wexrun.core.intake.Assigner;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Intake;
import io.wexrun.core.intake.Source;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.tally.Account;
import java.time.Duration;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.TreeMap;
import java.util.function.Consumer;

/**
 * Fills a channel from an intake, in a thread of its own, which is the only one that calls the
 * intake: it looks for source partitions, assigns them, takes their blocks, and tells the intake
 * what has become of them.
 */
final class Filling {
  /** How long an intake is waited for: the longer, the longer nothing has come. */
  private static final long SHORTEST_POLL = 100;

  private static final long LONGEST_POLL = 600;
  private static final long SYNC_NANOS = Duration.ofMillis(200).toNanos();

  private final RunParts parts;
  private final RunOptions options;
  private final Intake intake;
  private final Channel channel;
  private final Assigner assigner;
  private final Backoff backoff;
  private final Consumer<String> waits;
  private final Map<SourcePartition, Long> back = new HashMap<>();
  private final Map<SourcePartition, Long> accounted = new TreeMap<>();
  private boolean stopped;
  private boolean delivered;
  private long syncedAt = System.nanoTime();
  private long poll = SHORTEST_POLL;

  /**
   * A filling that has not begun.
   *
   * @param waits is told why a block cannot be put for now
   */
  Filling(RunParts parts, RunOptions options, Consumer<String> waits) {
    this.parts = parts;
    this.options = options;
    this.intake = parts.intake();
    this.channel = parts.channel();
    this.backoff = new Backoff(options.retry());
    this.waits = waits;
    this.assigner =
        new Assigner(intake, source -> channel.begin(source.partition(), source.start()));
  }

  /**
   * Takes in until the intake is drained or the filling is stopped; the channel has ended then.
   * After a failure nothing is told to the intake any more.
   */
  void work() throws InterruptedException {
    try {
      boolean more = true;
      while (more && !isStopped()) {
        try {
          more = step();
          backoff.reset();
        } catch (OutsideException e) {
          if (options.failsAtOnce() || e.lasting() || isStopped()) {
            throw e;
          }
          waits.accept("cannot take in, and it is tried again: " + e.getMessage());
          if (!backoff.pause()) {
            throw e;
          }
        }
      }
    } finally {
      channel.end();
    }
  }

  /** Takes a block, or looks what there is; false if nothing more comes. */
  private boolean step() throws InterruptedException {
    Map<SourcePartition, Long> goBack = takeBack();
    try {
      assigner.assign(goBack);
    } catch (OutsideException e) {
      giveBack(goBack);
      throw e;
    }
    tellAccounted();
    if (assigner.lookIsDue()) {
      look();
    }
    Optional<Block> block = intake.poll(Duration.ofMillis(poll));
    if (block.isPresent()) {
      poll = SHORTEST_POLL;
      if (!put(block.get())) {
        return false;
      }
      if (System.nanoTime() - syncedAt > SYNC_NANOS) {
        sync();
      }
      return true;
    }
    poll = Math.min(2 * poll, LONGEST_POLL);
    sync();
    return look() || !options.untilDrained() || !intake.drained() || goesBack();
  }

  /**
   * Tells the intake what is accounted for until the last delivery has ended.
   *
   * @return whether it must work again, because what it took must be taken again
   */
  boolean mustGoOn() throws InterruptedException {
    while (true) {
      tellAccounted();
      synchronized (this) {
        if (!back.isEmpty() && !stopped) {
          return true; // Who is stopped leaves it to the next run.
        }
        if (delivered && accounted.isEmpty()) {
          return false;
        }
        if (accounted.isEmpty()) {
          wait();
        }
      }
    }
  }

  /** Whether there were source partitions that are new. */
  private boolean look() {
    List<Source> news = assigner.look();
    Map<SourcePartition, Identity> identities = new TreeMap<>();
    for (Source source : news) {
      source.identity().ifPresent(identity -> identities.put(source.partition(), identity));
    }
    if (!identities.isEmpty()) {
      parts.tally().identify(parts.pipeline().name(), identities);
    }
    return !news.isEmpty();
  }

  /** Puts a block, also if the channel's disk is full for a while; false if it was not taken. */
  private boolean put(Block block) throws InterruptedException {
    while (true) {
      try {
        boolean put = channel.put(block);
        backoff.reset();
        return put;
      } catch (OutsideException e) {
        if (options.failsAtOnce() || isStopped()) {
          throw e;
        }
        waits.accept("the intake waits: " + e.getMessage());
        if (!backoff.pause()) {
          throw e;
        }
      }
    }
  }

  private void sync() {
    Map<SourcePartition, Long> durable = channel.sync();
    if (!durable.isEmpty()) {
      intake.durable(durable);
    }
    syncedAt = System.nanoTime();
  }

  private void tellAccounted() {
    Map<SourcePartition, Long> ends;
    synchronized (this) {
      ends = Map.copyOf(accounted);
      accounted.clear();
    }
    if (!ends.isEmpty()) {
      intake.accounted(ends);
    }
  }

  /** These ranges are in the tally. From any thread. */
  synchronized void accounted(List<Account> accounts) {
    accounts.forEach(account -> accounted.put(account.source(), account.to()));
    notifyAll();
  }

  /** The intake must go back to positions. From any thread. */
  synchronized void goBack(Map<SourcePartition, Long> positions) {
    back.putAll(positions);
    notifyAll();
  }

  private synchronized boolean goesBack() {
    return !back.isEmpty();
  }

  private synchronized Map<SourcePartition, Long> takeBack() {
    Map<SourcePartition, Long> positions = Map.copyOf(back);
    back.clear();
    return positions;
  }

  /** They could not be gone back to, and will be, unless it is even further back by now. */
  private synchronized void giveBack(Map<SourcePartition, Long> positions) {
    positions.forEach((source, position) -> back.merge(source, position, Math::min));
  }

  private synchronized boolean isStopped() {
    return stopped;
  }

  /** Takes in no more. From any thread. */
  void stop() {
    synchronized (this) {
      stopped = true;
      notifyAll();
    }
    backoff.end();
    channel.end();
  }

  /** No delivery comes any more. From any thread. */
  synchronized void delivered() {
    delivered = true;
    notifyAll();
  }
}

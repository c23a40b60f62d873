package io.wexrun.core.run;

import io.wexrun.core.channel.Channel;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.identity.Identity;
import io.wexrun.core.intake.Assigner;
import io.wexrun.core.intake.Backlog;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Intake;
import io.wexrun.core.intake.Source;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.schema.Instants;
import io.wexrun.core.tally.Account;
import java.time.Duration;
import java.time.Instant;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalLong;
import java.util.TreeMap;
import java.util.function.Consumer;

/**
 * Fills a channel from an intake, in turns, which alone call the intake: it looks for source
 * partitions, assigns them, takes their blocks, and tells the intake what has become of them.
 */
final class Filling {
  /** After how long an intake is asked again: the longer, the longer nothing has come. */
  private static final long SHORTEST_REST = 100;

  /** Who does not listen waits in its poll, at most so long. */
  private static final long LONGEST_POLL = 600;

  /** A run that is to end when drained is not kept waiting. */
  private static final long SHORT_REST = 10;

  /** What is written together need not be read one by one. */
  private static final long GATHER_MILLIS = 10;

  /** How often it is looked whether others have given memory back. */
  private static final long ROOM_MILLIS = 20;

  private static final long SYNC_NANOS = Duration.ofMillis(200).toNanos();
  private static final long BACKLOG_NANOS = Duration.ofMillis(500).toNanos();
  private static final long AGAIN = 0;

  private final RunParts parts;
  private final RunOptions options;
  private final Intake intake;
  private final Channel channel;
  private final Assigner assigner;
  private final Backoff backoff;
  private final Consumer<String> waits;
  private final Turns.Task turns;
  private final WorkSheet sheet;
  private final Map<SourcePartition, Long> back = new HashMap<>();
  private final Map<SourcePartition, Long> accounted = new TreeMap<>();
  private OutsideException failed;
  private Block pending;
  private boolean listens;
  private boolean rests;
  private boolean ended;
  private boolean stopped;
  private boolean delivered;
  private long syncedAt = System.nanoTime();
  private long rest;
  private volatile Optional<Backlog> backlog = Optional.empty();
  private final OnTheWay onTheWay = new OnTheWay();
  private long backlogAt = System.nanoTime();

  /**
   * A filling that has not begun.
   *
   * @param turns its turns, which are woken when there is something to do
   * @param sheet where it is added up how long reading took
   * @param waits is told why a block cannot be put for now
   */
  Filling(
      RunParts parts,
      RunOptions options,
      Turns.Task turns,
      WorkSheet sheet,
      Consumer<String> waits) {
    this.parts = parts;
    this.options = options;
    this.intake = parts.intake();
    this.channel = parts.channel();
    this.backoff = new Backoff(options.retry());
    this.turns = turns;
    this.waits = waits;
    this.sheet = sheet;
    this.rest = shortestRest();
    this.assigner =
        new Assigner(intake, source -> channel.begin(source.partition(), source.start()));
  }

  /** Has its first turn, and more whenever something may have come. */
  void begin() {
    channel.listenForRoom(turns::wake);
    listens = intake.listen(() -> turns.wakeWithin(GATHER_MILLIS));
    turns.wake();
  }

  private long shortestRest() {
    return options.untilDrained() ? SHORT_REST : SHORTEST_REST;
  }

  private long longestRest() {
    long patience = listens ? Math.max(1, intake.patience().toMillis()) : LONGEST_POLL;
    return options.untilDrained() ? Math.min(patience, SHORTEST_REST) : patience;
  }

  /**
   * A turn: takes in what there is, or tells the intake what is accounted for once no more comes.
   *
   * @return after how many milliseconds the next one is due, {@link Turns#DONE} when nothing is
   *     left to take or to tell
   * @throws RuntimeException why it cannot take in; the channel has ended then, and nothing is told
   *     to the intake any more
   */
  long turn() {
    if (ended) {
      return afterwards();
    }
    boolean goesOn = false;
    try {
      long next = fill();
      goesOn = next != Turns.DONE;
      if (goesOn) {
        return next;
      }
    } finally {
      if (!goesOn) {
        ended = true;
        channel.end();
      }
    }
    return afterwards();
  }

  /** Takes in until there is nothing, no room, or no more. */
  private long fill() {
    if (failed != null && isStopped()) {
      throw failed;
    }
    if (failed != null && backoff.left() > 0) {
      return backoff.left();
    }
    failed = null;
    long next = AGAIN;
    while (next == AGAIN) {
      if (isStopped()) {
        return Turns.DONE;
      }
      try {
        next = step();
      } catch (OutsideException e) {
        boolean full = pending != null; // Then it is the channel that has failed.
        if (options.failsAtOnce() || !full && e.lasting() || isStopped()) {
          throw e;
        }
        waits.accept(
            (full ? "the intake waits: " : "cannot take in, and it is tried again: ")
                + e.getMessage());
        failed = e;
        backoff.begin();
        return backoff.left();
      }
    }
    return next;
  }

  /** Takes a block, or looks what there is. */
  private long step() {
    if (pending != null) {
      return put();
    }
    Map<SourcePartition, Long> goBack = takeBack();
    try {
      assigner.assign(goBack);
    } catch (OutsideException e) {
      giveBack(goBack);
      throw e;
    }
    tellAccounted();
    boolean looks = assigner.lookIsDue();
    boolean found = looks && look();
    long begun = System.nanoTime();
    noteBacklog(begun);
    Optional<Block> block = intake.poll(Duration.ofMillis(listens || !rests ? 0 : rest));
    if (block.isPresent()) {
      sheet.read(System.nanoTime() - begun);
      pending = block.get();
      onTheWay.took(pending);
      rests = false;
      rest = shortestRest();
      return put();
    }
    sync();
    found |= !looks && look();
    if (!found && options.untilDrained() && intake.drained() && !goesBack()) {
      return Turns.DONE;
    }
    backoff.reset();
    if (found || !rests || !listens) {
      rests = true; // What came while it was looked is not kept waiting.
      return AGAIN;
    }
    long now = Math.min(rest, longestRest());
    rest = Math.min(2 * rest, longestRest());
    return now;
  }

  private void noteBacklog(long now) {
    if (now - backlogAt > BACKLOG_NANOS) {
      backlog = intake.backlog();
      backlogAt = System.nanoTime();
    }
  }

  /**
   * How far the pipeline is behind its source, with what is between the source and the targets; a
   * little old. From any thread.
   */
  Optional<Backlog> backlog() {
    long between = onTheWay.sum();
    return backlog.map(b -> new Backlog(b.done(), b.left() + between, b.unit()));
  }

  /** When the oldest of that was taken; empty if there is nothing. From any thread. */
  Optional<Instant> oldest() {
    OptionalLong oldest = onTheWay.oldest();
    return oldest.isEmpty() ? Optional.empty() : Optional.of(Instants.instant(oldest.getAsLong()));
  }

  /** Puts the block that was taken. */
  private long put() {
    Channel.Put put = channel.put(pending);
    if (put == Channel.Put.FULL) {
      return ROOM_MILLIS;
    }
    pending = null;
    backoff.reset();
    if (put == Channel.Put.ENDED) {
      return Turns.DONE;
    }
    if (System.nanoTime() - syncedAt > SYNC_NANOS) {
      sync();
    }
    return AGAIN;
  }

  /** Tells the intake what is accounted for until the last delivery has ended. */
  private long afterwards() {
    tellAccounted();
    synchronized (this) {
      if (!back.isEmpty() && !stopped) {
        ended = false; // What it took must be taken again; who is stopped leaves it.
        return AGAIN;
      }
      return delivered && accounted.isEmpty() ? Turns.DONE : Turns.WHEN_WOKEN;
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
  void accounted(List<Account> accounts) {
    synchronized (this) {
      accounts.forEach(account -> accounted.put(account.source(), account.to()));
    }
    onTheWay.accounted(accounts);
    turns.wakeWithin(GATHER_MILLIS);
  }

  /** The intake must go back to positions. From any thread. */
  void goBack(Map<SourcePartition, Long> positions) {
    synchronized (this) {
      back.putAll(positions);
    }
    turns.wake();
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
    }
    channel.end();
    turns.wake();
  }

  /** No delivery comes any more. From any thread. */
  void delivered() {
    synchronized (this) {
      delivered = true;
    }
    turns.wake();
  }
}

package io.wexrun.core.run;

import io.wexrun.core.batch.Rows;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.pipeline.FlushPolicy;
import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.core.pipeline.Route;
import io.wexrun.core.shape.Shaped;
import io.wexrun.core.tally.Account;
import io.wexrun.core.tally.Counts;
import io.wexrun.core.tally.TallyStore;
import io.wexrun.core.target.Flush;
import io.wexrun.core.target.Receipt;
import io.wexrun.core.target.Target;
import java.util.Comparator;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.concurrent.BlockingQueue;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.CompletionException;
import java.util.concurrent.Executor;
import java.util.concurrent.LinkedBlockingQueue;
import java.util.concurrent.TimeUnit;

/**
 * Puts shaped blocks back in order, hands their rows to the targets' buffers, flushes, and writes
 * the tally. One thread owns all of it; lanes and flushes only send it events.
 */
final class Accountant {
  /** What lanes, flushes and the intake tell. */
  private sealed interface Event {
    record Done(long number, Shaped shaped) implements Event {}

    record Committed(Buffer.Sent sent, Receipt receipt) implements Event {}

    record Failed(Throwable cause) implements Event {}

    record Ended(long blocks) implements Event {}
  }

  private static final long TICK_MILLIS = 20;

  private final Pipeline pipeline;
  private final TallyStore tally;
  private final RunOptions options;
  private final MemoryChannel channel;
  private final Executor threads;
  private final BlockingQueue<Event> events = new LinkedBlockingQueue<>();
  private final Map<String, Buffer> buffers = new LinkedHashMap<>();
  private final Map<Long, Shaped> early = new HashMap<>();
  private final Books books = new Books();
  private long absorbed;
  private long blocks = Long.MAX_VALUE;
  private long bufferedBytes;
  private volatile Progress progress = new Progress(0, 0, 0, 0, 0, 0);

  Accountant(
      Pipeline pipeline,
      Map<String, Target> targets,
      TallyStore tally,
      RunOptions options,
      MemoryChannel channel,
      Executor threads) {
    this.pipeline = pipeline;
    this.tally = tally;
    this.options = options;
    this.channel = channel;
    this.threads = threads;
    FlushPolicy policy = pipeline.flush();
    targets.forEach((name, target) -> buffers.put(name, new Buffer(name, target, policy)));
  }

  /** A lane has shaped the block with a number. From any thread. */
  void shaped(long number, Shaped shaped) {
    events.add(new Event.Done(number, shaped));
  }

  /** Something went wrong; the run ends. From any thread. */
  void failed(Throwable cause) {
    events.add(new Event.Failed(cause));
  }

  /** The intake has ended after so many blocks. From any thread. */
  void ended(long allBlocks) {
    events.add(new Event.Ended(allBlocks));
  }

  Progress progress() {
    return progress;
  }

  /**
   * Works until everything that was taken is accounted for.
   *
   * @throws Throwable what made the run fail
   */
  void work() throws Throwable {
    while (true) {
      Event event = events.poll(TICK_MILLIS, TimeUnit.MILLISECONDS);
      boolean settle = event == null;
      while (event != null) {
        settle |= handle(event);
        event = events.poll();
      }
      absorb();
      flushDue();
      if (settle || blocks <= absorbed) {
        account();
      }
      if (absorbed == blocks
          && books.isEmpty()
          && buffers.values().stream().allMatch(Buffer::idle)) {
        return;
      }
    }
  }

  /** Takes an event in; true if a range may be done by it. */
  private boolean handle(Event event) throws Throwable {
    if (event instanceof Event.Done done) {
      early.put(done.number(), done.shaped());
      return false;
    }
    if (event instanceof Event.Committed committed) {
      committed(committed.sent(), committed.receipt());
      return true;
    }
    if (event instanceof Event.Ended end) {
      blocks = end.blocks();
      return true;
    }
    throw ((Event.Failed) event).cause();
  }

  /** Moves blocks into the buffers, in the order of the intake, as long as the targets keep up. */
  private void absorb() {
    long now = options.clock().millis();
    while (!held(now)) {
      Shaped shaped = early.remove(absorbed);
      if (shaped == null) {
        return;
      }
      absorbed++;
      channel.release(shaped.block());
      enter(shaped, now);
      flushDue();
    }
  }

  /** Whether some target must finish a flush before more can be taken in. */
  private boolean held(long now) {
    if (bufferedBytes > options.bufferBytes()) {
      return buffers.values().stream().anyMatch(b -> !b.free());
    }
    return buffers.values().stream().anyMatch(b -> b.due(now) && !b.free());
  }

  private void enter(Shaped shaped, long now) {
    Map<String, Long> loaded = new TreeMap<>();
    shaped.rows().forEach((name, rows) -> loaded.put(name, (long) rows.count()));
    Counts counts =
        new Counts(
            shaped.taken(),
            shaped.unfolded(),
            shaped.copied(),
            loaded,
            shaped.reasons(),
            shaped.dropped());
    Range range =
        new Range(shaped.block().source(), shaped.block().first(), shaped.block().end(), counts);
    shaped.rows().forEach((name, rows) -> add(name, shaped, rows, range, now));
    if (shaped.dead().count() > 0) {
      add(Route.DEAD, shaped, shaped.dead(), range, now);
    }
    books.enter(range);
    Progress p = progress;
    progress =
        new Progress(
            p.taken() + counts.taken(),
            p.loaded(),
            p.dead(),
            p.dropped(),
            p.held() + counts.in(),
            p.bytes() + shaped.block().length());
  }

  private void add(String name, Shaped shaped, Rows rows, Range range, long now) {
    Buffer buffer = buffers.get(name);
    // Raw rows keep their whole block in memory, so that is what they count.
    boolean raw = rows.batch().records().data() != null;
    long blockBytes = raw ? shaped.block().data().length : 0;
    long bytes = rows.bytes() + blockBytes;
    long allocated = rows.batch().allocated() + blockBytes;
    range.waitFor();
    bufferedBytes += allocated;
    buffer.add(
        new Flush.Part(shaped.block().source(), shaped.block().end(), rows),
        range,
        bytes,
        allocated,
        now);
  }

  private void flushDue() {
    long now = options.clock().millis();
    boolean ending = absorbed == blocks;
    for (Buffer buffer : buffers.values()) {
      if (buffer.free() && (buffer.due(now) || ending && !buffer.isEmpty())) {
        send(buffer);
      }
    }
    if (bufferedBytes > options.bufferBytes()) {
      buffers.values().stream()
          .filter(b -> b.free() && !b.isEmpty())
          .max(Comparator.comparingLong(Buffer::allocated))
          .ifPresent(this::send);
    }
  }

  private void send(Buffer buffer) {
    buffer.send(threads, this::sent);
  }

  private void sent(Buffer.Sent sent, CompletableFuture<Receipt> commit) {
    try {
      events.add(new Event.Committed(sent, commit.join()));
    } catch (CompletionException e) {
      events.add(new Event.Failed(e.getCause()));
    }
  }

  private void committed(Buffer.Sent sent, Receipt receipt) {
    long rows = sent.flush().rows();
    if (receipt.written() + receipt.skipped() != rows) {
      throw new OutsideException(
          "target "
              + sent.buffer().name
              + " of pipeline "
              + pipeline.name()
              + " wrote "
              + receipt.written()
              + " rows and skipped "
              + receipt.skipped()
              + ", but was given "
              + rows
              + "; the tally stays where it was");
    }
    sent.buffer().committed();
    sent.ranges().forEach(Range::committed);
    bufferedBytes -= sent.allocated();
    boolean dead = sent.buffer().name.equals(Route.DEAD);
    Progress p = progress;
    progress =
        new Progress(
            p.taken(),
            p.loaded() + (dead ? 0 : receipt.written()),
            p.dead() + (dead ? receipt.written() : 0),
            p.dropped(),
            p.held(),
            p.bytes());
  }

  private void account() {
    List<Account> accounts = books.settle();
    if (accounts.isEmpty()) {
      return;
    }
    tally.account(pipeline.name(), accounts);
    Counts sum = accounts.stream().map(Account::counts).reduce(Counts.NONE, Counts::plus);
    Progress p = progress;
    progress =
        new Progress(
            p.taken(),
            p.loaded(),
            p.dead(),
            p.dropped() + sum.dropped(),
            p.held() - sum.in(),
            p.bytes());
  }
}

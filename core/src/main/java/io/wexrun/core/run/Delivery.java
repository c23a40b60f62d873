package io.wexrun.core.run;

import io.wexrun.core.batch.Rows;
import io.wexrun.core.channel.Memory;
import io.wexrun.core.diagnose.Counted;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.Route;
import io.wexrun.core.schema.Instants;
import io.wexrun.core.shape.Shaped;
import io.wexrun.core.shape.Shaper;
import io.wexrun.core.shape.UnshapeableException;
import io.wexrun.core.tally.Account;
import io.wexrun.core.tally.Counts;
import io.wexrun.core.target.Flush;
import io.wexrun.core.target.Receipt;
import io.wexrun.core.target.Refusal;
import java.util.ArrayDeque;
import java.util.Comparator;
import java.util.Deque;
import java.util.HashMap;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalLong;
import java.util.Set;
import java.util.TreeMap;
import java.util.concurrent.BlockingQueue;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.CompletionException;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.LinkedBlockingQueue;
import java.util.concurrent.atomic.AtomicBoolean;
import java.util.concurrent.atomic.AtomicLong;
import java.util.function.Consumer;

/**
 * One attempt to deliver what a channel has: lets lanes shape its blocks, puts them back in order,
 * hands their rows to the targets' buffers, flushes, and writes the tally. All of it is done in
 * turns; lanes, flushes and the channel only send it events, which wake it. If anything fails, the
 * attempt ends, and what it did not account for is delivered by another one.
 */
final class Delivery {
  /** What lanes, flushes and the channel tell. */
  private sealed interface Event {
    record Done(long number, Shaped shaped, Map<String, Moments> moments) implements Event {}

    record Committed(Buffer.Sent sent, Receipt receipt) implements Event {}

    record Unshaped(long number, Throwable cause) implements Event {}

    record Uncommitted(Buffer.Sent sent, Throwable cause) implements Event {}

    record Put() implements Event {}
  }

  /** Ends a search for rows that a store refuses, by an exception, if too many are. */
  @FunctionalInterface
  interface Limit {
    void searched(long rows, long refused);
  }

  /** A block that a lane shapes. */
  private record Shaping(Block block, long since) {}

  /** A store refused rows whose raw records were not kept: they must come again. */
  static final class RawRecordsNeeded extends RuntimeException {
    private static final long serialVersionUID = 1;
    private final transient Buffer.Sent sent;
    private final transient Receipt receipt;

    RawRecordsNeeded(Buffer.Sent sent, Receipt receipt) {
      super("rows were refused whose raw records are not there any more");
      this.sent = sent;
      this.receipt = receipt;
    }
  }

  /** Rows take a few times as much memory as their raw records; that much is not counted. */
  private static final long USUAL_TIMES = 8;

  private static final long TICK_MILLIS = 20;
  private static final long AGE_MILLIS = 100;
  private static final long SITUATION_NANOS = 200_000_000;
  private static final long IDLE_MILLIS = 1000;
  private static final long SEARCH_NANOS = 5_000_000_000L;

  private final RunParts parts;
  private final Shaper shaper;
  private final RunOptions options;
  private final Lanes lanes;
  private final boolean keepsRaw;
  private final Consumer<List<Account>> told;
  private final Consumer<String> slow;
  private final Limit limit;
  private final Turns.Task turns;
  private final WorkSheet sheet;
  private final BlockingQueue<Event> events = new LinkedBlockingQueue<>();
  private final AtomicBoolean putTold = new AtomicBoolean();
  private final Map<String, Buffer> buffers = new LinkedHashMap<>();
  private final Map<Range, Block> raw = new ConcurrentHashMap<>();
  private final Map<Long, Event.Done> early = new HashMap<>();
  private final Map<Long, Long> weights = new HashMap<>();

  /**
   * What is made of a block beyond its usual weight, and the parts of it that are left to shape.
   */
  private final Map<Long, Long> extras = new HashMap<>();

  private final Map<Long, Deque<Block>> parted = new HashMap<>();
  private final Map<Long, Shaping> shaping = new ConcurrentHashMap<>();
  private final Set<Long> stuck = new HashSet<>();
  private final Books books = new Books();
  private final Refusals refusals;
  private final Memory.Share window;
  private final Memory.Share rows;
  private long dispatched;
  private long tasks;
  private long returned;
  private long absorbed;
  private volatile Situation situation = Situation.NONE;
  private long situationAt = System.nanoTime();
  private volatile Progress progress = Progress.NONE;
  private volatile long takenAndAccounted;
  private volatile boolean stopped;
  private boolean open;
  private boolean settles;

  /**
   * An attempt.
   *
   * @param shaper shapes everything that is delivered in this attempt
   * @param keepsRaw whether raw records are kept until their rows are committed, so that what a
   *     store refuses becomes dead letters
   * @param told is told what was written to the tally, in the delivery's turns
   * @param slow is told of a flush that takes long, over and over
   * @param limit ends a search for rows that a store refuses, if too many are
   * @param turns its turns, which are woken when there is something to do
   * @param sheet where it is added up what was done
   */
  Delivery(
      RunParts parts,
      Shaper shaper,
      Lanes lanes,
      RunOptions options,
      boolean keepsRaw,
      Consumer<List<Account>> told,
      Consumer<String> slow,
      Limit limit,
      Turns.Task turns,
      WorkSheet sheet) {
    this.parts = parts;
    this.shaper = shaper;
    this.lanes = lanes;
    this.options = options;
    this.keepsRaw = keepsRaw;
    this.told = told;
    this.slow = slow;
    this.limit = limit;
    this.turns = turns;
    this.sheet = sheet;
    this.refusals = new Refusals(parts.pipeline().name(), shaper.version(), parts.targets());
    this.window = lanes.raw().share();
    this.rows = lanes.rows().share();
  }

  /** How far the attempt has got. From any thread. */
  Progress progress() {
    return progress;
  }

  /**
   * Takes no more from the channel: what was taken is shaped, flushed and accounted for. From any
   * thread.
   */
  void stop() {
    stopped = true;
    tell(new Event.Put());
  }

  private void tell(Event event) {
    events.add(event);
    turns.wake();
  }

  /** How it stands between channel and targets; a little old. From any thread. */
  Situation situation() {
    return situation;
  }

  private void noteSituation() {
    if (System.nanoTime() - situationAt < SITUATION_NANOS && !books.isEmpty()) {
      return;
    }
    situationAt = System.nanoTime();
    double fill = buffers.values().stream().mapToDouble(Buffer::fill).max().orElse(0);
    OptionalLong oldest = books.oldest();
    situation =
        new Situation(
            Optional.empty(),
            parts.channel().fill(),
            fill,
            oldest.isEmpty()
                ? Optional.empty()
                : Optional.of(Instants.instant(oldest.getAsLong())));
  }

  /** How many records it has taken and accounted for. From any thread. */
  long accounted() {
    return takenAndAccounted;
  }

  /**
   * Works until there is nothing to do for now, or the channel is exhausted and everything that was
   * taken is accounted for: then the attempt has ended, and its targets are closed.
   *
   * @return after how many milliseconds it must work again, or {@link Turns#DONE}
   * @throws Throwable what made the attempt fail; it has ended then, too
   */
  long turn() throws Throwable {
    Throwable failure = null;
    try {
      if (!open) {
        open();
      }
      long next = deliver();
      if (next != Turns.DONE) {
        return next;
      }
    } catch (Throwable e) {
      failure = e;
    }
    close(failure);
    return Turns.DONE;
  }

  private void open() {
    open = true;
    parts
        .openTargets()
        .forEach((name, t) -> buffers.put(name, new Buffer(name, t, parts.pipeline().flush())));
    parts.channel().listen(this::put);
  }

  private void close(Throwable cause) throws Throwable {
    Throwable failure = cause;
    parts.channel().listen(() -> {});
    failure = closing(failure, this::awaitOthers);
    for (Buffer buffer : buffers.values()) {
      failure = closing(failure, buffer.target::close);
    }
    failure = closing(failure, refusals::close);
    stuck.forEach(number -> lanes.oneLess());
    window.close();
    rows.close();
    if (failure != null) {
      throw failure;
    }
  }

  private static Throwable closing(Throwable failure, Runnable close) {
    try {
      close.run();
    } catch (RuntimeException e) {
      if (failure == null) {
        return e;
      }
      failure.addSuppressed(e);
    }
    return failure;
  }

  /** Something was put into the channel, or it has ended. From any thread. */
  private void put() {
    if (putTold.compareAndSet(false, true)) {
      tell(new Event.Put());
    }
  }

  private long deliver() throws Throwable {
    do {
      dispatch();
      Event event = events.poll();
      boolean settle = false;
      while (event != null) {
        settle |= handle(event);
        event = events.poll();
      }
      absorb();
      flushDue();
      tellSlow();
      if (!stopped && parts.renewal().due()) {
        stop();
      }
      if (settle || settles || ending()) {
        settles = false;
        account();
      }
      if (ending() && books.isEmpty() && buffers.values().stream().allMatch(Buffer::idle)) {
        return Turns.DONE;
      }
    } while (!events.isEmpty());
    noteSituation();
    return waiting();
  }

  /** A step that does not end holds a lane: it gets a substitute, and that is told. */
  private void tellStuck() {
    stuck.removeIf(
        number -> {
          boolean ended = !shaping.containsKey(number);
          if (ended) {
            lanes.oneLess();
          }
          return ended;
        });
    shaping.forEach(
        (number, each) -> {
          if (System.nanoTime() - each.since() > options.slow().toNanos()) {
            if (stuck.add(number)) {
              lanes.oneMore();
            }
            slow.accept(
                "a step has not ended for more than "
                    + options.slow().toSeconds()
                    + " s with records of "
                    + each.block().source()
                    + " from position "
                    + each.block().first()
                    + " on: it may hang");
          }
        });
  }

  private void tellSlow() {
    tellStuck();
    for (Buffer buffer : buffers.values()) {
      if (buffer.stuckFor() > options.slow().toNanos()) {
        slow.accept(
            "a flush of "
                + buffer.name
                + " has not ended for more than "
                + options.slow().toSeconds()
                + " s: its store may hang");
      }
    }
  }

  /** How long nothing may come before it is looked whether something is due. */
  private long waiting() {
    if (window.full() || rows.full()) {
      return TICK_MILLIS; // Others may give memory back.
    }
    long now = options.clock().millis();
    boolean changes = parts.renewal() != Renewal.NONE;
    long wait = changes ? IDLE_MILLIS : Turns.WHEN_WOKEN;
    for (Buffer buffer : buffers.values()) {
      if (!buffer.isEmpty()) {
        wait = Math.min(wait, Math.max(1, Math.min(AGE_MILLIS, buffer.dueIn(now))));
      }
    }
    boolean works = !books.isEmpty() || returned < tasks;
    return works ? Math.min(wait, AGE_MILLIS) : wait;
  }

  /** Whether everything that there is has been put into the buffers. */
  private boolean ending() {
    return absorbed == dispatched && (stopped || parts.channel().exhausted());
  }

  /** Lets lanes shape what waits in the channel, as long as there is memory for it. */
  private void dispatch() {
    putTold.set(false);
    while (!stopped && !window.full()) {
      Block block = parts.channel().take().orElse(null);
      if (block == null) {
        return;
      }
      for (Block part : shaper.cut(block)) {
        // Parts share the block's bytes, and each counts its share.
        long bytes = part == block ? block.length() : shareOf(part, block);
        window.take(bytes);
        long number = dispatched++;
        weights.put(number, bytes);
        begin(number, part);
      }
    }
  }

  private void begin(long number, Block block) {
    tasks++;
    lanes.shaping().execute(() -> shape(number, block));
  }

  private static long shareOf(Block part, Block whole) {
    double share = (double) (part.end() - part.first()) / (whole.end() - whole.first());
    return Math.max(1, (long) (share * whole.length()));
  }

  private void shape(long number, Block block) {
    shaping.put(number, new Shaping(block, System.nanoTime()));
    try {
      Shaped shaped = shaper.shape(block);
      Map<String, Moments> moments = new HashMap<>();
      long base = block.taken() == 0 ? System.currentTimeMillis() * 1000 : block.taken();
      shaped.rows().forEach((target, part) -> moments.put(target, Moments.of(part, base)));
      sheet.shaped(shaped.efforts());
      tell(new Event.Done(number, shaped, moments));
    } catch (Throwable e) {
      tell(new Event.Unshaped(number, e));
    } finally {
      shaping.remove(number);
    }
  }

  /** Takes an event in; true if a range may be done by it. */
  private boolean handle(Event event) throws Throwable {
    if (event instanceof Event.Done done) {
      returned++;
      early.put(done.number(), done);
      // What was made of a block may be much more than the block, and counts then.
      long usual = USUAL_TIMES * done.shaped().block().length();
      long more = Math.max(0, done.shaped().allocated() - usual);
      window.take(more);
      extras.put(done.number(), more);
      return false;
    }
    if (event instanceof Event.Committed committed) {
      committed(committed.sent(), committed.receipt());
      return true;
    }
    if (event instanceof Event.Unshaped unshaped) {
      returned++;
      if (unshaped.cause() instanceof UnshapeableException whole) {
        Deque<Block> left = parted.computeIfAbsent(unshaped.number(), number -> new ArrayDeque<>());
        left.addFirst(whole.parts().get(1));
        begin(unshaped.number(), whole.parts().get(0));
        return false;
      }
      throw unshaped.cause();
    }
    if (event instanceof Event.Uncommitted uncommitted) {
      uncommitted(uncommitted);
      throw uncommitted.cause();
    }
    return false;
  }

  /** After a failure: waits for lanes and flushes, so that nobody uses what is closed next. */
  private void awaitOthers() {
    boolean interrupted = false;
    while (returned < tasks || buffers.values().stream().anyMatch(Buffer::busy)) {
      try {
        Event event = events.take();
        if (event instanceof Event.Done || event instanceof Event.Unshaped) {
          returned++;
        } else if (event instanceof Event.Committed committed) {
          committed.sent().buffer().ended();
          count(committed.sent(), committed.receipt());
        } else if (event instanceof Event.Uncommitted uncommitted) {
          uncommitted(uncommitted);
        }
      } catch (InterruptedException e) {
        interrupted = true;
      }
    }
    if (interrupted) {
      Thread.currentThread().interrupt();
    }
  }

  private void uncommitted(Event.Uncommitted flush) {
    flush.sent().buffer().ended();
    // Flushes behind it end with the same failure.
    if (flush.cause() instanceof RawRecordsNeeded needed && needed.sent == flush.sent()) {
      count(flush.sent(), needed.receipt); // Its rows are committed, and are skipped next time.
    }
  }

  /** Moves blocks into the buffers, in the order of the intake, as long as the targets keep up. */
  private void absorb() {
    long now = options.clock().millis();
    while (!held(now)) {
      Event.Done done = early.remove(absorbed);
      if (done == null) {
        return;
      }
      window.give(extras.remove(absorbed));
      Deque<Block> left = parted.getOrDefault(absorbed, new ArrayDeque<>());
      if (left.isEmpty()) {
        parted.remove(absorbed);
        window.give(weights.remove(absorbed));
        absorbed++;
      } else {
        begin(absorbed, left.removeFirst()); // Only now: there is memory for one part at a time.
      }
      enter(done.shaped(), done.moments(), now);
      flushDue();
      dispatch();
    }
  }

  /** Whether some target must finish a flush before more can be taken in. */
  private boolean held(long now) {
    if (rows.full()) {
      return buffers.values().stream().anyMatch(b -> !b.free());
    }
    return buffers.values().stream().anyMatch(b -> b.due(now) && !b.free());
  }

  private void enter(Shaped shaped, Map<String, Moments> moments, long now) {
    Map<String, Long> loaded = new TreeMap<>();
    shaped.rows().forEach((name, part) -> loaded.put(name, (long) part.count()));
    Counts counts =
        new Counts(
            shaped.taken(),
            shaped.unfolded(),
            shaped.copied(),
            loaded,
            shaped.reasons(),
            shaped.dropped(),
            shaped.ignored());
    Block block = shaped.block();
    long taken = block.taken() == 0 ? now * 1000 : block.taken();
    Range range =
        new Range(
            block.source(),
            block.first(),
            block.end(),
            taken,
            counts,
            shaped.left(),
            moments.values().stream().flatMapToLong(m -> m.last().stream()).max());
    boolean first = true;
    if (keepsRaw && !shaped.rows().isEmpty()) {
      raw.put(range, block);
    }
    for (Map.Entry<String, Rows> part : shaped.rows().entrySet()) {
      Moments when = moments.get(part.getKey());
      add(part.getKey(), shaped, part.getValue(), range, when, keepsRaw && first, now);
      first = false;
    }
    if (shaped.dead().count() > 0) {
      add(Route.DEAD, shaped, shaped.dead(), range, Moments.NONE, false, now);
    }
    books.enter(range);
    settles |= range.done(); // All of it was dropped.
    progress = progress.plus(new Progress(counts.taken(), 0, 0, 0, counts.in(), block.length()));
  }

  private void add(
      String name,
      Shaped shaped,
      Rows part,
      Range range,
      Moments when,
      boolean countsRaw,
      long now) {
    // Raw rows keep their whole block in memory, so that is what they count.
    boolean isRaw = part.batch().records().data() != null;
    Block block = shaped.block();
    long blockBytes = isRaw ? block.data().length : 0;
    long allocated =
        part.batch().allocated() + blockBytes + (countsRaw && !isRaw ? block.data().length : 0);
    range.waitFor(name, part);
    rows.take(allocated);
    buffers
        .get(name)
        .add(
            new Flush.Part(block.source(), block.first(), block.end(), part),
            range,
            when,
            part.bytes() + blockBytes,
            allocated,
            now);
  }

  private void flushDue() {
    long now = options.clock().millis();
    boolean ending = ending();
    for (Buffer buffer : buffers.values()) {
      if (buffer.free() && (buffer.due(now) || ending && !buffer.isEmpty())) {
        send(buffer);
      }
    }
    if (rows.full()) {
      buffers.values().stream()
          .filter(b -> b.free() && !b.isEmpty())
          .max(Comparator.comparingLong(Buffer::allocated))
          .ifPresent(this::send);
    }
  }

  private void send(Buffer buffer) {
    buffer.send(lanes.flushing(), search(buffer.name), afterwards(buffer.name), this::sent);
  }

  /** A search for rows that a store refuses takes longer than loading: its progress is told. */
  private Flush.Search search(String target) {
    AtomicLong told = new AtomicLong(System.nanoTime());
    return (searched, refused, rows) -> {
      limit.searched(searched, refused);
      long now = System.nanoTime();
      if (now - told.get() > SEARCH_NANOS) {
        told.set(now);
        slow.accept(
            "target "
                + target
                + " refuses rows, and is searched for them: "
                + Counted.number(searched)
                + " of "
                + Counted.of(rows, "row")
                + " searched, "
                + Counted.number(refused)
                + " refused");
      }
    };
  }

  /** What a store refused becomes dead letters before anything else is committed there. */
  private Buffer.Afterwards afterwards(String target) {
    return (sent, receipt) -> {
      if (receipt.refused().isEmpty()) {
        return;
      }
      if (!keepsRaw) {
        throw new RawRecordsNeeded(sent, receipt);
      }
      List<Refusals.Source> sources =
          sent.ranges().stream()
              .map(range -> new Refusals.Source(raw.get(range), range.counts().singles()))
              .toList();
      sent.buried().set(refusals.bury(target, sent.flush(), sources, receipt));
    };
  }

  private void sent(Buffer.Sent sent, CompletableFuture<Receipt> commit) {
    try {
      tell(new Event.Committed(sent, commit.join()));
    } catch (CompletionException e) {
      tell(new Event.Uncommitted(sent, e.getCause()));
    }
  }

  private void committed(Buffer.Sent sent, Receipt receipt) {
    sent.buffer().ended();
    String target = sent.buffer().name;
    long given = sent.flush().rows();
    if (receipt.rows() != given) {
      throw new OutsideException(
          "target "
              + target
              + " of pipeline "
              + parts.pipeline().name()
              + " wrote "
              + receipt.written()
              + " rows, skipped "
              + receipt.skipped()
              + " and refused "
              + receipt.refused().size()
              + ", but was given "
              + given
              + "; the tally stays where it was");
    }
    receipt.refused().forEach(refusal -> refused(target, sent.ranges(), refusal));
    sent.ranges().forEach(Range::committed);
    rows.give(sent.allocated());
    count(sent, receipt);
  }

  /** Counts what a flush committed: each row in the flush that made it durable. */
  private void count(Buffer.Sent sent, Receipt receipt) {
    String target = sent.buffer().name;
    sheet.committed(target, work(sent, receipt));
    boolean dead = target.equals(Route.DEAD);
    long letters = sent.buried().get() + (dead ? receipt.written() : 0);
    progress = progress.plus(new Progress(0, dead ? 0 : receipt.written(), letters, 0, 0, 0));
  }

  private TargetWork work(Buffer.Sent sent, Receipt receipt) {
    if (receipt.written() == 0) {
      return new TargetWork(0, 0, 1, sent.nanos().get(), Delays.NONE, Delays.NONE);
    }
    long now = options.clock().millis() * 1000;
    Delays taken = Delays.NONE;
    Delays events = Delays.NONE;
    for (int i = 0; i < sent.ranges().size(); i++) {
      long since = sent.ranges().get(i).taken;
      long count = sent.flush().parts().get(i).rows().count();
      taken = taken.plus(new Delays(count, (double) count * (now - since), now - since, since));
      events = events.plus(sent.moments().get(i).until(now));
    }
    long bytes = sent.flush().parts().stream().mapToLong(part -> part.rows().bytes()).sum();
    return new TargetWork(receipt.written(), bytes, 1, sent.nanos().get(), taken, events);
  }

  private static void refused(String target, List<Range> ranges, Refusal refusal) {
    ranges.stream()
        .filter(
            range ->
                range.source.equals(refusal.source())
                    && refusal.position() >= range.from
                    && refusal.position() < range.to)
        .findFirst()
        .orElseThrow()
        .refused(target, 1);
  }

  private void account() {
    List<Account> accounts = books.settle(raw::remove);
    if (accounts.isEmpty()) {
      return;
    }
    try {
      parts.tally().account(parts.pipeline().name(), accounts);
    } catch (OutsideException e) {
      parts.intake().unaccountable(Optional.of(e.getMessage()));
      throw e;
    }
    parts.intake().unaccountable(Optional.empty());
    parts.channel().accounted(accounts);
    Map<SourcePartition, Long> ends = new TreeMap<>();
    accounts.forEach(account -> ends.put(account.source(), account.to()));
    buffers.values().forEach(buffer -> buffer.target.accounted(ends));
    Counts sum = accounts.stream().map(Account::counts).reduce(Counts.NONE, Counts::plus);
    takenAndAccounted += sum.taken();
    progress = progress.plus(new Progress(0, 0, 0, sum.dropped(), -sum.in(), 0));
    told.accept(accounts);
  }
}

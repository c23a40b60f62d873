package io.wexrun.core.run;

import io.wexrun.core.pipeline.FlushPolicy;
import io.wexrun.core.target.Flush;
import io.wexrun.core.target.Receipt;
import io.wexrun.core.target.Staged;
import io.wexrun.core.target.Target;
import java.util.ArrayList;
import java.util.List;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.Executor;
import java.util.concurrent.atomic.AtomicLong;
import java.util.function.BiConsumer;
import java.util.function.Supplier;
import java.util.function.UnaryOperator;

/**
 * The rows that wait for one target, and the flushes of it that are under way. Used in the
 * delivery's turns alone; only the flushes themselves run elsewhere.
 */
final class Buffer {
  /**
   * A flush under way: its rows, the ranges that wait for it, when its events happened, the memory
   * that it holds, how long it has taken, and how many refused rows became dead letters by it.
   */
  record Sent(
      Buffer buffer,
      Flush flush,
      List<Range> ranges,
      List<Moments> moments,
      long allocated,
      AtomicLong nanos,
      AtomicLong buried) {}

  /** What is done with a flush that was committed, before the next one is. */
  @FunctionalInterface
  interface Afterwards {
    void after(Sent sent, Receipt receipt);
  }

  final String name;
  final Target target;
  private final FlushPolicy policy;
  private List<Flush.Part> parts = new ArrayList<>();
  private List<Range> ranges = new ArrayList<>();
  private List<Moments> moments = new ArrayList<>();
  private long rows;
  private long bytes;
  private long allocated;
  private long since;
  private int inFlight;
  private long busySince;
  private CompletableFuture<?> lastCommit = CompletableFuture.completedFuture(null);

  Buffer(String name, Target target, FlushPolicy policy) {
    this.name = name;
    this.target = target;
    this.policy = policy;
  }

  /** Adds rows; their size decides when they are due, the memory they hold bounds the run. */
  void add(
      Flush.Part part,
      Range range,
      Moments when,
      long bytesOfPart,
      long allocatedByPart,
      long now) {
    if (parts.isEmpty()) {
      since = now;
    }
    parts.add(part);
    ranges.add(range);
    moments.add(when);
    rows += part.rows().count();
    bytes += bytesOfPart;
    allocated += allocatedByPart;
  }

  boolean isEmpty() {
    return parts.isEmpty();
  }

  long allocated() {
    return allocated;
  }

  /** Whether the policy wants a flush now. */
  boolean due(long now) {
    return !parts.isEmpty()
        && (rows >= policy.rows()
            || bytes >= policy.bytes()
            || now - since >= policy.age().toMillis());
  }

  /** In how many milliseconds the age of what waits makes a flush due. */
  long dueIn(long now) {
    return policy.age().toMillis() - (now - since);
  }

  /** Whether one more flush may be staged. */
  boolean free() {
    return inFlight < target.parallelism();
  }

  /** Whether nothing waits and nothing is under way. */
  boolean idle() {
    return parts.isEmpty() && inFlight == 0;
  }

  /** Whether a flush is under way. */
  boolean busy() {
    return inFlight > 0;
  }

  /**
   * Stages what waits, on another thread, and commits it after the flush before.
   *
   * @param search watches a search for rows that the target refuses
   * @param afterwards what is done with the receipt before the next flush is committed
   * @param done is told on some thread, with a receipt or a failure
   */
  void send(
      Executor threads,
      Flush.Search search,
      Afterwards afterwards,
      BiConsumer<Sent, CompletableFuture<Receipt>> done) {
    Flush flush = new Flush(parts, search);
    AtomicLong nanos = new AtomicLong();
    Sent sent = new Sent(this, flush, ranges, moments, allocated, nanos, new AtomicLong());
    parts = new ArrayList<>();
    ranges = new ArrayList<>();
    moments = new ArrayList<>();
    rows = 0;
    bytes = 0;
    allocated = 0;
    busySince = inFlight++ == 0 ? System.nanoTime() : busySince;
    CompletableFuture<Staged> staged =
        CompletableFuture.supplyAsync(() -> timed(nanos, () -> target.stage(flush)), threads);
    UnaryOperator<Receipt> settle =
        receipt -> {
          afterwards.after(sent, receipt);
          return receipt;
        };
    CompletableFuture<Receipt> commit =
        lastCommit.thenCombineAsync(
            staged, (before, ready) -> settle.apply(timed(nanos, ready::commit)), threads);
    lastCommit = commit;
    // A flush that is staged after the one before has failed is not committed, but ends, too.
    CompletableFuture.allOf(staged, commit)
        .whenComplete((nothing, failure) -> done.accept(sent, commit));
  }

  private static <T> T timed(AtomicLong nanos, Supplier<T> work) {
    long begun = System.nanoTime();
    try {
      return work.get();
    } finally {
      nanos.addAndGet(System.nanoTime() - begun);
    }
  }

  /** How near a flush is by rows or bytes, from 0 to 1. */
  double fill() {
    return Math.max((double) rows / policy.rows(), (double) bytes / policy.bytes());
  }

  /** A flush has ended, committed or not. */
  void ended() {
    inFlight--;
    busySince = System.nanoTime();
  }

  /** For how many nanoseconds no flush has ended, while one is under way; 0 if none is. */
  long stuckFor() {
    return inFlight == 0 ? 0 : System.nanoTime() - busySince;
  }
}

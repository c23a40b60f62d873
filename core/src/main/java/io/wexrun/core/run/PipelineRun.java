package io.wexrun.core.run;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.core.shape.Shaper;
import io.wexrun.core.tally.Account;
import java.time.Instant;
import java.util.List;
import java.util.Optional;
import java.util.OptionalLong;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.ExecutionException;

/**
 * One pipeline at work: it fills the channel from the intake, and delivers what waits there, both
 * in turns on threads that all pipelines share, as they share the lanes.
 *
 * <p>If delivering fails because of the world outside, it is tried again with growing delays, from
 * what is accounted for on; the channel holds meanwhile what it can. A run that ends when drained,
 * and a strict one, end then; so does every run if its intake fails, by a failure that is
 * {@linkplain OutsideException#lasting lasting}, and by a bug. What was not accounted for, the next
 * run takes again.
 *
 * <p>{@link #stop()} ends the intake, flushes and accounts for what is shaped. {@link #close()}
 * does the same and waits. The methods may be called from any thread.
 */
public final class PipelineRun implements AutoCloseable {
  private static final String LOOK = ": see 'wexrun dead ";

  private final RunParts parts;
  private final Lanes lanes;
  private final RunOptions options;
  private final RunListener listener;
  private final Turns.Task fill;
  private final Turns.Task deliver;
  private final Filling filling;
  private final Backoff backoff;
  private final WorkSheet sheet = new WorkSheet();
  private final DeathWatch deaths;
  private final CompletableFuture<Void> delivered = new CompletableFuture<>();
  private final CompletableFuture<Void> end = new CompletableFuture<>();
  private final String name;
  private Shaper shaper;
  private boolean keepsRaw;
  private Delivery current;
  private Progress before = Progress.NONE;
  private String lastTold = "";
  private boolean stopped;
  private boolean halted;
  private boolean over;
  private Throwable failure;
  private volatile boolean told;
  private volatile boolean urgent;

  private PipelineRun(RunParts parts, Lanes lanes, RunOptions options, RunListener listener) {
    this.parts = parts;
    this.lanes = lanes;
    this.options = options;
    this.listener = listener;
    this.name = parts.pipeline().name();
    this.shaper = parts.shaper();
    this.deaths =
        new DeathWatch(name, parts.pipeline().deaths(), options.startsAgain(), parts.resumed());
    this.fill = lanes.turns().of(this::fill);
    this.deliver = lanes.turns().of(this::deliver);
    this.filling = new Filling(parts, options, fill, sheet, this::tellOnce);
    this.backoff = new Backoff(options.retry());
  }

  /**
   * Starts a run. It owns the intake and the channel from now on, and closes them.
   *
   * @param lanes shared with other runs; stays open
   * @param listener is told what happens
   */
  public static PipelineRun start(
      RunParts parts, Lanes lanes, RunOptions options, RunListener listener) {
    PipelineRun run = new PipelineRun(parts, lanes, options, listener);
    run.deliver.wake();
    run.filling.begin();
    return run;
  }

  /** A turn of filling, which outlives delivering, and ends the run. */
  private long fill() {
    if (failure == null) {
      try {
        long next = filling.turn();
        if (next != Turns.DONE) {
          return next;
        }
      } catch (Throwable e) {
        failure = e;
        takeNoMore(); // What was taken is delivered, if that can be done at once.
      }
    }
    if (!delivered.isDone()) {
      return Turns.WHEN_WOKEN;
    }
    finish();
    return Turns.DONE;
  }

  private void finish() {
    try {
      delivered.join();
    } catch (RuntimeException e) {
      failure = failure == null ? e.getCause() : failure;
    }
    failure = closing(failure, parts.intake()::close);
    failure = closing(failure, parts.channel()::close);
    Throwable ended = failure;
    failure = closing(failure, () -> listener.ended(name, Optional.ofNullable(ended)));
    complete(end, failure);
  }

  private static void complete(CompletableFuture<Void> part, Throwable failure) {
    if (failure == null) {
      part.complete(null);
    } else {
      part.completeExceptionally(failure);
    }
  }

  private static Throwable closing(Throwable failure, Runnable close) {
    try {
      close.run();
    } catch (Throwable e) {
      if (failure == null) {
        return e;
      }
      failure.addSuppressed(e);
    }
    return failure;
  }

  /** A turn of delivering. */
  private long deliver() {
    Throwable cause = null;
    try {
      long next = attempt();
      if (next != Turns.DONE) {
        return next;
      }
    } catch (Throwable e) {
      cause = e;
    }
    if (cause != null && parts.channel().outlivesRun() && options.untilDrained()) {
      parts.channel().abandon(); // What is there is still taken into the channel.
    } else if (cause != null) {
      takeNoMore();
    }
    complete(delivered, cause);
    filling.delivered();
    return Turns.DONE;
  }

  /** Goes on with an attempt, or begins one; what makes one fail is tried again later. */
  private long attempt() throws Throwable {
    if (urgent) {
      urgent = false;
      backoff.end();
    }
    if (backoff.left() > 0 && !isStopped()) {
      return backoff.left();
    }
    if (over) {
      if (isStopped()) {
        return Turns.DONE; // What waits is delivered by the next run.
      }
      filling.goBack(parts.channel().rewind());
      over = false;
    }
    Delivery delivery = current == null ? begin() : current;
    try {
      long next = delivery.turn();
      if (next != Turns.DONE) {
        return next;
      }
      past(delivery);
      if (isStopped() || parts.channel().exhausted()) {
        return Turns.DONE;
      }
      shaper = parts.renewal().renew(shaper);
    } catch (Delivery.RawRecordsNeeded e) {
      past(delivery);
      keepsRaw =
          true; // Who is stopped takes it again in the next run, and buries what was refused.
    } catch (OutsideException e) {
      past(delivery);
      if (failsBy(e)) {
        throw waiting(e);
      }
      if (delivery.accounted() > 0) {
        backoff.reset();
      }
      String what =
          isStopped()
              ? "leaves what is held to the next run: "
              : parts.channel().outlivesRun()
                  ? "cannot deliver, so records wait on disk, and it is tried again: "
                  : "cannot deliver, and it is tried again: ";
      tellOnce(what + e.getMessage());
      backoff.begin();
    } catch (Throwable e) {
      past(delivery);
      throw e;
    }
    over = true;
    return isStopped() ? 0 : backoff.left();
  }

  private boolean failsBy(OutsideException e) {
    return options.failsAtOnce() || e.lasting();
  }

  /** The failure, with what becomes of the records that wait. */
  private OutsideException waiting(OutsideException e) {
    return parts.channel().outlivesRun()
        ? new OutsideException(
            e.getMessage()
                + ". What the intake took waits in the channel of "
                + name
                + " on disk; the next run delivers it",
            e)
        : e;
  }

  private synchronized Delivery begin() {
    current =
        new Delivery(
            parts,
            shaper,
            lanes,
            options,
            keepsRaw,
            this::accounted,
            this::tellOnce,
            deaths::searched,
            deliver,
            sheet);
    if (halted) {
      current.stop();
    }
    return current;
  }

  /** What an attempt did counts, but for what it took and did not account for. */
  private synchronized void past(Delivery delivery) {
    Progress progress = delivery.progress();
    before =
        before.plus(
            new Progress(
                delivery.accounted(),
                progress.loaded(),
                progress.dead(),
                progress.dropped(),
                0,
                progress.bytes()));
    current = null;
  }

  private void accounted(List<Account> accounts) {
    tellThatItGoesOn();
    filling.accounted(accounts);
    listener.accounted(name, accounts);
    deaths
        .accounted(accounts)
        .ifPresent(
            kind -> {
              String words = deaths.words() + (kind == Notice.Kind.WAITS ? LOOK + name + "'" : "");
              listener.told(new Notice(name, kind, words, Instant.now()));
            });
  }

  /** Tells why it waits, but not the same thing again. */
  private void tellOnce(String text) {
    synchronized (this) {
      if (text.equals(lastTold)) {
        return;
      }
      lastTold = text;
    }
    listener.told(new Notice(name, Notice.Kind.WAITS, text, Instant.now()));
  }

  private void tellThatItGoesOn() {
    synchronized (this) {
      if (lastTold.isEmpty()) {
        return;
      }
      lastTold = "";
    }
    String what =
        parts.channel().outlivesRun() ? "delivers again what waited on disk" : "delivers again";
    listener.told(new Notice(name, Notice.Kind.GOES_ON, what, Instant.now()));
  }

  private synchronized boolean isStopped() {
    return stopped;
  }

  /** The pipeline that runs. */
  public Pipeline pipeline() {
    return parts.pipeline();
  }

  /** Why it cannot take in or deliver for now, as it was told; empty if it can. */
  public synchronized Optional<String> waits() {
    return lastTold.isEmpty() ? Optional.empty() : Optional.of(lastTold);
  }

  /** How far the run has got. */
  public Progress progress() {
    OptionalLong held = parts.channel().held();
    synchronized (this) {
      Progress now = current == null ? Progress.NONE : current.progress();
      long accounted = current == null ? 0 : current.accounted();
      Progress sum = before.plus(now);
      return new Progress(
          held.isPresent() ? before.taken() + accounted + held.getAsLong() : sum.taken(),
          sum.loaded(),
          sum.dead(),
          sum.dropped(),
          held.orElse(sum.held()),
          sum.bytes());
    }
  }

  /** What was done in each place, and how long it took. */
  public Work work() {
    return sheet.sum();
  }

  /** How it stands between its source and its targets; a little old. */
  public synchronized Situation situation() {
    Situation now = current == null ? Situation.NONE : current.situation();
    Optional<Instant> oldest = filling.oldest();
    return new Situation(
        filling.backlog(),
        parts.channel().fill(),
        now.buffers(),
        oldest.isPresent() ? oldest : now.oldest());
  }

  /**
   * Calls back once the run has ended, well or not; at once, if it has. On a thread that the run
   * waits for.
   */
  public void whenEnded(Runnable then) {
    end.whenComplete((nothing, failure) -> then.run());
  }

  /** Whether the run has ended, well or not. */
  public boolean ended() {
    return end.isDone();
  }

  /**
   * Lets the run end soon: what is shaped is flushed and accounted for, and what was only read is
   * left to the next run. Returns at once.
   */
  public void stop() {
    Delivery now;
    synchronized (this) {
      stopped = true;
      halted = true;
      now = current;
    }
    filling.stop();
    if (now != null) {
      now.stop();
    }
    deliver.wake();
  }

  /** If the run waits before it tries again, it tries at once. Returns at once. */
  public void retryNow() {
    urgent = true;
    deliver.wake();
  }

  /** Takes in no more, but delivers what was taken. */
  private void takeNoMore() {
    synchronized (this) {
      stopped = true;
    }
    filling.stop();
    deliver.wake();
  }

  /**
   * Waits until the run has ended: drained, stopped or failed.
   *
   * @throws OutsideException if the world outside failed
   * @throws InterruptedException if this thread was interrupted
   */
  public void await() throws InterruptedException {
    try {
      end.get();
    } catch (ExecutionException e) {
      told = true;
      if (e.getCause() instanceof OutsideException outside) {
        throw outside;
      }
      throw new IllegalStateException(
          "pipeline " + name + " failed: " + e.getCause(), e.getCause());
    }
  }

  /**
   * Stops and waits.
   *
   * @throws OutsideException if the world outside failed, and {@link #await} has not told it yet
   */
  @Override
  public void close() {
    stop();
    try {
      if (told) {
        return;
      }
      await();
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    }
  }
}

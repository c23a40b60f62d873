package io.wexrun.project;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Intake;
import io.wexrun.core.run.PipelineRun;
import io.wexrun.core.run.Progress;
import io.wexrun.queue.DiskChannel;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.CompletionException;
import java.util.concurrent.ExecutionException;
import java.util.function.Supplier;

/**
 * A pipeline with its channel on disk: one thread fills the channel from the intake, another
 * delivers what waits there. If delivering fails because of the world outside, it is tried again,
 * with growing delays, while the intake goes on; a run that ends when drained fails then, and what
 * waits in the channel stays there.
 */
final class ChanneledRun implements Running {
  private static final String DELIVER = "deliver";
  private static final Duration POLL = Duration.ofMillis(100);
  private static final long FIRST_DELAY = 1000;
  private static final long LONGEST_DELAY = 30_000;

  private final String pipeline;
  private final DiskChannel channel;
  private final Intake intake;
  private final Supplier<PipelineRun> delivery;
  private final boolean untilDrained;
  private final CompletableFuture<Void> filled = new CompletableFuture<>();
  private final CompletableFuture<Void> delivered = new CompletableFuture<>();
  private final CompletableFuture<Void> end = new CompletableFuture<>();
  private final List<String> notices = new ArrayList<>();
  private String lastFailure = "";
  private PipelineRun current;
  private Progress before = new Progress(0, 0, 0, 0, 0, 0);
  private boolean stopped;
  private volatile boolean told;
  private volatile long taken;
  private volatile long bytes;

  /**
   * Starts filling and delivering. The run owns channel and intake, and closes them.
   *
   * @param intake opened where the channel ends
   * @param delivery starts delivering from the channel; called again after a failure
   */
  static ChanneledRun start(
      String pipeline,
      DiskChannel channel,
      Intake intake,
      Supplier<PipelineRun> delivery,
      boolean untilDrained) {
    ChanneledRun run = new ChanneledRun(pipeline, channel, intake, delivery, untilDrained);
    run.launch("fill", run::fill, run.filled);
    run.launch(DELIVER, run::deliver, run.delivered);
    run.launch("end", run::finish, run.end);
    return run;
  }

  private ChanneledRun(
      String pipeline,
      DiskChannel channel,
      Intake intake,
      Supplier<PipelineRun> delivery,
      boolean untilDrained) {
    this.pipeline = pipeline;
    this.channel = channel;
    this.intake = intake;
    this.delivery = delivery;
    this.untilDrained = untilDrained;
    this.taken = channel.held();
  }

  @FunctionalInterface
  private interface Work {
    void run() throws InterruptedException;
  }

  private void launch(String role, Work work, CompletableFuture<Void> done) {
    Thread thread =
        new Thread(
            () -> {
              try {
                work.run();
                done.complete(null);
              } catch (InterruptedException e) {
                Thread.currentThread().interrupt();
                done.completeExceptionally(e);
              } catch (Throwable e) {
                // Whatever it is, who awaits the run is told.
                done.completeExceptionally(e);
                failed(role);
              }
            },
            "wexrun-" + pipeline + "-" + role);
    thread.setDaemon(true);
    thread.start();
  }

  /**
   * If only delivering failed, what is there is still taken into the channel, as far as it fits.
   */
  private void failed(String role) {
    if (role.equals(DELIVER) && untilDrained) {
      channel.desert();
    } else {
      stop();
    }
  }

  private synchronized boolean isStopped() {
    return stopped;
  }

  private void fill() throws InterruptedException {
    try {
      while (!isStopped()) {
        Optional<Block> block = intake.poll(POLL);
        if (block.isPresent()) {
          if (!put(block.get())) {
            break;
          }
          channel.syncNowAndThen();
        } else {
          channel.sync();
          if (untilDrained && intake.drained()) {
            break;
          }
        }
      }
    } finally {
      channel.end();
      tell(intake.notices());
      intake.close();
    }
  }

  /** Puts a block, also if the disk is full for a while; false if it was not taken. */
  private boolean put(Block block) throws InterruptedException {
    int records = block.records().count();
    long delay = FIRST_DELAY;
    while (true) {
      try {
        boolean put = channel.put(block);
        if (put) {
          taken += records;
          bytes += block.length();
        }
        tell(intake.notices());
        return put;
      } catch (OutsideException e) {
        if (untilDrained || isStopped()) {
          throw e;
        }
        tellOnce("the intake waits: " + e.getMessage());
        pause(delay);
        delay = Math.min(delay * 2, LONGEST_DELAY);
      }
    }
  }

  private void deliver() throws InterruptedException {
    long delay = FIRST_DELAY;
    while (true) {
      Progress until = before;
      OutsideException failure;
      try (PipelineRun run = begin()) {
        run.await();
        return;
      } catch (OutsideException e) {
        failure = e;
      } finally {
        past();
      }
      if (untilDrained || isStopped()) {
        throw new OutsideException(
            failure.getMessage()
                + ". What the intake took waits in the channel of "
                + pipeline
                + " on disk; the next run delivers it",
            failure);
      }
      boolean some = before.loaded() > until.loaded() || before.dead() > until.dead();
      delay = some ? FIRST_DELAY : delay;
      tellOnce(
          "cannot deliver, so records wait on disk, and it is tried again: "
              + failure.getMessage());
      pause(delay);
      delay = Math.min(delay * 2, LONGEST_DELAY);
      if (isStopped()) {
        return; // What waits stays in the channel.
      }
    }
  }

  private PipelineRun begin() {
    PipelineRun run = delivery.get();
    synchronized (this) {
      current = run;
      if (stopped) {
        run.stop();
      }
    }
    return run;
  }

  private synchronized void past() {
    if (current != null) {
      tellOfDelivering();
      before = sum(before, current.progress());
      current = null;
    }
  }

  /** Waits, but not longer than until the run is stopped. */
  private synchronized void pause(long millis) throws InterruptedException {
    long until = System.nanoTime() + millis * 1_000_000;
    while (!stopped && System.nanoTime() < until) {
      wait(Math.max(1, (until - System.nanoTime()) / 1_000_000));
    }
  }

  private void finish() {
    Throwable failure = failure(filled, null);
    failure = failure(delivered, failure);
    try {
      channel.close();
    } catch (RuntimeException e) {
      failure = failure == null ? e : failure;
    }
    if (failure instanceof RuntimeException e) {
      throw e;
    }
    if (failure != null) {
      throw new IllegalStateException("pipeline " + pipeline + " failed: " + failure, failure);
    }
  }

  private static Throwable failure(CompletableFuture<Void> part, Throwable before) {
    try {
      part.join();
      return before;
    } catch (CompletionException e) {
      return before == null ? e.getCause() : before;
    }
  }

  private void tell(List<String> more) {
    synchronized (notices) {
      notices.addAll(more);
    }
  }

  /** Tells of a failure, but not of the same one again. */
  private void tellOnce(String failure) {
    synchronized (notices) {
      if (!failure.equals(lastFailure)) {
        notices.add(failure);
      }
      lastFailure = failure;
    }
  }

  private static Progress sum(Progress a, Progress b) {
    return new Progress(
        a.taken() + b.taken(),
        a.loaded() + b.loaded(),
        a.dead() + b.dead(),
        a.dropped() + b.dropped(),
        a.held() + b.held(),
        a.bytes() + b.bytes());
  }

  /** What was taken counts from the intake, with what waited before; what waits is held. */
  @Override
  public synchronized Progress progress() {
    Progress done = current == null ? before : sum(before, current.progress());
    return new Progress(taken, done.loaded(), done.dead(), done.dropped(), channel.held(), bytes);
  }

  /** After a failure, tells that the delivery that goes on has accounted for something. */
  private synchronized void tellOfDelivering() {
    if (current == null) {
      return;
    }
    Progress progress = current.progress();
    synchronized (notices) {
      if (!lastFailure.isEmpty() && progress.taken() > 0 && progress.held() < progress.taken()) {
        notices.add("delivers again what waited on disk");
        lastFailure = "";
      }
    }
  }

  @Override
  public List<String> notices() {
    tellOfDelivering();
    synchronized (notices) {
      List<String> told = List.copyOf(notices);
      notices.clear();
      return told;
    }
  }

  @Override
  public boolean ended() {
    return end.isDone();
  }

  @Override
  public synchronized void stop() {
    stopped = true;
    channel.end();
    if (current != null) {
      current.stop();
    }
    notifyAll();
  }

  @Override
  public void await() throws InterruptedException {
    try {
      end.get();
    } catch (ExecutionException e) {
      told = true;
      if (e.getCause() instanceof RuntimeException cause) {
        throw cause;
      }
      throw new IllegalStateException(e.getCause());
    }
  }

  @Override
  public void close() {
    stop();
    try {
      if (!told) {
        await();
      }
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    }
  }
}

package io.wexrun.core.run;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Intake;
import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.core.shape.Shaper;
import io.wexrun.core.tally.TallyStore;
import io.wexrun.core.target.Target;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.ExecutionException;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.TimeUnit;

/**
 * One pipeline at work: an intake thread, lanes that shape, an accountant that puts blocks back in
 * order, flushes and accounts, and the threads of the flushes.
 *
 * <p>{@link #stop()} ends the intake, flushes and accounts for what is held. {@link #close()} does
 * the same and waits. A failure ends the run without accounting for what was not committed; a new
 * run takes that again. The methods may be called from any thread.
 */
public final class PipelineRun implements AutoCloseable {
  private static final Duration POLL = Duration.ofMillis(100);

  private final Pipeline pipeline;
  private final Intake intake;
  private final Shaper shaper;
  private final Map<String, Target> targets;
  private final RunOptions options;
  private final MemoryChannel channel;
  private final Accountant accountant;
  private final ExecutorService flushes;
  private final List<Thread> threads = new ArrayList<>();
  private final CompletableFuture<Void> end = new CompletableFuture<>();
  private volatile boolean stopped;
  private volatile boolean told;

  private PipelineRun(
      Pipeline pipeline,
      Intake intake,
      Shaper shaper,
      Map<String, Target> targets,
      TallyStore tally,
      RunOptions options) {
    this.pipeline = pipeline;
    this.intake = intake;
    this.shaper = shaper;
    this.targets = targets;
    this.options = options;
    this.channel = new MemoryChannel(options.channelBytes());
    this.flushes = Executors.newCachedThreadPool(work -> daemon("flush", work));
    this.accountant = new Accountant(pipeline, targets, tally, options, channel, flushes);
  }

  /**
   * Starts a run. It owns the intake and the targets from now on, and closes them.
   *
   * @param intake opened at the positions of {@code tally}
   * @param targets one for each of the shaper's targets, and {@link
   *     io.wexrun.core.pipeline.Route#DEAD}
   */
  public static PipelineRun start(
      Pipeline pipeline,
      Intake intake,
      Shaper shaper,
      Map<String, Target> targets,
      TallyStore tally,
      RunOptions options) {
    PipelineRun run = new PipelineRun(pipeline, intake, shaper, targets, tally, options);
    run.launch("intake", run::takeIn);
    for (int lane = 0; lane < options.lanes(); lane++) {
      run.launch("lane-" + lane, run::shape);
    }
    run.launch("books", run::keepBooks);
    return run;
  }

  private Thread daemon(String role, Runnable work) {
    Thread thread = new Thread(work, "wexrun-" + pipeline.name() + "-" + role);
    thread.setDaemon(true);
    return thread;
  }

  /** Starts a thread whose failure, whatever it is, ends the run. */
  private void launch(String role, Work work) {
    Thread thread =
        daemon(
            role,
            () -> {
              try {
                work.run();
              } catch (InterruptedException e) {
                Thread.currentThread().interrupt();
              } catch (Throwable e) {
                accountant.failed(e);
              }
            });
    threads.add(thread);
    thread.start();
  }

  @FunctionalInterface
  private interface Work {
    void run() throws InterruptedException;
  }

  private void takeIn() throws InterruptedException {
    while (!stopped) {
      Optional<Block> block = intake.poll(POLL);
      if (block.isPresent()) {
        if (!channel.put(block.get())) {
          break;
        }
      } else if (options.untilDrained() && intake.drained()) {
        break;
      }
    }
    accountant.ended(channel.close());
  }

  private void shape() throws InterruptedException {
    Optional<MemoryChannel.Ticket> ticket = channel.take();
    while (ticket.isPresent()) {
      accountant.shaped(ticket.get().number(), shaper.shape(ticket.get().block()));
      ticket = channel.take();
    }
  }

  private void keepBooks() {
    Throwable failure = null;
    try {
      accountant.work();
    } catch (Throwable e) {
      failure = e;
    }
    stopped = true;
    channel.abandon();
    failure = closing(failure, this::joinOthers);
    failure = closing(failure, intake::close);
    for (Target target : targets.values()) {
      failure = closing(failure, target::close);
    }
    if (failure == null) {
      end.complete(null);
    } else {
      end.completeExceptionally(failure);
    }
  }

  /** Waits for the other threads, so that nobody uses what is closed next. */
  private void joinOthers() {
    flushes.shutdown();
    try {
      for (Thread thread : threads) {
        if (thread != Thread.currentThread()) {
          thread.join();
        }
      }
      flushes.awaitTermination(10, TimeUnit.MINUTES);
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
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

  /** The pipeline that runs. */
  public Pipeline pipeline() {
    return pipeline;
  }

  /** How far the run has got. */
  public Progress progress() {
    return accountant.progress();
  }

  /** Things a user should know that are not failures, each told once. */
  public List<String> notices() {
    return intake.notices();
  }

  /** Whether the run has ended, well or not. */
  public boolean ended() {
    return end.isDone();
  }

  /** Lets the intake end; what is held is flushed and accounted for. Returns at once. */
  public void stop() {
    stopped = true;
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
          "pipeline " + pipeline.name() + " failed: " + e.getCause(), e.getCause());
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

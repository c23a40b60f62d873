package io.wexrun.project;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.core.run.Lanes;
import io.wexrun.core.run.Notice;
import io.wexrun.core.run.RunListener;
import io.wexrun.core.run.RunOptions;
import io.wexrun.core.target.Answer;
import io.wexrun.project.dead.Chosen;
import io.wexrun.project.run.Replaying;
import io.wexrun.state.Hold;
import io.wexrun.state.Replays.Replay;
import io.wexrun.state.WorkspaceState;
import java.time.Instant;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.function.Predicate;
import java.util.function.Supplier;

/**
 * Takes the replays of pipelines to their end in this process, beside their runs or without; one
 * pipeline's one after the other. For several threads.
 */
final class Replayer implements AutoCloseable {
  /** How a pipeline's replays stand. */
  enum Standing {
    /** All have ended. */
    DONE,
    /** They go on. */
    RUNNING,
    /** One has failed; why is told once. */
    FAILED,
    /** Who asks has another text of the pipeline than this process. */
    OTHER_TEXT
  }

  private final Supplier<Scene> scene;
  private final WorkspaceState state;
  private final Lanes lanes;
  private final RunOptions options;
  private final RunListener listener;
  private final Predicate<String> held;
  private final Map<String, Replaying> running = new HashMap<>();
  private final Map<String, String> failures = new HashMap<>();
  private boolean closed;

  /**
   * A replayer.
   *
   * @param scene what the workspace is now
   * @param held whether this process holds a pipeline already
   */
  Replayer(
      Supplier<Scene> scene,
      WorkspaceState state,
      Lanes lanes,
      RunOptions options,
      RunListener listener,
      Predicate<String> held) {
    this.scene = scene;
    this.state = state;
    this.lanes = lanes;
    this.options = options;
    this.listener = listener;
    this.held = held;
  }

  /**
   * Begins a pipeline's replays that have not ended, if they are not under way, and tells how they
   * stand.
   *
   * @param text the pipeline's text, as who asks has it
   * @return empty if this process does not hold the pipeline, and {@code any} is not said
   */
  synchronized Optional<Answer> answer(String name, String text, boolean any) {
    if (!held.test(name) && !any) {
      return Optional.empty();
    }
    if (running.containsKey(name)) {
      return Optional.of(answer(Standing.RUNNING, ""));
    }
    String failure = failures.remove(name);
    if (failure != null) {
      return Optional.of(answer(Standing.FAILED, failure));
    }
    if (Chosen.of(name, Optional.of(state)).open().isEmpty()) {
      return Optional.of(answer(Standing.DONE, ""));
    }
    Scene now = scene.get();
    Optional<Pipeline> pipeline = now.definition().pipeline(name);
    if (pipeline.isEmpty()
        || !Replaying.text(pipeline.get(), now.compilation().compiling()).equals(text)) {
      return Optional.of(answer(Standing.OTHER_TEXT, ""));
    }
    Replaying replaying = begin(name, now);
    Thread thread = new Thread(() -> beside(replaying, pipeline.get()), "wexrun-replay-" + name);
    thread.setDaemon(true);
    thread.start();
    return Optional.of(answer(Standing.RUNNING, ""));
  }

  private Replaying begin(String name, Scene now) {
    if (closed) {
      throw new OutsideException("this run ends; ask again");
    }
    Replaying replaying =
        new Replaying(state, now.ends(), lanes, options, now.compilation().compiling());
    running.put(name, replaying);
    return replaying;
  }

  private void beside(Replaying replaying, Pipeline pipeline) {
    try {
      run(replaying, pipeline);
    } catch (OutsideException e) {
      failed(pipeline, e.getMessage());
    } catch (RuntimeException e) {
      System.getLogger(Replayer.class.getName())
          .log(System.Logger.Level.ERROR, "a replay of " + pipeline.name() + " failed by a bug", e);
      failed(pipeline, "it failed by a bug: " + e);
    }
  }

  private void failed(Pipeline pipeline, String why) {
    synchronized (this) {
      failures.put(pipeline.name(), why);
    }
    tell(pipeline, "replaying its dead letters failed, and can be gone on with: " + why);
  }

  private void tell(Pipeline pipeline, String text) {
    listener.told(new Notice(pipeline.name(), Notice.Kind.INTAKE, text, Instant.now()));
  }

  /**
   * Takes a pipeline's replays to their end.
   *
   * @throws OutsideException if the world outside failed, or the pipeline is held by another
   *     process
   */
  void run(Pipeline pipeline) {
    Replaying replaying;
    synchronized (this) {
      replaying = begin(pipeline.name(), scene.get());
    }
    run(replaying, pipeline);
  }

  private void run(Replaying replaying, Pipeline pipeline) {
    String name = pipeline.name();
    try (Hold hold = held.test(name) ? null : state.hold(name)) {
      for (Replay replay : Chosen.of(name, Optional.of(state)).open()) {
        if (!replaying.toTheEnd(pipeline, replay)) {
          return; // It was stopped.
        }
        tell(pipeline, "replay " + replay.number() + " of its dead letters has ended");
      }
    } finally {
      synchronized (this) {
        running.remove(name);
        notifyAll();
      }
    }
  }

  private static Answer answer(Standing standing, String why) {
    return new Answer(
        List.of("standing", "why"), List.of(false, false), List.of(List.of(standing.name(), why)));
  }

  /**
   * Stops what is under way, and waits for it; what is left can be gone on with.
   *
   * @throws InterruptedException if this thread was interrupted
   */
  synchronized void halt() throws InterruptedException {
    running.values().forEach(Replaying::stop);
    while (!running.isEmpty()) {
      wait();
    }
  }

  /** Stops what is under way, and begins nothing more. */
  @Override
  public void close() {
    synchronized (this) {
      closed = true;
    }
    try {
      halt();
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    }
  }
}

package io.wexrun.project;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.core.run.Lanes;
import io.wexrun.core.run.RunListener;
import io.wexrun.core.run.RunOptions;
import io.wexrun.core.target.Answer;
import io.wexrun.project.dead.Chosen;
import io.wexrun.project.run.Replaying;
import io.wexrun.state.Replays.Replay;
import io.wexrun.state.WorkspaceState;
import java.util.Optional;
import java.util.function.Predicate;
import java.util.function.Supplier;

/**
 * Takes the replays of pipelines to their end in this process, beside their runs or without; one
 * pipeline's one after the other. For several threads.
 */
final class Replayer implements AutoCloseable {
  private final Supplier<Scene> scene;
  private final WorkspaceState state;
  private final Lanes lanes;
  private final RunOptions options;
  private final Beside beside;

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
    this.beside = new Beside("replaying", state, listener, held);
  }

  /**
   * Begins a pipeline's replays that have not ended, if they are not under way, and tells how they
   * stand.
   *
   * @param text the pipeline's text, as who asks has it
   * @return empty if this process does not hold the pipeline, and {@code any} is not said
   */
  Optional<Answer> answer(String name, String text, boolean any) {
    return beside.answer(name, "", any, () -> begin(name, text));
  }

  private Optional<Beside.Piece> begin(String name, String text) throws Beside.OtherTextException {
    if (Chosen.of(name, Optional.of(state)).open().isEmpty()) {
      return Optional.empty();
    }
    Scene now = scene.get();
    Optional<Pipeline> pipeline = now.definition().pipeline(name);
    if (pipeline.isEmpty()
        || !Replaying.text(pipeline.get(), now.compilation().compiling()).equals(text)) {
      throw new Beside.OtherTextException();
    }
    return Optional.of(piece(pipeline.get()));
  }

  private Beside.Piece piece(Pipeline pipeline) {
    Scene now = scene.get();
    Replaying replaying =
        new Replaying(state, now.ends(), lanes, options, now.compilation().compiling());
    return new Beside.Piece() {
      @Override
      public boolean work() {
        String name = pipeline.name();
        for (Replay replay : Chosen.of(name, Optional.of(state)).open()) {
          if (!replaying.toTheEnd(pipeline, replay)) {
            return false;
          }
          beside.tell(name, "replay " + replay.number() + " of its dead letters has ended");
        }
        return true;
      }

      @Override
      public void stop() {
        replaying.stop();
      }
    };
  }

  /**
   * Takes a pipeline's replays to their end.
   *
   * @throws OutsideException if the world outside failed, or the pipeline is held by another
   *     process
   */
  void run(Pipeline pipeline) throws InterruptedException {
    beside.run(pipeline.name(), piece(pipeline));
  }

  /**
   * Stops what is under way, and waits for it; what is left can be gone on with.
   *
   * @throws InterruptedException if this thread was interrupted
   */
  void halt() throws InterruptedException {
    beside.halt();
  }

  /** Stops what is under way, and begins nothing more. */
  @Override
  public void close() {
    beside.close();
  }
}

package io.wexrun.project;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.run.Lanes;
import io.wexrun.core.run.RunListener;
import io.wexrun.core.run.RunOptions;
import io.wexrun.core.target.Answer;
import io.wexrun.project.run.Rebuilding;
import io.wexrun.state.Rebuilds.Phase;
import io.wexrun.state.Rebuilds.Rebuild;
import io.wexrun.state.WorkspaceState;
import java.util.Optional;
import java.util.function.BooleanSupplier;
import java.util.function.Predicate;
import java.util.function.Supplier;

/**
 * Takes rebuilds of pipelines further in this process, beside their runs or without. For several
 * threads.
 */
final class Rebuilder implements AutoCloseable {
  /** What is done. */
  enum Act {
    /** It runs until it has got as far as the pipeline. */
    CATCH_UP,
    /** Then its tables are put in their places. */
    SWAP,
    /** It is given up. */
    DISCARD,
    /** The tables of before are dropped. */
    CLEAR
  }

  /** Lets a pipeline stand still while something is done. */
  @FunctionalInterface
  interface Standstill {
    /**
     * Does something.
     *
     * @param stopped whether it is not to be waited any more
     * @return what it returned; false if it was not done
     */
    boolean during(String pipeline, BooleanSupplier stopped, Work work) throws InterruptedException;

    /** What is done. */
    interface Work {
      boolean work() throws InterruptedException;
    }
  }

  private final Supplier<Scene> scene;
  private final WorkspaceState state;
  private final Lanes lanes;
  private final RunOptions options;
  private final Standstill standstill;
  private final Beside beside;

  /**
   * A rebuilder.
   *
   * @param scene what the workspace is now
   * @param held whether this process holds a pipeline already
   * @param standstill lets a pipeline of this process stand still
   */
  Rebuilder(
      Supplier<Scene> scene,
      WorkspaceState state,
      Lanes lanes,
      RunOptions options,
      RunListener listener,
      Predicate<String> held,
      Standstill standstill) {
    this.scene = scene;
    this.state = state;
    this.lanes = lanes;
    this.options = options;
    this.standstill = standstill;
    this.beside = new Beside("rebuilding", state, listener, held);
  }

  /**
   * Begins to take a rebuild further, if that is not under way, and tells how it stands.
   *
   * @return empty if this process does not hold the pipeline, and {@code any} is not said
   */
  Optional<Answer> answer(String name, long number, Act act, boolean any) {
    return beside.answer(
        name,
        act + " " + number,
        any,
        () ->
            state.rebuilds().all(name).stream()
                .filter(each -> each.number() == number)
                .filter(each -> isLeft(each, act))
                .findFirst()
                .map(rebuild -> piece(rebuild, act)));
  }

  private static boolean isLeft(Rebuild rebuild, Act act) {
    return act == Act.CLEAR ? rebuild.phase() == Phase.SWAPPED : rebuild.phase().isOpen();
  }

  /**
   * Takes a rebuild further.
   *
   * @throws OutsideException if the world outside failed, or the pipeline is held by another
   *     process
   */
  void run(Rebuild rebuild, Act act) throws InterruptedException {
    beside.run(rebuild.pipeline(), piece(rebuild, act));
  }

  private Beside.Piece piece(Rebuild rebuild, Act act) {
    Scene now = scene.get();
    Rebuilding rebuilding =
        new Rebuilding(state, now.ends(), lanes, options, now.compilation().compiling(), rebuild);
    return new Beside.Piece() {
      private volatile boolean stopped;

      @Override
      public boolean work() throws InterruptedException {
        switch (act) {
          case DISCARD -> rebuilding.discard();
          case CLEAR -> rebuilding.clear();
          case SWAP -> {
            return rebuilding.catchUp()
                && standstill.during(rebuild.pipeline(), () -> stopped, this::swap);
          }
          default -> {
            return rebuilding.catchUp();
          }
        }
        return true;
      }

      private boolean swap() throws InterruptedException {
        boolean caughtUp = rebuilding.catchUp();
        if (caughtUp) {
          rebuilding.swap();
          beside.tell(
              rebuild.pipeline(), "the tables of rebuild " + rebuild.number() + " are in place");
        }
        return caughtUp;
      }

      @Override
      public void stop() {
        stopped = true;
        rebuilding.stop();
      }
    };
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

package io.wexrun.project;

import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.core.run.Setback;
import io.wexrun.project.run.Setbacks;
import java.util.List;
import java.util.Optional;
import java.util.OptionalLong;
import java.util.stream.Collectors;

/**
 * What can be done where targets of a pipeline do not agree with the tally, because somebody has
 * touched one of them. Looking changes nothing. For one thread.
 */
public final class Reconciliation {
  private final Pipeline pipeline;
  private final Setbacks setbacks;
  private final WorkspaceHistory history;

  Reconciliation(Pipeline pipeline, Setbacks setbacks, WorkspaceHistory history) {
    this.history = history;
    this.pipeline = pipeline;
    this.setbacks = setbacks;
  }

  /** The pipeline's name. */
  public String pipeline() {
    return pipeline.name();
  }

  /**
   * What does not agree; empty if all does, or what is missing is going to be taken again.
   *
   * @throws io.wexrun.core.diagnose.OutsideException if a store is held by another process
   */
  public List<Setback> setbacks() {
    return setbacks.find(pipeline);
  }

  /**
   * How many rows of a target are lost if that is accepted.
   *
   * @return empty if the target does not count its rows
   */
  public OptionalLong lost(Setback setback) {
    return setback.kind() == Setback.Kind.FORGOTTEN ? OptionalLong.of(0) : setbacks.lost(setback);
  }

  /** Why what is missing cannot be taken again from the sources; empty if it can. */
  public Optional<String> whyNotAgain() {
    return setbacks.whyNotAgain(pipeline, setbacks());
  }

  /**
   * The next run takes again from the sources what is missing, before it goes on. The books stay as
   * they are.
   *
   * @throws io.wexrun.core.diagnose.OutsideException if the pipeline runs, or the sources do not
   *     have it any more
   */
  public void takeAgain() {
    note("what is missing is taken again", () -> setbacks.takeAgain(pipeline));
  }

  /**
   * What is missing is lost: the books count it so from now on, and the next run goes on where the
   * tally is.
   *
   * @throws io.wexrun.core.diagnose.OutsideException if the pipeline runs
   */
  public void accept() {
    note("what is missing is lost", () -> setbacks.accept(pipeline));
  }

  private void note(String choice, Runnable act) {
    String found =
        setbacks().stream().map(Setback::toString).collect(Collectors.joining("; ", ": ", ""));
    history.noting(
        "reconcile",
        pipeline.name(),
        found.equals(": ") ? choice : choice + found,
        () -> {
          act.run();
          return choice;
        });
  }
}

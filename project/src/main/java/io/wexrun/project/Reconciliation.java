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
 * touched one of them: as it was when it was looked, which changes nothing. What is chosen is done
 * to that, and to nothing else. For one thread.
 */
public final class Reconciliation {
  private final Pipeline pipeline;
  private final Setbacks setbacks;
  private final WorkspaceHistory history;
  private final List<Setback> found;

  Reconciliation(Pipeline pipeline, Setbacks setbacks, WorkspaceHistory history) {
    this.history = history;
    this.pipeline = pipeline;
    this.setbacks = setbacks;
    this.found = setbacks.find(pipeline);
  }

  /** The pipeline's name. */
  public String pipeline() {
    return pipeline.name();
  }

  /**
   * What did not agree when it was looked; empty if all did, or what is missing is going to be
   * taken again.
   */
  public List<Setback> setbacks() {
    return found;
  }

  /**
   * How many rows of a target are lost if that is accepted.
   *
   * @return empty if the target does not count its rows
   */
  public OptionalLong lost(Setback setback) {
    return setback.kind().lacksRows() ? setbacks.lost(setback) : OptionalLong.of(0);
  }

  /** Why what is missing cannot be taken again from the sources; empty if it can. */
  public Optional<String> whyNotAgain() {
    return setbacks.whyNotAgain(pipeline, found);
  }

  /**
   * Who has read what queues do not have any more, and reads it a second time if it is taken again.
   *
   * @return for people, such as {@code pipeline copy has read q/0 up to position 7}
   */
  public List<String> rereading() {
    return setbacks.rereading(found);
  }

  /**
   * The next run takes again from the sources what is missing, before it goes on, into those
   * targets alone that lack it. The books stay as they are.
   *
   * @throws io.wexrun.core.diagnose.OutsideException if the pipeline runs, if the sources do not
   *     have it any more, or if something else is found than when it was looked
   */
  public void takeAgain() {
    note("what is missing is taken again", () -> setbacks.takeAgain(pipeline, found));
  }

  /**
   * What is missing is lost: the books count it so from now on, and the next run goes on where the
   * tally is.
   *
   * @throws io.wexrun.core.diagnose.OutsideException if the pipeline runs, or if something else is
   *     found than when it was looked
   */
  public void accept() {
    note("what is missing is lost", () -> setbacks.accept(pipeline, found));
  }

  private void note(String choice, Runnable act) {
    String touched =
        found.stream().map(Setback::toString).collect(Collectors.joining("; ", ": ", ""));
    history.noting(
        "reconcile",
        pipeline.name(),
        touched.equals(": ") ? choice : choice + touched,
        () -> {
          act.run();
          return choice;
        });
  }
}

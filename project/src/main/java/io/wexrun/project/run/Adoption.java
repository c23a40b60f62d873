package io.wexrun.project.run;

import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.core.target.Standing;
import io.wexrun.project.dead.Chosen;
import io.wexrun.project.open.Ends;
import io.wexrun.project.open.WorkspaceSite;
import io.wexrun.project.read.DefinitionText;
import io.wexrun.state.Hold;
import io.wexrun.state.PipelineTexts;
import io.wexrun.state.WorkspaceState;
import java.util.Map;
import java.util.Optional;

/** Lets a pipeline go on where another one was that is not defined any more: it was renamed. */
public final class Adoption {
  private final WorkspaceSite site;
  private final Ends ends;

  /** In a workspace. */
  public Adoption(WorkspaceSite site, Ends ends) {
    this.site = site;
    this.ends = ends;
  }

  /**
   * Whether it can be done.
   *
   * @param from the name that is not defined any more
   * @return why not; empty if it can
   */
  public Optional<String> whyNot(String from, Pipeline to) {
    WorkspaceState state = site.state();
    if (state.corrections().pipelines().contains(to.name())) {
      return Optional.of("the tally knows " + to.name() + " already: it has books of its own");
    }
    if (ends.held(from) > 0) {
      return Optional.of(
          "records of "
              + from
              + " wait in its channel on disk: run it once more under its old name");
    }
    if (!Chosen.of(from, Optional.of(state)).open().isEmpty()) {
      return Optional.of(
          "a replay of "
              + from
              + " has not ended: 'wexrun replay "
              + from
              + "' with its definition of before ends it");
    }
    if (state.rebuilds().open(from).isPresent()) {
      return Optional.of(
          "a rebuild of "
              + from
              + " has not ended: 'wexrun rebuild "
              + from
              + "' with its definition of before goes on with it, --swap or --discard ends it");
    }
    Map<SourcePartition, Long> positions = state.tally().positions(from);
    for (Map.Entry<String, Standing> each : ends.standings(old(from, to)).entrySet()) {
      for (Map.Entry<SourcePartition, Long> end : each.getValue().progress().entrySet()) {
        if (end.getValue() > positions.getOrDefault(end.getKey(), 0L)) {
          return Optional.of(
              "target "
                  + each.getKey()
                  + " has rows of "
                  + from
                  + " that are not in the tally yet: run it once more under its old name");
        }
      }
    }
    return Optional.empty();
  }

  /** The pipeline as it ran last under its old name. */
  private Pipeline old(String from, Pipeline to) {
    Optional<PipelineTexts.Text> text = site.state().texts().current(from);
    return text.flatMap(
            t -> DefinitionText.read(from, t.text(), Diagnostics.of("pipeline " + from)))
        .orElse(to);
  }

  /**
   * Does it: tally, positions, texts and dead letters are those of the new name from now on.
   *
   * @throws OutsideException if one of the two runs, or it cannot be done
   */
  public void adopt(String from, Pipeline to) {
    WorkspaceState state = site.state();
    try (Hold old = state.hold(from);
        Hold now = state.hold(to.name())) {
      Optional<String> why = whyNot(from, to);
      if (why.isPresent()) {
        throw OutsideException.lasting(
            to.name() + " cannot go on where " + from + " was: " + why.get());
      }
      state.corrections().rename(from, to.name());
      ends.renameDeadLetters(from, to);
    }
  }
}

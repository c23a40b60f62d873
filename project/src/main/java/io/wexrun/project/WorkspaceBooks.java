package io.wexrun.project;

import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.tally.ReplaySource;
import io.wexrun.core.tally.SourceTally;
import io.wexrun.core.tally.TimeTally;
import io.wexrun.project.facts.Completeness;
import io.wexrun.project.facts.Proof;
import io.wexrun.state.WorkspaceState;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.TreeMap;
import java.util.function.Supplier;

/** The books of a workspace in parts, and how they are proven. Makes nothing. */
public final class WorkspaceBooks {
  private final Workspace workspace;
  private final Scene scene;
  private final Supplier<Optional<WorkspaceState>> state;

  WorkspaceBooks(Workspace workspace, Scene scene, Supplier<Optional<WorkspaceState>> state) {
    this.workspace = workspace;
    this.scene = scene;
    this.state = state;
  }

  /** The books of each source partition of a pipeline, by name; without its replays. */
  public Map<SourcePartition, SourceTally> bySource(String pipeline) {
    Map<SourcePartition, SourceTally> all = new TreeMap<>();
    state.get().ifPresent(known -> all.putAll(known.tally().bySource(pipeline)));
    all.keySet().removeIf(ReplaySource::is);
    return all;
  }

  /**
   * Up to which time of the events the tables of a pipeline are complete; looks at its sources.
   *
   * @param pipeline its name; it may be one that is not defined any more
   */
  public Completeness complete(String pipeline) {
    Optional<Instant> newest = state.get().flatMap(known -> known.tally().tally(pipeline).newest());
    return new Edge(scene).of(pipeline, bySource(pipeline), newest);
  }

  /** What was accounted for over time, in order. */
  public List<TimeTally> over(String pipeline, TimeTally.Unit unit) {
    return state.get().map(known -> known.tally().over(pipeline, unit)).orElse(List.of());
  }

  /**
   * Counts again what the books of some pipelines say, from the real things: sources, tables and
   * dead letters. Reads all of them.
   *
   * @param pipelines their names; of those that are not defined any more, as much as can be
   */
  public List<Proof> prove(List<String> pipelines) {
    return state
        .get()
        .map(known -> new Prover(workspace, scene, known).prove(pipelines))
        .orElse(List.of());
  }
}

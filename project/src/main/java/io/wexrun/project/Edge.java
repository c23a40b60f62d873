package io.wexrun.project;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.intake.Assigner;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Intake;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.core.tally.SourceTally;
import io.wexrun.project.facts.Completeness;
import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.TreeSet;

/**
 * Finds up to which time of the events the tables of a pipeline are complete: looks at each source
 * whether it has more than the books. Changes nothing. For one thread.
 */
final class Edge {
  private static final Duration PATIENCE = Duration.ofMillis(50);
  private static final int TRIES = 20;

  private final Scene scene;

  Edge(Scene scene) {
    this.scene = scene;
  }

  /**
   * How complete the tables of a pipeline are.
   *
   * @param books those of its sources
   * @param newest the latest event of all its rows, those that were revived included
   */
  Completeness of(String name, Map<SourcePartition, SourceTally> books, Optional<Instant> newest) {
    Optional<Pipeline> pipeline = scene.definition().pipeline(name);
    if (pipeline.isEmpty()) {
      return new Completeness(
          name, Optional.empty(), newest, List.of(), "the pipeline is not defined any more");
    }
    try {
      TreeSet<String> behind = behind(pipeline.get(), books);
      return new Completeness(name, edge(books, newest, behind), newest, List.copyOf(behind), "");
    } catch (OutsideException e) {
      return new Completeness(name, Optional.empty(), newest, List.of(), e.getMessage());
    }
  }

  /** The earliest of those that have more to deliver; if none has, the latest of all. */
  private static Optional<Instant> edge(
      Map<SourcePartition, SourceTally> books, Optional<Instant> newest, TreeSet<String> behind) {
    if (behind.isEmpty()) {
      return newest;
    }
    Optional<Instant> edge = newest;
    for (String source : behind) {
      Optional<Instant> of =
          Optional.ofNullable(books.get(new SourcePartition(source))).flatMap(SourceTally::newest);
      if (of.isEmpty()) {
        return Optional.empty(); // Of what it has, no time is known yet.
      }
      edge = edge.filter(time -> time.isBefore(of.get())).or(() -> of);
    }
    return edge;
  }

  private TreeSet<String> behind(Pipeline pipeline, Map<SourcePartition, SourceTally> books) {
    TreeSet<String> behind = new TreeSet<>();
    try (Intake intake = scene.ends().intake(pipeline, notice -> {}, false, () -> true)) {
      Assigner assigner =
          new Assigner(
              intake,
              source -> {
                SourceTally known = books.get(source.partition());
                return known == null ? source.start() : known.position();
              });
      int tries = 0;
      while (tries < TRIES) {
        Optional<Block> block = assigner.next(PATIENCE);
        if (block.isEmpty() && intake.drained()) {
          break;
        }
        tries = block.isPresent() ? 0 : tries + 1;
        if (block.isPresent() && block.get().records().count() > 0) {
          behind.add(block.get().source().name());
          intake.revoke(block.get().source()); // One record is enough to know.
        }
      }
    }
    return behind;
  }
}

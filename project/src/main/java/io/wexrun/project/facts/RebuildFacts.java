package io.wexrun.project.facts;

import io.wexrun.core.tally.Tally;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/**
 * A rebuild of a pipeline, and how it stands.
 *
 * @param number from 1, over all pipelines
 * @param pipeline which one
 * @param state {@code preparing}, {@code running}, {@code swapping}, {@code mending} (what people
 *     did with dead letters is done again), {@code swapped}, {@code cleared} or {@code discarded}
 * @param by the name of the user who began it
 * @param begun when
 * @param swapped when its tables were put in their places; empty if they were not
 * @param tables those that are built again
 * @param others what the pipeline writes to and is left as it is, as far as it has loaded rows
 * @param from where it began in those source partitions that it does not take from their start
 * @param left how many source partitions the pipeline has got further in
 * @param books what it has built; all zero once it is swapped or discarded
 * @param letters the queue of its dead letters, as long as it is open
 */
public record RebuildFacts(
    long number,
    String pipeline,
    String state,
    String by,
    Instant begun,
    Optional<Instant> swapped,
    List<Shadow> tables,
    List<String> others,
    Map<String, Long> from,
    int left,
    Tally books,
    String letters) {
  /**
   * A table that is built again.
   *
   * @param name its name
   * @param store where it is
   * @param shadow the name of what is built, until it is swapped
   * @param kept the name of what was there before the swap; empty before that
   */
  public record Shadow(String name, String store, String shadow, Optional<String> kept) {}

  /** Whether it can be gone on with. */
  public boolean isOpen() {
    return state.equals("preparing") || state.equals("running") || state.equals("swapping");
  }
}

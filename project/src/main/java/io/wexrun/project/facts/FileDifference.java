package io.wexrun.project.facts;

import io.wexrun.core.look.FieldLook;
import java.util.List;
import java.util.Map;

/**
 * How the records of a file differ from what a pipeline expects.
 *
 * @param records how many were tried
 * @param deaths why some would die, the most frequent first
 * @param ways where the first step may read records in several ways: how many each way took, by its
 *     path in the pipeline, in order
 * @param absent fields that steps take from raw records and that no record has
 * @param fresh fields that records have and that the pipeline does not read
 */
public record FileDifference(
    long records,
    List<Death> deaths,
    Map<String, Long> ways,
    List<String> absent,
    List<FieldLook> fresh) {
  /**
   * Records that would die alike.
   *
   * @param example the first one, as text
   */
  public record Death(DeadGroup.Kind kind, long count, String example) {}

  /** How many records would pass. */
  public long passes() {
    return records - deaths.stream().mapToLong(Death::count).sum();
  }

  /** Whether there is nothing that the pipeline does not expect. */
  public boolean none() {
    return deaths.isEmpty() && absent.isEmpty() && fresh.isEmpty();
  }
}

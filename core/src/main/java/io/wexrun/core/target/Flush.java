package io.wexrun.core.target;

import io.wexrun.core.batch.Rows;
import io.wexrun.core.intake.SourcePartition;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;

/**
 * Buffered rows on their way to a target, with how far they bring each source partition.
 *
 * @param parts in source order: ascending positions within each source partition
 */
public record Flush(List<Part> parts) {

  /**
   * The rows of one block.
   *
   * @param source where they come from
   * @param end the position after the block
   * @param rows rows with positions before {@code end}
   */
  public record Part(SourcePartition source, long end, Rows rows) {}

  /** Copies the list. */
  public Flush {
    parts = List.copyOf(parts);
  }

  /** How many rows there are. */
  public long rows() {
    return parts.stream().mapToLong(p -> p.rows().count()).sum();
  }

  /** The position after the last block of each source partition. */
  public Map<SourcePartition, Long> progress() {
    Map<SourcePartition, Long> progress = new TreeMap<>();
    parts.forEach(p -> progress.merge(p.source(), p.end(), Math::max));
    return progress;
  }
}

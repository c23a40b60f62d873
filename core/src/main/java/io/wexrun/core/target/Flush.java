package io.wexrun.core.target;

import io.wexrun.core.batch.Rows;
import io.wexrun.core.intake.SourcePartition;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;

/**
 * Buffered rows on their way to a target, with how far they bring each source partition.
 *
 * @param parts in source order: within each source partition the ranges ascend and do not overlap;
 *     ranges of which the target gets no row are left out
 * @param search learns how a target gets on that searches the rows for those that it refuses
 */
public record Flush(List<Part> parts, Search search) {
  /** Watches a search for refused rows, which may take many times as long as loading. */
  @FunctionalInterface
  public interface Search {
    /** Watches nothing. */
    Search UNWATCHED = (searched, refused, rows) -> {};

    /**
     * Called from time to time, by the thread that searches.
     *
     * @param searched how many rows of the flush were searched so far
     * @param refused how many of those are refused
     * @param rows how many rows the flush has
     * @throws io.wexrun.core.diagnose.OutsideException if the search is to end: then nothing of the
     *     flush is committed
     */
    void found(long searched, long refused, long rows);
  }

  /**
   * The rows of one range of a source partition: of one block, never of a part of a record.
   *
   * @param source where they come from
   * @param from the position where the range starts
   * @param end the position after the range
   * @param rows at least one; with positions from {@code from} on and before {@code end},
   *     ascending; rows of one record stand together
   */
  public record Part(SourcePartition source, long from, long end, Rows rows) {}

  /** A flush of which nobody watches the search for refused rows. */
  public Flush(List<Part> parts) {
    this(parts, Search.UNWATCHED);
  }

  /** Copies the list. */
  public Flush {
    parts = List.copyOf(parts);
  }

  /** How many rows there are. */
  public long rows() {
    return parts.stream().mapToLong(p -> p.rows().count()).sum();
  }

  /** The position after the last range of each source partition. */
  public Map<SourcePartition, Long> progress() {
    Map<SourcePartition, Long> progress = new TreeMap<>();
    parts.forEach(p -> progress.merge(p.source(), p.end(), Math::max));
    return progress;
  }
}

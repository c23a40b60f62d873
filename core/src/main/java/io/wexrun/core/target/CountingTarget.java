package io.wexrun.core.target;

import io.wexrun.core.intake.SourcePartition;
import java.util.Map;

/** A target that only counts its rows: they are written nowhere. */
public final class CountingTarget implements Target {
  private final Map<SourcePartition, Long> progress;

  /**
   * A target.
   *
   * @param progress how far everything has been counted
   */
  public CountingTarget(Map<SourcePartition, Long> progress) {
    this.progress = Map.copyOf(progress);
  }

  @Override
  public Map<SourcePartition, Long> progress() {
    return progress;
  }

  @Override
  public Staged stage(Flush flush) {
    return () -> new Receipt(flush.rows(), 0);
  }

  @Override
  public void close() {
    // Nothing is open.
  }
}

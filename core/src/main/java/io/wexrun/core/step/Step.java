package io.wexrun.core.step;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.schema.Schema;

/**
 * One transformation of a batch. Pure: the result depends on the batch alone, so that a block gives
 * the same rows on every run and on every lane. Used by several threads at once.
 */
public interface Step {
  /** The columns of the batches that come out. */
  Schema output();

  /**
   * About how many bytes of raw records may be shaped at once, for a step that makes much more of
   * them; longer blocks are cut between records before they come to it.
   */
  default int longestBlock() {
    return Integer.MAX_VALUE;
  }

  /**
   * Transforms a batch. Rows that are rejected already may be skipped; rows to reject are told to
   * {@code rejects}.
   *
   * @return the same rows with the columns of {@link #output()}, or fewer or more rows only if the
   *     step reads raw records
   */
  Batch apply(Batch batch, Rejects rejects);
}

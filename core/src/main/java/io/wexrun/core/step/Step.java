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
   * Transforms a batch. Rows that are rejected already may be skipped; rows to reject are told to
   * {@code rejects}.
   *
   * @return the same rows with the columns of {@link #output()}, or fewer or more rows only if the
   *     step reads raw records
   */
  Batch apply(Batch batch, Rejects rejects);
}

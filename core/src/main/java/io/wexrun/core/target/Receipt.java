package io.wexrun.core.target;

import java.util.List;

/**
 * What a committed flush did. Written, skipped and refused rows are together the rows of the flush.
 *
 * @param written rows that this commit made durable
 * @param skipped rows that an earlier commit made durable, by the target's own progress
 * @param refused rows that the store does not take, in the order of the flush, also those that it
 *     refused in an earlier commit and is handed again
 */
public record Receipt(long written, long skipped, List<Refusal> refused) {
  /** Copies the list. */
  public Receipt {
    refused = List.copyOf(refused);
  }

  /** A commit of which nothing was refused. */
  public Receipt(long written, long skipped) {
    this(written, skipped, List.of());
  }

  /** How many rows became of those that were handed over. */
  public long rows() {
    return written + skipped + refused.size();
  }
}

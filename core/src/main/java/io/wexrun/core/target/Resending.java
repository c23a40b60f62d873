package io.wexrun.core.target;

import java.nio.file.Path;
import java.time.Instant;
import java.util.List;
import java.util.Optional;
import java.util.function.Consumer;

/**
 * A store to which rows are sent, and that puts aside those that it cannot send for long. The tally
 * counts them as loaded; {@link #booked()} says how many of those their receiver does not have. For
 * several threads.
 *
 * <p>Failures throw {@link io.wexrun.core.diagnose.OutsideException}.
 */
public interface Resending {
  /**
   * Rows that were put aside together.
   *
   * @param table of which they are rows
   * @param pipeline whose rows they are
   * @param id under which they are sent, whenever they are
   * @param rows how many there are
   * @param file what holds them
   * @param since when sending began to fail
   * @param why it failed, or why they were refused
   * @param refused whether the receiver refused them when they were sent again
   */
  record PutAside(
      String table,
      String pipeline,
      String id,
      long rows,
      Path file,
      Instant since,
      String why,
      boolean refused) {}

  /**
   * The outcome of sending rows again.
   *
   * @param rows which ones
   * @param delivered how many of them the receiver took
   * @param refused how many of them the receiver refused
   * @param kept the file that holds the refused ones and the reasons, if there are any
   */
  record Resent(PutAside rows, long delivered, long refused, Optional<Path> kept) {}

  /**
   * Rows of a pipeline for a table that the receiver does not have.
   *
   * @param waiting rows that were put aside and wait to be sent
   * @param refused rows that were put aside and that the receiver refused when they were sent
   */
  record Outstanding(String table, String pipeline, long waiting, long refused) {}

  /** What is put aside, the oldest first: first what waits, then what was refused. */
  List<PutAside> putAside();

  /** How many rows are put aside, as noted in the transactions that put them there. */
  List<Outstanding> booked();

  /**
   * How many rows are put aside, counted in the files that hold them. Fails if one of the files is
   * damaged.
   */
  List<Outstanding> counted();

  /**
   * Sends what waits, the oldest first, under the ids that it has. Rows that the receiver refuses
   * are kept apart, and the others of their post are delivered. Fails if something cannot be sent
   * now; it still waits, and so does what is behind it.
   *
   * @param refused sends the rows that were refused before, instead of those that wait
   * @param told receives each outcome
   */
  void resend(boolean refused, Consumer<Resent> told);
}

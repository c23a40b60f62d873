package io.wexrun.core.target;

import java.nio.file.Path;
import java.time.Instant;
import java.util.List;
import java.util.Optional;
import java.util.function.Consumer;

/**
 * A store to which rows are sent, and that puts those aside that it could not send for long. For
 * several threads.
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
   * @param why it failed
   */
  record PutAside(
      String table, String pipeline, String id, long rows, Path file, Instant since, String why) {}

  /**
   * What became of rows that were sent again.
   *
   * @param rows which ones
   * @param refused how many of them the other side refuses for good
   * @param kept the file that says which ones, if there are any
   */
  record Resent(PutAside rows, long refused, Optional<Path> kept) {}

  /**
   * What waits, the oldest first.
   *
   * @throws io.wexrun.core.diagnose.OutsideException if that cannot be read
   */
  List<PutAside> putAside();

  /**
   * Sends what waits, the oldest first, under the ids that it has.
   *
   * @param told of each that was sent
   * @throws io.wexrun.core.diagnose.OutsideException if one cannot be sent now; it still waits, and
   *     so do those behind it
   */
  void resend(Consumer<Resent> told);
}

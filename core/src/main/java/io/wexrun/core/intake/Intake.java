package io.wexrun.core.intake;

import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalLong;

/**
 * Where records come from. It finds source partitions, is assigned some of them, each at a
 * position, and hands out their blocks.
 *
 * <p><b>Again.</b> What was handed out and is not {@linkplain #accounted accounted for} may be
 * asked for again at any time, by this run or the next one: the intake is then assigned the
 * partition at an earlier position, and must give the same records with the same positions. That is
 * what makes loading exactly once possible. What cannot be read again does not come through an
 * intake, but through a queue.
 *
 * <p><b>Threads.</b> One thread calls everything but {@link #close()}, which may come from any
 * thread and makes a {@code poll} that waits return.
 *
 * <p><b>Failures.</b> What cannot be read throws {@link io.wexrun.core.diagnose.OutsideException}.
 * Nothing is lost by that: the call may be made again, and so may the run.
 */
public interface Intake extends AutoCloseable {
  /**
   * Looks for source partitions, and says all that there are now, assigned or not, in the order in
   * which they should be taken. Called at the beginning, now and then, and whenever there was
   * nothing to take. With very many sources it is quicker if one of which nothing has changed is
   * the same object as before, at the same place; nobody changes a list that was returned.
   */
  List<Source> look();

  /**
   * From now on blocks of a source partition are handed out, the first one beginning at a position:
   * the partition's {@linkplain Source#start start}, or one that a block of it ended at or a record
   * of it stood at. Called again for one that is assigned, it goes back or forward.
   *
   * @throws io.wexrun.core.diagnose.OutsideException if the source does not have the position, as
   *     when it was cut or replaced; the message says so, and what to do
   */
  void assign(SourcePartition partition, long position);

  /**
   * No block of a source partition is handed out any more, unless it is assigned again. Those that
   * were are still going to be accounted for. Does nothing if it is not assigned.
   */
  void revoke(SourcePartition partition);

  /**
   * The next block of an assigned source partition, if one comes within {@code wait}. The blocks of
   * one partition come in order and without gap: each begins where the one before ended, though its
   * first record may stand further on.
   *
   * @return empty if nothing came in time
   */
  Optional<Block> poll(Duration wait);

  /**
   * Says who is called, from any thread, when there may be something to poll or to look at.
   *
   * @return whether the intake does that, and is polled without waiting; another one is polled with
   *     a wait, which takes a thread
   */
  default boolean listen(Runnable come) {
    return false;
  }

  /**
   * How long the intake may be left alone though it has not called who listens; it may change.
   * Right behind something that came it is asked sooner.
   */
  default Duration patience() {
    return Duration.ofMillis(500);
  }

  /**
   * A position of a source partition that was found, behind which everything stands that came to
   * the source since a time; a little of what came before may stand behind it, too.
   *
   * @return empty if the intake cannot tell
   */
  default OptionalLong since(SourcePartition partition, Instant time) {
    return OptionalLong.empty();
  }

  /**
   * Whether everything that was there when last looked and polled has been handed out, and no more
   * is coming from pipelines of this workspace that fill it.
   */
  boolean drained();

  /**
   * How far what was handed out is behind what the source has, as far as that is known without much
   * work: it is asked about once a second.
   */
  default Optional<Backlog> backlog() {
    return Optional.empty();
  }

  /**
   * What was handed out before these positions survives the loss of power by now, though it is not
   * in the tally yet. With a channel in memory nothing ever does before it is accounted for.
   */
  default void durable(Map<SourcePartition, Long> positions) {}

  /**
   * What was handed out before these positions is done, committed by its targets and in the tally,
   * and is never asked for again: a source may move or remove it.
   */
  default void accounted(Map<SourcePartition, Long> positions) {}

  /**
   * Whether the tally can be written. While it cannot, as when its disk is full, nothing that is
   * handed out is ever done, and who receives takes nothing more. May come from any thread.
   *
   * @param why empty once it can be written again
   */
  default void unaccountable(Optional<String> why) {}

  /** Gives back what is open. What was handed out may still be accounted for by a later run. */
  @Override
  void close();
}

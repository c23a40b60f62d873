package io.wexrun.core.channel;

import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.tally.Account;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalLong;

/**
 * The bounded buffer between a pipeline's intake and its delivery. Blocks are put, taken in the
 * same order, and held until the tally accounts for them.
 *
 * <p><b>Once.</b> A channel takes of each source partition only the block that follows: one that
 * begins where the one before ended, or before that but ends behind it, so that only its rest is
 * new. Every other one is passed over without a word: it is one that the intake handed out before
 * it was assigned another position, and it comes again.
 *
 * <p><b>Durable.</b> A channel may hand out a block only when the block is as durable as the
 * channel promises. For a source that can be read again that may be not at all; behind an intake
 * that cannot ask again, a block that is delivered and then lost with the power would leave its
 * positions to other records.
 *
 * <p><b>Threads.</b> One thread begins, puts and syncs; one takes, rewinds and tells what is
 * accounted for. {@code end}, {@code abandon} and {@code held} may come from any thread. Failures
 * of the disk throw {@link io.wexrun.core.diagnose.OutsideException}, and the same may be tried
 * again.
 */
public interface Channel extends AutoCloseable {
  /** What a channel without bytes on disk promises: see {@link #sync}. */
  Map<SourcePartition, Long> NOTHING = Map.of();

  /**
   * A source partition is going to be put.
   *
   * @param start where it begins if it was never taken from
   * @return where its intake goes on: behind what waits here and what is accounted for, or at its
   *     start
   */
  long begin(SourcePartition source, long start);

  /** What became of a block that was put. */
  enum Put {
    /** It was taken, or passed over. */
    TAKEN,
    /** There is no room for it now: it may be put again. */
    FULL,
    /** It was not taken: the channel has ended, or is abandoned and full. */
    ENDED
  }

  /**
   * Puts a block if there is room, or passes it over if it does not follow. A block larger than the
   * whole channel passes alone. Never waits for room.
   *
   * @throws io.wexrun.core.diagnose.OutsideException if it could not be kept; then it was not taken
   */
  Put put(Block block);

  /**
   * Makes what was put survive the loss of power, if the channel does that at all.
   *
   * @return how far each source partition is durable, as far as that has changed since the last
   *     time; always empty for a channel that keeps nothing
   */
  Map<SourcePartition, Long> sync();

  /** The next block, if one waits; never {@code null}, never waits. */
  Optional<Block> take();

  /** Says who is called whenever a block was put and when the channel has ended. */
  void listen(Runnable put);

  /**
   * Says who is called whenever there may be more room, or none is needed any more. With memory
   * that others share there may also be room without a call.
   */
  void listenForRoom(Runnable room);

  /** Whether the channel has ended and every block was taken. */
  boolean exhausted();

  /**
   * Begins anew behind what is accounted for: what was taken and is not is going to be delivered
   * again.
   *
   * @return the source partitions that the intake must be assigned anew, each at a position,
   *     because the channel does not have their blocks any more
   */
  Map<SourcePartition, Long> rewind();

  /** What these ranges have is in the tally: it need not be held any more. */
  void accounted(List<Account> accounts);

  /** No block comes any more in this run. */
  void end();

  /** Nobody takes any more in this run: puts go on only as long as there is room. */
  void abandon();

  /** How many records are held, put and not accounted for; empty if the channel does not know. */
  OptionalLong held();

  /** How full it is, from 0 to 1; more for one block that is larger than the channel. */
  double fill();

  /** Whether what is held is still there after the end of the run, for the next one to deliver. */
  boolean outlivesRun();

  /** Gives back what is open. What is held stays, if the channel outlives the run. */
  @Override
  void close();
}

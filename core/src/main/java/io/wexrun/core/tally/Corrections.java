package io.wexrun.core.tally;

import io.wexrun.core.intake.SourcePartition;
import java.util.List;
import java.util.Map;
import java.util.Set;

/**
 * Corrections of the books, made when somebody has touched what they are about: a table was
 * dropped, a store put back, a pipeline renamed. Each method is one transaction. For several
 * threads; nobody runs the pipeline meanwhile. Failures throw {@link
 * io.wexrun.core.diagnose.OutsideException}; then nothing was changed.
 */
public interface Corrections {
  /**
   * A part of a source partition that is taken again though it is in the tally.
   *
   * @param position where it goes on
   * @param until where it ends: the tally's position when that was chosen
   */
  record Retake(long position, long until) {}

  /** The names of all pipelines that the tally knows, in order. */
  List<String> pipelines();

  /** How many rows of each source partition the tally counts as loaded into a target. */
  Map<SourcePartition, Long> loaded(String pipeline, String target);

  /**
   * What a target had was removed on purpose: who it is and how far it had come is forgotten, so
   * that it may be another from now on. It stays counted as loaded, or as dead, and as {@linkplain
   * #removed removed} beside that.
   */
  void removeTarget(String pipeline, String target);

  /**
   * How many of the rows that are counted as loaded into a target, by source partition, were
   * removed with it. Of {@link io.wexrun.core.pipeline.Route#DEAD} it is the dead letters.
   */
  Map<SourcePartition, Long> removed(String pipeline, String target);

  /** The dead letters that were removed, by the code of their reason. */
  Map<String, Long> removedLetters(String pipeline);

  /**
   * Counts rows as lost that were loaded into a target, which may be another from now on. For dead
   * letters they leave the reasons in order.
   *
   * @param rows how many of each source partition; at most as many as are counted as loaded
   * @param has of the same source partitions, the position up to which the target has rows; -1 if
   *     it has none
   */
  void lose(
      String pipeline,
      String target,
      Map<SourcePartition, Long> rows,
      Map<SourcePartition, Long> has);

  /**
   * Notes replays that targets know and that the state does not, since it was put back.
   *
   * @param replays as {@link ReplaySource#replay} names them
   */
  void knowReplays(Set<String> replays);

  /** The parts that are still to be taken again. */
  Map<SourcePartition, Retake> retakes(String pipeline);

  /** The targets for which they are taken again; the others have them. */
  Set<String> retakeTargets(String pipeline);

  /**
   * Notes parts that are to be taken again. Targets may be others from now on.
   *
   * @param targets those that are behind, with the position up to which each has rows; -1 if none
   */
  void retake(
      String pipeline,
      Map<SourcePartition, Retake> parts,
      Map<String, Map<SourcePartition, Long>> targets);

  /** Ranges were taken again; what is done to its end is not to be taken again any more. */
  void retaken(String pipeline, List<Account> accounts);

  /**
   * Counts as loaded what a target has, and as lost what it has not, of all rows that it was ever
   * counted to have; and notes how far it has come.
   *
   * @param progress how far each source partition has got in the target
   * @param rows how many rows of a source partition it has, of those of which it counts them
   */
  void settle(
      String pipeline,
      String target,
      Map<SourcePartition, Long> progress,
      Map<SourcePartition, Long> rows);

  /** Nothing of a pipeline is to be taken again any more. */
  void giveUpRetakes(String pipeline);

  /**
   * A pipeline goes on under another name, which the tally must not know.
   *
   * @throws io.wexrun.core.diagnose.OutsideException if the tally knows the other name
   */
  void rename(String from, String to);

  /** Forgets everything about a pipeline. */
  void forget(String pipeline);
}

package io.wexrun.state;

import java.time.Instant;
import java.util.List;

/**
 * What people did with a workspace beside running its pipelines: the latest {@value #MOST} acts.
 * For several threads. Failures throw {@link io.wexrun.core.diagnose.OutsideException}.
 */
public interface History {
  /** How many acts are kept. */
  int MOST = 10_000;

  /**
   * Something that somebody did.
   *
   * @param time when, to the microsecond
   * @param by the name of the user, as the operating system says
   * @param what in a word or two, such as {@code adopt}
   * @param subject with what: the name of a pipeline, a queue, a store
   * @param detail the rest, for people; may be empty
   */
  record Act(Instant time, String by, String what, String subject, String detail) {}

  /** Notes an act; it survives the end of the process. */
  void note(Act act);

  /** The latest acts, the oldest of them first. */
  List<Act> latest(int most);
}

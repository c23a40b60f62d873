package io.wexrun.state;

import java.time.Instant;
import java.util.List;
import java.util.Optional;

/**
 * Which pipelines ran when, and how it ended: the latest {@value #MOST} runs. For several threads.
 * Failures throw {@link io.wexrun.core.diagnose.OutsideException}.
 */
public interface RunHistory {
  /** How many runs are kept. */
  int MOST = 20_000;

  /**
   * A run of a pipeline, from one start to the next end.
   *
   * @param number it is told from others by
   * @param pipeline which one
   * @param why it was started, in a few words
   * @param started when
   * @param ended when; empty if it goes on, or its process was killed
   * @param how it ended, in a word; empty if it has not
   * @param taken records taken by it
   * @param loaded rows committed by it
   * @param dead dead letters of it
   * @param detail why it failed; may be empty
   */
  record Ran(
      long number,
      String pipeline,
      String why,
      Instant started,
      Optional<Instant> ended,
      String how,
      long taken,
      long loaded,
      long dead,
      String detail) {}

  /**
   * Notes that a run has begun.
   *
   * @return its number
   */
  long begun(String pipeline, String why, Instant started);

  /** Notes how a run has ended; its number, pipeline, reason and start stay as they were noted. */
  void ended(Ran run);

  /** When a pipeline was started last; empty if it never was, as far as that is kept. */
  Optional<Instant> lastStart(String pipeline);

  /**
   * The latest runs of some pipelines, the oldest of them first.
   *
   * @param pipelines which ones; all, if there are none
   */
  List<Ran> latest(List<String> pipelines, int most);
}

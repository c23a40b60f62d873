package io.wexrun.core.run;

import io.wexrun.core.diagnose.Shown;
import java.time.Instant;

/**
 * Something about a run that a user should know and that does not end it.
 *
 * @param pipeline whose run it is; empty for the run of all
 * @param kind what it is about
 * @param text what happened, for people, as one sentence without a full stop
 * @param at when
 */
public record Notice(String pipeline, Kind kind, String text, Instant at) {
  /** What a notice is about. */
  public enum Kind {
    /** The intake found something that is worth a look. */
    INTAKE,
    /** What is taken cannot be delivered or kept for now, and it is tried again. */
    WAITS,
    /** It goes on after it had to wait. */
    GOES_ON
  }

  /** Masks secrets, and writes out what would steer a terminal. */
  public Notice {
    text = Shown.line(Shown.masked(text));
  }

  @Override
  public String toString() {
    return pipeline.isEmpty() ? text : pipeline + ": " + text;
  }
}

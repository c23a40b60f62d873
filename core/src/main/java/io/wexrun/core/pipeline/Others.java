package io.wexrun.core.pipeline;

import java.util.Locale;

/** What becomes of records that are of no kind. */
public enum Others {
  /** They die with {@code unknown-kind}. */
  DEAD,
  /** They are dropped and counted. */
  DROP,
  /** The run stops at the first one, with nothing of it lost. */
  STOP;

  /** The word in a file. */
  @Override
  public String toString() {
    return name().toLowerCase(Locale.ROOT);
  }
}

package io.wexrun.core.run;

import io.wexrun.core.tally.Account;
import java.util.List;
import java.util.Optional;

/**
 * Watches runs. Called from the runs' own threads, from several at once: it returns soon, and does
 * not call back into the run but for its figures. What it throws ends the run.
 */
public interface RunListener {
  /** Watches nothing. */
  RunListener NONE = new RunListener() {};

  /** Something that a user should know. The same notice is not told again and again. */
  default void told(Notice notice) {}

  /** Ranges were written to the tally. */
  default void accounted(String pipeline, List<Account> accounts) {}

  /** A pipeline's run has ended: drained or stopped, or by a failure. */
  default void ended(String pipeline, Optional<Throwable> failure) {}

  /** One listener that tells others, in order. */
  static RunListener all(List<RunListener> listeners) {
    List<RunListener> each = List.copyOf(listeners);
    return new RunListener() {
      @Override
      public void told(Notice notice) {
        each.forEach(listener -> listener.told(notice));
      }

      @Override
      public void accounted(String pipeline, List<Account> accounts) {
        each.forEach(listener -> listener.accounted(pipeline, accounts));
      }

      @Override
      public void ended(String pipeline, Optional<Throwable> failure) {
        each.forEach(listener -> listener.ended(pipeline, failure));
      }
    };
  }
}

package io.wexrun.project.check;

import io.wexrun.core.diagnose.Counted;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.pipeline.FlushPolicy;
import io.wexrun.core.pipeline.Sizes;
import io.wexrun.core.run.RunOptions;
import java.time.Duration;
import java.util.Optional;
import java.util.Set;
import java.util.function.Function;

/** Tells of limits of flushes that fight with what is behind them, or with each other. */
final class FlushCheck {
  /** After this nobody looks for rows of a quiet source any more. */
  private static final Duration LATE = Duration.ofHours(1);

  private static final KeyPath PATH = KeyPath.ROOT.key("flush");

  private FlushCheck() {}

  /**
   * Tells what is doubtful.
   *
   * @param youngest how old rows should be at least for the store of a target
   */
  static void check(
      FlushPolicy flush, Set<String> targets, Function<String, Duration> youngest, Diagnostics at) {
    tooOften(flush.age(), targets, youngest, at);
    if (flush.age().compareTo(LATE) > 0) {
      at.warning(
          "late-flushes",
          PATH.key("age"),
          "what a quiet source brings is in no table for up to "
              + Counted.of(flush.age().toHours(), "hour")
              + ": until then it is held, and taken again after a stop",
          Optional.of(
              "write an age of at most 1h, and merge small files with 'wexrun files compact'"));
    }
    long memory = RunOptions.untilDrained(false).bufferBytes();
    if (flush.bytes() > memory) {
      at.warning(
          "large-flushes",
          PATH.key("size"),
          "a flush never gets "
              + Sizes.show(flush.bytes())
              + ": all buffers together hold "
              + (memory >> 20)
              + "MB with this heap, and are flushed when these are full",
          Optional.of("write a smaller size, or give Java more memory: WEXRUN_JAVA_OPTS=-Xmx8g"));
    }
  }

  /** Each flush makes a file in some stores. */
  private static void tooOften(
      Duration age, Set<String> targets, Function<String, Duration> youngest, Diagnostics at) {
    for (String target : targets) {
      if (age.compareTo(youngest.apply(target)) < 0) {
        at.warning(
            "frequent-flushes",
            PATH,
            "a flush every "
                + Counted.of(Math.max(1, age.toSeconds()), "second")
                + " makes up to "
                + Counted.of(Duration.ofDays(1).dividedBy(age), "file")
                + " a day in table '"
                + target
                + "'",
            Optional.of("write flush: {age: 10m} or so; rows are seen as much later"));
        return;
      }
    }
  }
}

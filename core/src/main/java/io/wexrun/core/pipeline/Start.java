package io.wexrun.core.pipeline;

import java.time.Duration;
import java.time.ZoneId;
import java.util.List;
import java.util.Optional;

/**
 * When a pipeline is started in a run that goes on. Immutable.
 *
 * @param every how long after one start the next one is; empty if it is not said so
 * @param cron the times, in five fields as crontab has them; empty if they are not said so
 * @param zone in which the times are meant
 * @param after the pipelines that must have succeeded before
 * @param arrivals how often it is looked whether its files have something new, with which it is
 *     started; empty if it is not said so
 * @param missed whether it is started at once, when its time has passed while nothing ran
 * @param overlap whether it is run once more, when its time has come while it ran
 * @param retries how often it is tried again when it fails, before its next time
 */
public record Start(
    Optional<Duration> every,
    Optional<String> cron,
    ZoneId zone,
    List<String> after,
    Optional<Duration> arrivals,
    boolean missed,
    boolean overlap,
    int retries) {
  /** How often a pipeline is tried again if nothing is said. */
  public static final int RETRIES = 3;

  /** It is started with the run, and goes on as long as that does. */
  public static final Start WITH_THE_RUN =
      new Start(
          Optional.empty(),
          Optional.empty(),
          ZoneId.of("UTC"),
          List.of(),
          Optional.empty(),
          true,
          false,
          RETRIES);

  /** Copies the list. */
  public Start {
    after = List.copyOf(after);
  }

  /** Whether it is started at times or after others, and ends when what is there is taken. */
  public boolean isPlanned() {
    return every.isPresent() || cron.isPresent() || arrivals.isPresent() || !after.isEmpty();
  }
}

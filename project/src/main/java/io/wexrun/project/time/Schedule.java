package io.wexrun.project.time;

import com.cronutils.model.Cron;
import com.cronutils.model.CronType;
import com.cronutils.model.definition.CronDefinitionBuilder;
import com.cronutils.model.time.ExecutionTime;
import com.cronutils.parser.CronParser;
import io.wexrun.core.pipeline.Start;
import java.time.Duration;
import java.time.Instant;
import java.time.ZonedDateTime;
import java.time.temporal.ChronoUnit;
import java.util.Optional;

/** The times at which a pipeline is started. Immutable. */
public final class Schedule {
  private static final CronParser PARSER =
      new CronParser(CronDefinitionBuilder.instanceDefinitionFor(CronType.UNIX));

  private final Start start;
  private final Optional<ExecutionTime> times;

  /**
   * The times that are written.
   *
   * @throws IllegalArgumentException if the cron expression is none, with why
   */
  public Schedule(Start start) {
    this.start = start;
    this.times = start.cron().map(Schedule::parsed).map(ExecutionTime::forCron);
  }

  private static Cron parsed(String text) {
    return PARSER.parse(text).validate();
  }

  /** What is written. */
  public Start start() {
    return start;
  }

  /** The first time after an instant; empty if it is started after others, or never again. */
  public Optional<Instant> next(Instant after) {
    Optional<Duration> pause = start.every().or(start::arrivals);
    if (pause.isPresent()) {
      return Optional.of(after.plus(pause.get()));
    }
    ZonedDateTime from = ZonedDateTime.ofInstant(after, start.zone());
    return times.flatMap(t -> t.nextExecution(from)).map(ZonedDateTime::toInstant);
  }

  /** The latest of its times that has come; empty if it has none, or none has come. */
  public Optional<Instant> last(Instant now) {
    ZonedDateTime at = ZonedDateTime.ofInstant(now, start.zone());
    return times
        .flatMap(t -> t.isMatch(at) ? Optional.of(at) : t.lastExecution(at))
        .map(time -> time.truncatedTo(ChronoUnit.MINUTES).toInstant());
  }

  /**
   * When it is started again.
   *
   * @param started when it was started last
   * @param now when that has ended
   */
  public Optional<Instant> again(Instant started, Instant now) {
    boolean came = start.cron().isPresent() && next(started).filter(now::isAfter).isPresent();
    return came && start.overlap() ? Optional.of(now) : next(now);
  }

  /**
   * When it is started first in a run.
   *
   * @param last when it was started last; empty if it never was
   * @param now when the run begins
   */
  public Optional<Instant> first(Optional<Instant> last, Instant now) {
    if (start.arrivals().isPresent() || start.every().isPresent() && last.isEmpty()) {
      return Optional.of(now);
    }
    Optional<Instant> planned = next(last.orElse(now));
    boolean passed = planned.filter(time -> time.isBefore(now)).isPresent();
    return passed ? (start.missed() ? Optional.of(now) : next(now)) : planned;
  }
}

package io.wexrun.cli;

import io.wexrun.core.diagnose.Counted;
import io.wexrun.core.intake.Backlog;
import io.wexrun.core.run.Delays;
import io.wexrun.core.run.Situation;
import io.wexrun.core.run.TargetWork;
import io.wexrun.core.run.Work;
import io.wexrun.project.facts.PipelineStatus;
import java.time.Duration;
import java.time.Instant;
import java.time.temporal.ChronoUnit;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;

/** What a run did in each place, in words and tables. */
final class WorkView {
  private static final double NANOS = 1e9;
  private static final String[] UNITS = {"bytes", "KB", "MB", "GB", "TB"};

  private WorkView() {}

  /** A size with three digits or so. */
  static String size(long bytes) {
    double size = bytes;
    int unit = 0;
    while (size >= 1024 && unit < UNITS.length - 1) {
      size /= 1024;
      unit++;
    }
    return unit == 0
        ? Counted.of(bytes, "byte")
        : String.format(Locale.ROOT, size < 10 ? "%.1f %s" : "%.0f %s", size, UNITS[unit]);
  }

  /** A time with two digits or so. */
  static String time(Duration time) {
    double seconds = seconds(time);
    if (time.isNegative()) {
      return "-" + time(time.negated());
    } else if (seconds >= 60) {
      return StatusCommand.time(time);
    } else if (seconds < 0.001) {
      return seconds == 0 ? "0 ms" : "<1 ms";
    }
    return seconds < 1
        ? Math.round(seconds * 1000) + " ms"
        : String.format(Locale.ROOT, seconds < 10 ? "%.1f s" : "%.0f s", seconds);
  }

  /** A time that comes from data may be longer than nanoseconds can count. */
  private static double seconds(Duration time) {
    return time.getSeconds() + time.getNano() / NANOS;
  }

  /** How far a pipeline is behind its source; empty if that is not known. */
  static Optional<String> behind(Situation situation) {
    return situation
        .backlog()
        .map(
            backlog ->
                backlog.unit() == Backlog.Unit.BYTES
                    ? size(backlog.left())
                    : Counted.number(backlog.left()));
  }

  /** How old the oldest record is that is held. */
  static Optional<String> oldest(Situation situation) {
    return situation.oldest().map(since -> time(Duration.between(since, Instant.now())));
  }

  /** How far a run is that ends when drained, and when that will be. */
  static Optional<String> progress(Situation situation, Duration since) {
    Optional<Backlog> backlog = situation.backlog().filter(b -> b.left() > 0 && b.done() > 0);
    return backlog.map(
        b -> {
          long left = (long) (since.toMillis() * (double) b.left() / b.done());
          return Math.round(Math.floor(100 * b.share()))
              + " %, about "
              + time(Duration.ofMillis(left).truncatedTo(ChronoUnit.SECONDS).plusSeconds(1))
              + " left";
        });
  }

  /** Where the time went, and how long rows were on their way. */
  static Optional<String> summary(Work work) {
    Optional<String> slowest = work.slowest();
    if (slowest.isEmpty()) {
      return slowest;
    }
    String text = "most of the time in " + slowest.get() + " (" + share(work, slowest.get()) + ")";
    Delays events =
        work.targets().values().stream().map(TargetWork::events).reduce(Delays.NONE, Delays::plus);
    return Optional.of(text + way(events, "event").map(way -> ", " + way).orElse(""));
  }

  private static String share(Work work, String place) {
    long nanos =
        place.startsWith("-> ")
            ? work.targets().get(place.substring(3)).nanos()
            : work.places().get(place).nanos();
    return percent(nanos, work);
  }

  private static String percent(long nanos, Work work) {
    return Math.round(100.0 * nanos / Math.max(1, work.nanos())) + " %";
  }

  private static Optional<String> way(Delays delays, String from) {
    return delays
        .average()
        .map(
            average ->
                "from "
                    + from
                    + " to row "
                    + time(average)
                    + " on average, "
                    + time(delays.most().orElse(average))
                    + " at most");
  }

  /** Writes a table of a pipeline's places, and below it what is known of its targets. */
  static void show(String pipeline, Work work, Terminal terminal) {
    List<List<String>> rows = new ArrayList<>();
    work.places()
        .forEach(
            (place, e) ->
                rows.add(
                    List.of(
                        place,
                        Counted.number(e.in()),
                        Counted.number(e.out()),
                        Counted.number(e.dead()),
                        time(Duration.ofNanos(e.nanos())),
                        percent(e.nanos(), work))));
    work.targets()
        .forEach(
            (target, w) ->
                rows.add(
                    List.of(
                        "-> " + target,
                        Counted.number(w.rows()),
                        Counted.number(w.rows()),
                        "0",
                        time(Duration.ofNanos(w.nanos())),
                        percent(w.nanos(), work))));
    terminal.table(
        List.of(pipeline, "in", "out", "dead", "time", "share"),
        List.of(false, true, true, true, true, true),
        rows);
    work.places().entrySet().stream()
        .filter(place -> place.getValue().defaults() > 0)
        .forEach(
            place ->
                terminal.out.println(
                    place.getKey()
                        + ": "
                        + Counted.of(place.getValue().defaults(), "value")
                        + " could not be read as the type of the cast: default taken, or left"
                        + " absent"));
    targets(work).forEach(terminal.out::println);
    terminal.flush();
  }

  /** What is known of each target, a line each. */
  static List<String> targets(Work work) {
    List<String> lines = new ArrayList<>();
    work.targets()
        .forEach(
            (target, w) -> {
              String text =
                  target
                      + ": "
                      + Counted.of(w.rows(), "row")
                      + ", "
                      + size(w.bytes())
                      + " in "
                      + (w.flushes() == 1 ? "1 flush" : Counted.number(w.flushes()) + " flushes");
              text += way(w.taken(), "taken").map(way -> "; " + way).orElse("");
              text += way(w.events(), "event").map(way -> "; " + way).orElse("");
              text +=
                  w.events()
                      .latest()
                      .map(at -> "; newest event " + at.truncatedTo(ChronoUnit.MILLIS))
                      .orElse("");
              lines.add(text);
            });
    return lines;
  }

  /** The most of that, in short lines. */
  static List<String> brief(Work work) {
    List<String> lines = new ArrayList<>();
    work.targets()
        .forEach(
            (target, w) ->
                lines.add(
                    String.format(
                        Locale.ROOT,
                        "%-21s rows %9s   %8s   taken to row %6s   event to row %s",
                        target,
                        Counted.number(w.rows()),
                        size(w.bytes()),
                        w.taken().average().map(WorkView::time).orElse("·"),
                        w.events().average().map(WorkView::time).orElse("·"))));
    return lines;
  }

  /** The same for machines; times in seconds. */
  static Map<String, Object> facts(PipelineStatus each) {
    Map<String, Object> facts = new LinkedHashMap<>();
    Situation situation = each.situation();
    situation
        .backlog()
        .ifPresent(
            backlog ->
                facts.put(
                    "behind-" + backlog.unit().name().toLowerCase(Locale.ROOT), backlog.left()));
    facts.put("channel-fill", rounded(situation.channel()));
    facts.put("buffer-fill", rounded(situation.buffers()));
    situation.oldest().ifPresent(since -> facts.put("oldest-held", since.toString()));
    facts.putAll(facts(each.work()));
    return facts;
  }

  /** The figures of places and targets. */
  static Map<String, Object> facts(Work work) {
    List<Map<String, Object>> places = new ArrayList<>();
    work.places()
        .forEach(
            (place, e) -> {
              Map<String, Object> fact = new LinkedHashMap<>();
              fact.put("place", place);
              fact.put("in", e.in());
              fact.put("out", e.out());
              fact.put("dead", e.dead());
              fact.put("defaults", e.defaults());
              fact.put("seconds", rounded(e.nanos() / NANOS));
              places.add(fact);
            });
    List<Map<String, Object>> targets = new ArrayList<>();
    work.targets()
        .forEach(
            (target, w) -> {
              Map<String, Object> fact = new LinkedHashMap<>();
              fact.put("target", target);
              fact.put("rows", w.rows());
              fact.put("bytes", w.bytes());
              fact.put("flushes", w.flushes());
              fact.put("seconds", rounded(w.nanos() / NANOS));
              put(fact, "taken-to-row", w.taken());
              put(fact, "event-to-row", w.events());
              w.events().latest().ifPresent(at -> fact.put("newest-event", at.toString()));
              targets.add(fact);
            });
    return Map.of("places", places, "targets", targets);
  }

  private static void put(Map<String, Object> fact, String name, Delays delays) {
    delays
        .average()
        .ifPresent(
            average -> {
              Map<String, Object> seconds = new LinkedHashMap<>();
              seconds.put("average", rounded(seconds(average)));
              seconds.put("most", rounded(seconds(delays.most().orElse(average))));
              fact.put(name, seconds);
            });
  }

  private static double rounded(double value) {
    return Math.round(value * 1000) / 1000.0;
  }
}

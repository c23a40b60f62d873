package io.wexrun.project.ask;

import io.wexrun.core.intake.Backlog;
import io.wexrun.core.run.Delays;
import io.wexrun.core.run.Situation;
import io.wexrun.core.run.TargetWork;
import io.wexrun.core.run.Work;
import io.wexrun.core.shape.Effort;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/** What a pipeline does, and how it stands, as values that go through a socket. */
final class AskedWork {
  private AskedWork() {}

  static List<Object> values(Situation situation) {
    Optional<Backlog> backlog = situation.backlog();
    return Arrays.asList(
        backlog.map(Backlog::done).orElse(null),
        backlog.map(Backlog::left).orElse(null),
        backlog.map(b -> b.unit().name()).orElse(null),
        situation.channel(),
        situation.buffers(),
        situation.oldest().map(Instant::toString).orElse(null));
  }

  static Situation situation(List<?> values) {
    Optional<Backlog> backlog =
        values.get(2) == null
            ? Optional.empty()
            : Optional.of(
                new Backlog(
                    number(values, 0),
                    number(values, 1),
                    Backlog.Unit.valueOf((String) values.get(2))));
    return new Situation(
        backlog,
        ((Number) values.get(3)).doubleValue(),
        ((Number) values.get(4)).doubleValue(),
        Optional.ofNullable((String) values.get(5)).map(Instant::parse));
  }

  static List<Object> values(Work work) {
    List<Object> places = new ArrayList<>();
    work.places()
        .forEach(
            (place, e) ->
                places.add(List.of(place, e.in(), e.out(), e.dead(), e.nanos(), e.defaults())));
    List<Object> targets = new ArrayList<>();
    work.targets()
        .forEach(
            (target, w) ->
                targets.add(
                    List.of(
                        target,
                        w.rows(),
                        w.bytes(),
                        w.flushes(),
                        w.nanos(),
                        values(w.taken()),
                        values(w.events()))));
    return List.of(places, targets);
  }

  private static List<Object> values(Delays delays) {
    return List.of(delays.count(), delays.micros(), delays.longest(), delays.newest());
  }

  static Work work(List<?> values) {
    Map<String, Effort> places = new LinkedHashMap<>();
    for (Object each : (List<?>) values.get(0)) {
      List<?> row = (List<?>) each;
      places.put(
          (String) row.get(0),
          new Effort(
              number(row, 1),
              number(row, 2),
              number(row, 3),
              row.size() > 5 ? number(row, 5) : 0, // An older run does not tell.
              number(row, 4)));
    }
    Map<String, TargetWork> targets = new LinkedHashMap<>();
    for (Object each : (List<?>) values.get(1)) {
      List<?> row = (List<?>) each;
      targets.put(
          (String) row.get(0),
          new TargetWork(
              number(row, 1),
              number(row, 2),
              number(row, 3),
              number(row, 4),
              delays((List<?>) row.get(5)),
              delays((List<?>) row.get(6))));
    }
    return new Work(places, targets);
  }

  private static Delays delays(List<?> row) {
    return new Delays(
        number(row, 0), ((Number) row.get(1)).doubleValue(), number(row, 2), number(row, 3));
  }

  private static long number(List<?> row, int at) {
    return ((Number) row.get(at)).longValue();
  }
}

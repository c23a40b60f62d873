package io.wexrun.project.figures;

import io.prometheus.metrics.expositionformats.OpenMetricsTextFormatWriter;
import io.prometheus.metrics.model.snapshots.CounterSnapshot;
import io.prometheus.metrics.model.snapshots.GaugeSnapshot;
import io.prometheus.metrics.model.snapshots.Labels;
import io.prometheus.metrics.model.snapshots.MetricSnapshots;
import io.prometheus.metrics.model.snapshots.StateSetSnapshot;
import io.prometheus.metrics.model.snapshots.SummarySnapshot;
import io.prometheus.metrics.model.snapshots.Unit;
import io.wexrun.core.connect.Refusals;
import io.wexrun.core.intake.Backlog;
import io.wexrun.core.run.Delays;
import io.wexrun.core.run.TargetWork;
import io.wexrun.core.shape.Effort;
import io.wexrun.core.tally.Tally;
import io.wexrun.project.facts.PipelineStatus;
import io.wexrun.project.facts.QueueFacts;
import io.wexrun.project.facts.ReaderFacts;
import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.function.Function;
import java.util.function.ToDoubleFunction;
import java.util.function.ToLongFunction;

/**
 * The figures of a run as OpenMetrics text (OpenMetrics 1.0.0). Counters of the run begin with it;
 * those of the books count over all time. There are as many series as there are pipelines, targets
 * that they loaded, places in their shapes, reasons and readers of queues: never one for a source
 * or a record.
 *
 * @param pipelines how those of the run stand
 * @param books of these pipelines
 * @param queues those of the workspace, with who reads them
 * @param refusals what its doors have refused
 */
public record Figures(
    List<PipelineStatus> pipelines,
    List<Tally> books,
    List<QueueFacts> queues,
    Map<Refusals.Refusal, Long> refusals) {
  /** The media type of the text. */
  public static final String TYPE = OpenMetricsTextFormatWriter.CONTENT_TYPE;

  private static final String PIPELINE = "pipeline";
  private static final String TARGET = "target";
  private static final double MILLIS = 1000;
  private static final double MICROS = 1e6;
  private static final double NANOS = 1e9;

  /** The text. */
  public String text() {
    ByteArrayOutputStream out = new ByteArrayOutputStream();
    try {
      OpenMetricsTextFormatWriter.create().write(out, snapshots());
    } catch (IOException e) {
      throw new IllegalStateException("memory takes every byte", e);
    }
    return out.toString(StandardCharsets.UTF_8);
  }

  private MetricSnapshots snapshots() {
    Runtime runtime = Runtime.getRuntime();
    double used = runtime.totalMemory() - runtime.freeMemory();
    return MetricSnapshots.builder()
        .metricSnapshot(states())
        .metricSnapshot(
            counter("taken_records", "Records taken by this run.", p -> p.progress().taken()))
        .metricSnapshot(
            counter("taken_bytes", "Raw bytes taken by this run.", p -> p.progress().bytes()))
        .metricSnapshot(
            counter("loaded_rows", "Rows committed by this run.", p -> p.progress().loaded()))
        .metricSnapshot(
            counter("dead_records", "Dead letters of this run.", p -> p.progress().dead()))
        .metricSnapshot(
            counter("dropped_records", "Records dropped by this run.", p -> p.progress().dropped()))
        .metricSnapshot(
            counter(
                "failures", "How often the pipeline has failed in this run.", p -> p.failures()))
        .metricSnapshot(refused())
        .metricSnapshot(
            gauge(
                "held_rows",
                "Rows and records taken and not yet accounted for.",
                p -> p.progress().held()))
        .metricSnapshot(
            gauge(
                "state_age_seconds",
                "For how long the pipeline has been in its state.",
                p -> Duration.between(p.since(), Instant.now()).toMillis() / MILLIS))
        .metricSnapshot(behindSource("behind_bytes", Backlog.Unit.BYTES))
        .metricSnapshot(behindSource("behind_records", Backlog.Unit.RECORDS))
        .metricSnapshot(
            gauge(
                "channel_fill_ratio",
                "How full the channel between intake and delivery is.",
                p -> p.situation().channel()))
        .metricSnapshot(
            gauge(
                "buffer_fill_ratio",
                "How near the fullest buffer is to its flush by rows or bytes.",
                p -> p.situation().buffers()))
        .metricSnapshot(
            gauge(
                "oldest_held_seconds",
                "How long ago the oldest record was taken that is not accounted for; 0 if none"
                    + " is held.",
                p -> p.situation().oldest().map(Figures::age).orElse(0.0)))
        .metricSnapshot(byPlace("place_in_rows", "Rows that came to a place.", Effort::in))
        .metricSnapshot(byPlace("place_out_rows", "Rows that went on from a place.", Effort::out))
        .metricSnapshot(
            byPlace(
                "place_dead_records",
                "Records that died or were dropped at a place.",
                Effort::dead))
        .metricSnapshot(
            byPlace(
                "place_default_values",
                "Values that were none of their type, for which others were taken.",
                Effort::defaults))
        .metricSnapshot(
            byPlace("place_seconds", "Time of threads spent at a place.", e -> e.nanos() / NANOS))
        .metricSnapshot(byTarget("target_rows", "Rows committed to a target.", TargetWork::rows))
        .metricSnapshot(
            byTarget("target_bytes", "About how large these rows were.", TargetWork::bytes))
        .metricSnapshot(
            byTarget("target_flushes", "How often a target was committed to.", TargetWork::flushes))
        .metricSnapshot(
            byTarget(
                "target_seconds",
                "Time of threads spent staging and committing.",
                w -> w.nanos() / NANOS))
        .metricSnapshot(
            delays(
                "taken_to_row_seconds",
                "From when the intake took a record until its row was committed.",
                TargetWork::taken))
        .metricSnapshot(
            delays(
                "event_to_row_seconds",
                "From the time in the row's first timestamp column until it was committed.",
                TargetWork::events))
        .metricSnapshot(booksByTarget())
        .metricSnapshot(booksByReason())
        .metricSnapshot(balanced())
        .metricSnapshot(behind())
        .metricSnapshot(alone("heap_used_bytes", "Memory of the heap in use.", used))
        .metricSnapshot(
            alone("threads", "Threads of Java in the process.", Thread.getAllStackTraces().size()))
        .build();
  }

  private static Labels of(String pipeline) {
    return Labels.of(PIPELINE, pipeline);
  }

  private static CounterSnapshot.CounterDataPointSnapshot count(Labels labels, double value) {
    return CounterSnapshot.CounterDataPointSnapshot.builder().labels(labels).value(value).build();
  }

  private static GaugeSnapshot.GaugeDataPointSnapshot point(Labels labels, double value) {
    return GaugeSnapshot.GaugeDataPointSnapshot.builder().labels(labels).value(value).build();
  }

  private CounterSnapshot counter(String name, String help, ToLongFunction<PipelineStatus> figure) {
    CounterSnapshot.Builder counter = CounterSnapshot.builder().name("wexrun_" + name).help(help);
    pipelines.forEach(p -> counter.dataPoint(count(of(p.pipeline()), figure.applyAsLong(p))));
    return unit(counter, name).build();
  }

  private CounterSnapshot refused() {
    String name = "refused_requests";
    CounterSnapshot.Builder counter =
        CounterSnapshot.builder()
            .name("wexrun_" + name)
            .help("Requests that a door refused, by the status of the answer; full: connections.");
    refusals.forEach(
        (refusal, times) ->
            counter.dataPoint(
                count(Labels.of("door", refusal.door(), "reason", refusal.reason()), times)));
    return unit(counter, name).build();
  }

  private GaugeSnapshot gauge(String name, String help, ToDoubleFunction<PipelineStatus> figure) {
    GaugeSnapshot.Builder gauge = GaugeSnapshot.builder().name("wexrun_" + name).help(help);
    pipelines.forEach(p -> gauge.dataPoint(point(of(p.pipeline()), figure.applyAsDouble(p))));
    return unit(gauge, name).build();
  }

  private static GaugeSnapshot alone(String name, String help, double value) {
    GaugeSnapshot.Builder gauge = GaugeSnapshot.builder().name("wexrun_" + name).help(help);
    return unit(gauge.dataPoint(point(Labels.EMPTY, value)), name).build();
  }

  /** Base units are told beside the name. */
  private static <T extends io.prometheus.metrics.model.snapshots.MetricSnapshot.Builder<T>> T unit(
      T builder, String name) {
    if (name.endsWith("_bytes")) {
      builder.unit(Unit.BYTES);
    } else if (name.endsWith("_seconds")) {
      builder.unit(Unit.SECONDS);
    }
    return builder;
  }

  private static double age(Instant since) {
    return Math.max(0, Duration.between(since, Instant.now()).toMillis() / MILLIS);
  }

  private GaugeSnapshot behindSource(String name, Backlog.Unit unitOf) {
    GaugeSnapshot.Builder gauge =
        GaugeSnapshot.builder()
            .name("wexrun_" + name)
            .help("What the source has and the intake has not handed out, as far as it knows.");
    for (PipelineStatus each : pipelines) {
      each.situation()
          .backlog()
          .filter(backlog -> backlog.unit() == unitOf)
          .ifPresent(backlog -> gauge.dataPoint(point(of(each.pipeline()), backlog.left())));
    }
    return unit(gauge, name).build();
  }

  private CounterSnapshot byPlace(String name, String help, ToDoubleFunction<Effort> figure) {
    CounterSnapshot.Builder counter = CounterSnapshot.builder().name("wexrun_" + name).help(help);
    for (PipelineStatus each : pipelines) {
      each.work()
          .places()
          .forEach(
              (place, effort) ->
                  counter.dataPoint(
                      count(
                          Labels.of(PIPELINE, each.pipeline(), "place", place),
                          figure.applyAsDouble(effort))));
    }
    return unit(counter, name).build();
  }

  private CounterSnapshot byTarget(String name, String help, ToDoubleFunction<TargetWork> figure) {
    CounterSnapshot.Builder counter = CounterSnapshot.builder().name("wexrun_" + name).help(help);
    for (PipelineStatus each : pipelines) {
      each.work()
          .targets()
          .forEach(
              (target, work) ->
                  counter.dataPoint(
                      count(
                          Labels.of(PIPELINE, each.pipeline(), TARGET, target),
                          figure.applyAsDouble(work))));
    }
    return unit(counter, name).build();
  }

  /** Sum and count, of which averages over any time can be made. */
  private SummarySnapshot delays(String name, String help, Function<TargetWork, Delays> delays) {
    SummarySnapshot.Builder summary =
        SummarySnapshot.builder().name("wexrun_" + name).help(help).unit(Unit.SECONDS);
    for (PipelineStatus each : pipelines) {
      each.work()
          .targets()
          .forEach(
              (target, work) -> {
                Delays known = delays.apply(work);
                if (known.count() > 0) {
                  summary.dataPoint(
                      SummarySnapshot.SummaryDataPointSnapshot.builder()
                          .labels(Labels.of(PIPELINE, each.pipeline(), TARGET, target))
                          .count(known.count())
                          .sum(known.micros() / MICROS)
                          .build());
                }
              });
    }
    return summary.build();
  }

  private StateSetSnapshot states() {
    StateSetSnapshot.Builder states =
        StateSetSnapshot.builder()
            .name("wexrun_pipeline_state")
            .help("What each pipeline of this run does.");
    for (PipelineStatus each : pipelines) {
      StateSetSnapshot.StateSetDataPointSnapshot.Builder point =
          StateSetSnapshot.StateSetDataPointSnapshot.builder().labels(of(each.pipeline()));
      for (PipelineStatus.State state : PipelineStatus.State.values()) {
        point.state(state.name().toLowerCase(Locale.ROOT), each.state() == state);
      }
      states.dataPoint(point.build());
    }
    return states.build();
  }

  private CounterSnapshot booksByTarget() {
    CounterSnapshot.Builder loaded =
        CounterSnapshot.builder()
            .name("wexrun_books_loaded_rows")
            .help("Rows loaded over all time, by the tally.");
    for (Tally tally : books) {
      tally
          .counts()
          .loaded()
          .forEach(
              (target, rows) ->
                  loaded.dataPoint(
                      count(Labels.of(PIPELINE, tally.pipeline(), TARGET, target), rows)));
    }
    return loaded.build();
  }

  private CounterSnapshot booksByReason() {
    CounterSnapshot.Builder dead =
        CounterSnapshot.builder()
            .name("wexrun_books_dead_records")
            .help("Records that died over all time, by the tally.");
    for (Tally tally : books) {
      tally
          .counts()
          .dead()
          .forEach(
              (reason, records) ->
                  dead.dataPoint(
                      count(
                          Labels.of(PIPELINE, tally.pipeline(), "reason", reason.code()),
                          records)));
    }
    return dead.build();
  }

  private GaugeSnapshot balanced() {
    GaugeSnapshot.Builder balanced =
        GaugeSnapshot.builder()
            .name("wexrun_books_balanced")
            .help("1 if the books of the pipeline balance.");
    books.forEach(t -> balanced.dataPoint(point(of(t.pipeline()), t.balanced() ? 1 : 0)));
    return balanced.build();
  }

  private GaugeSnapshot behind() {
    GaugeSnapshot.Builder behind =
        GaugeSnapshot.builder()
            .name("wexrun_queue_behind_records")
            .help("Records of a queue that a reader has not read yet.");
    for (QueueFacts queue : queues) {
      for (ReaderFacts reader : queue.readers()) {
        Labels labels = Labels.of("queue", queue.name(), "reader", reader.name());
        behind.dataPoint(point(labels, reader.lag()));
      }
    }
    return behind.build();
  }
}

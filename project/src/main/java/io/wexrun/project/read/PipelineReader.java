package io.wexrun.project.read;

import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.pipeline.Deaths;
import io.wexrun.core.pipeline.FlushPolicy;
import io.wexrun.core.pipeline.Kind;
import io.wexrun.core.pipeline.Others;
import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.core.pipeline.Route;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.pipeline.Sizes;
import io.wexrun.core.pipeline.Start;
import io.wexrun.core.pipeline.StepDefinition;
import io.wexrun.project.yaml.YamlFile;
import io.wexrun.project.yaml.YamlMap;
import java.time.DateTimeException;
import java.time.Duration;
import java.time.ZoneId;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalDouble;
import java.util.regex.Pattern;
import java.util.stream.Stream;
import org.snakeyaml.engine.v2.nodes.Node;

/** Reads one document of a pipeline file into a {@link Pipeline}. */
public final class PipelineReader {
  /** What names of pipelines, tables and targets are like. */
  public static final Pattern NAME = Pattern.compile("[A-Za-z0-9][A-Za-z0-9_-]*");

  private static final List<String> KEYS =
      List.of(
          "pipeline",
          "about",
          "start",
          "tags",
          "parameters",
          "patterns",
          "intake",
          "channel",
          "shape",
          "route",
          "kinds",
          "others",
          "dead",
          "flush",
          "deaths",
          "cases");

  private static final double PERCENT = 100;

  private PipelineReader() {}

  /** The pipeline of a document; empty if it lacks what makes one. */
  static Optional<Pipeline> read(YamlFile file, Node document, Diagnostics diagnostics) {
    YamlMap map = new YamlMap(file, document, "a pipeline", diagnostics);
    map.allow("a pipeline", KEYS);
    Optional<String> name = map.requiredText("a pipeline", "pipeline");
    if (name.isPresent() && !NAME.matcher(name.get()).matches()) {
      map.error(
          "pipeline",
          "bad-name",
          "'" + name.get() + "' is not a name",
          Optional.of("use letters, digits, '-' and '_'"));
    }
    Map<String, String> patterns = new LinkedHashMap<>();
    map.map("patterns")
        .ifPresent(
            written ->
                written.keys().forEach(k -> written.text(k).ifPresent(p -> patterns.put(k, p))));
    Optional<Settings> intake = intake(map);
    List<StepDefinition> shape = shape(map);
    List<Route> route = route(map, "route");
    List<Kind> kinds = new ArrayList<>();
    Optional<YamlMap> written = map.map("kinds");
    written.ifPresent(
        all -> all.keys().forEach(key -> all.map(key).ifPresent(one -> kinds.add(kind(key, one)))));
    if (map.value("route").isPresent() == map.value("kinds").isPresent()) {
      boolean both = map.value("route").isPresent();
      map.error(
          both ? map.value("kinds").get() : map.node(),
          both ? "wrong-form" : "missing-key",
          both
              ? "a pipeline has a route or kinds, not both: each kind has a route of its own"
              : "the pipeline has no route, so its records go nowhere",
          Optional.of(
              both
                  ? "move the route into the kinds"
                  : "add 'route:' with '- to: ' and a table or queue"));
    }
    Optional<Others> others =
        map.parsed(
            "others",
            text -> Stream.of(Others.values()).filter(o -> o.toString().equals(text)).findFirst(),
            "dead, drop or stop");
    if (map.value("others").isPresent() && written.isEmpty()) {
      map.error(
          "others",
          "wrong-form",
          "'others' goes with 'kinds'",
          Optional.of("end the route with '- otherwise: dead' or '- otherwise: drop'"));
    }
    map.items("cases"); // Only their form is told here: cases are no part of the pipeline.
    FlushPolicy flush = flush(map);
    // Without an intake the pipeline cannot run, but the rest of it can be checked.
    return name.map(
        n ->
            new Pipeline(
                n,
                map.text("about").orElse(""),
                patterns,
                intake.orElse(new Settings("", Map.of())),
                shape,
                route,
                kinds,
                others.orElse(Others.DEAD),
                route(map, "dead"),
                flush,
                channel(map),
                start(map),
                deaths(map),
                tags(map)));
  }

  private static Deaths deaths(YamlMap map) {
    Optional<YamlMap> written = map.map("deaths");
    if (written.isEmpty()) {
      return Deaths.ANY;
    }
    YamlMap deaths = written.get();
    deaths.allow("deaths", List.of("warn", "stop", "of"));
    if (deaths.value("warn").isEmpty() && deaths.value("stop").isEmpty()) {
      deaths.error(
          deaths.node(),
          "missing-key",
          "nothing says how many may die",
          Optional.of("write warn: 1%, stop: 20%, or both"));
    }
    return new Deaths(
        share(deaths, "warn"),
        share(deaths, "stop"),
        deaths
            .parsed("of", PipelineReader::count, "a number of records, such as 10000")
            .orElse(Deaths.OF));
  }

  private static OptionalDouble share(YamlMap map, String key) {
    return map.parsed(
            key,
            text ->
                Optional.of(text)
                    .filter(t -> t.matches("[0-9]{1,3}(\\.[0-9]{1,6})? ?%"))
                    .map(t -> Double.parseDouble(t.replaceAll("[ %]", "")) / PERCENT)
                    .filter(share -> share <= 1),
            "a share, such as 1%")
        .map(OptionalDouble::of)
        .orElse(OptionalDouble.empty());
  }

  static Start start(YamlMap map) {
    Optional<YamlMap> written = map.map("start");
    if (written.isEmpty()) {
      return Start.WITH_THE_RUN;
    }
    YamlMap start = written.get();
    start.allow(
        "start",
        List.of(
            "every", "cron", "zone", "after", "arrivals", "missed", "overlap", "retries", "with"));
    List<String> when =
        Stream.of("every", "cron", "after", "arrivals")
            .filter(k -> start.value(k).isPresent())
            .toList();
    if (when.size() != 1) {
      start.error(
          start.node(),
          when.isEmpty() ? "missing-key" : "wrong-form",
          when.isEmpty() ? "nothing says when it is started" : "it is started in one way only",
          Optional.of("write every: 10m, cron: '30 2 * * *', after: [pipeline], or arrivals: 10s"));
    }
    return new Start(
        pause(start, "every"),
        start.text("cron"),
        start
            .parsed("zone", PipelineReader::zone, "a time zone, such as Europe/Berlin")
            .orElse(Start.WITH_THE_RUN.zone()),
        start.texts("after"),
        pause(start, "arrivals"),
        isOnce(start, "missed", "once"),
        isOnce(start, "overlap", "skip"),
        start
            .parsed(
                "retries",
                t -> t.matches("[0-9]{1,4}") ? Optional.of(Integer.parseInt(t)) : Optional.empty(),
                "a number of tries, such as 3")
            .orElse(Start.RETRIES));
  }

  private static Optional<Duration> pause(YamlMap start, String key) {
    return start.parsed(
        key,
        t -> Sizes.duration(t).filter(d -> d.toMillis() >= 1000),
        "a time of a second or more, such as 10m");
  }

  private static boolean isOnce(YamlMap start, String key, String usually) {
    return start
        .parsed(key, t -> Optional.of(t).filter(List.of("once", "skip")::contains), "once or skip")
        .orElse(usually)
        .equals("once");
  }

  private static Optional<ZoneId> zone(String text) {
    try {
      return Optional.of(ZoneId.of(text));
    } catch (DateTimeException e) {
      return Optional.empty();
    }
  }

  private static List<String> tags(YamlMap map) {
    List<String> tags = map.texts("tags");
    for (String tag : tags) {
      if (!NAME.matcher(tag).matches()) {
        map.error(
            "tags",
            "bad-name",
            "'" + tag + "' is not a tag",
            Optional.of("use letters, digits, '-' and '_'"));
      }
    }
    return tags;
  }

  private static List<StepDefinition> shape(YamlMap map) {
    List<StepDefinition> shape = new ArrayList<>();
    for (Node item : map.items("shape")) {
      // A step with a mistake leaves its place, so that those behind it keep theirs.
      shape.add(step(map, item).orElse(StepDefinition.require()));
    }
    return shape;
  }

  private static List<Route> route(YamlMap map, String key) {
    return map.items(key).stream().map(item -> route(map, item)).toList();
  }

  private static Kind kind(String name, YamlMap map) {
    map.allow("a kind", List.of("has", "where", "when", "shape", "to", "route"));
    if (!NAME.matcher(name).matches()) {
      map.error(
          map.node(),
          "bad-name",
          "'" + name + "' is not a name",
          Optional.of("use letters, digits, '-' and '_'"));
    }
    Map<String, List<String>> where = new LinkedHashMap<>();
    map.map("where")
        .ifPresent(fields -> fields.keys().forEach(key -> where.put(key, fields.texts(key))));
    List<Route> route = new ArrayList<>(route(map, "route"));
    if (map.value("to").isPresent() == map.value("route").isPresent()) {
      map.error(
          map.node(),
          "missing-key",
          "kind '" + name + "' needs either 'to' or 'route'",
          Optional.of("add 'to: ' and a table or queue"));
    }
    List<String> to = map.texts("to");
    if (!to.isEmpty()) {
      route.add(new Route(Optional.empty(), to, Optional.empty()));
    }
    return new Kind(name, map.texts("has"), where, map.text("when"), shape(map), route);
  }

  private static Optional<Settings> intake(YamlMap map) {
    Optional<YamlMap> intake = map.map("intake");
    if (intake.isEmpty()) {
      map.error(
          "intake",
          "missing-key",
          "the pipeline has no intake, so it has no records",
          Optional.of("add 'intake: {files: incoming/*.log}' or 'intake: {queue: NAME}'"));
    }
    return intake.flatMap(PipelineReader::settings);
  }

  /** Settings whose first key names the connector; what keys there may be, it says. */
  static Optional<Settings> settings(YamlMap map) {
    Map<String, Object> values = new LinkedHashMap<>();
    map.keys().forEach(key -> values.put(key, YamlMap.plain(map.value(key).orElseThrow())));
    return map.keys().stream().findFirst().map(kind -> new Settings(kind, values));
  }

  private static Optional<StepDefinition> step(YamlMap map, Node item) {
    YamlMap step = map.mapAt(item, "a step");
    if (step.keys().size() == 1) {
      String kind = step.keys().get(0);
      return step.value(kind).map(YamlMap::texts).map(value -> StepDefinition.of(kind, value));
    }
    if (step.keys().size() > 1) {
      step.error(
          item,
          "wrong-form",
          "a step has one key",
          Optional.of("begin each step with '- ', as in '- require: [card]'"));
    }
    return Optional.empty();
  }

  private static Route route(YamlMap map, Node item) {
    YamlMap entry = map.mapAt(item, "an entry of the route");
    entry.allow("an entry of the route", List.of("when", "to", "key", "otherwise"));
    boolean otherwise = entry.value("otherwise").isPresent();
    List<String> to = entry.texts(otherwise ? "otherwise" : "to");
    if (otherwise && (entry.value("when").isPresent() || entry.value("to").isPresent())) {
      entry.error(
          "otherwise",
          "wrong-form",
          "'otherwise' stands alone in its entry",
          Optional.of("begin a new entry with '- otherwise: '"));
    }
    if (to.isEmpty()) {
      entry.error(
          item, "missing-key", "the entry leads nowhere", Optional.of("add 'to: ' and a name"));
    }
    return new Route(entry.text("when"), to, entry.text("key"));
  }

  private static Settings channel(YamlMap map) {
    return map.map("channel").flatMap(PipelineReader::settings).orElse(Pipeline.IN_MEMORY);
  }

  private static FlushPolicy flush(YamlMap map) {
    Optional<YamlMap> written = map.map("flush");
    if (written.isEmpty()) {
      return FlushPolicy.DEFAULT;
    }
    YamlMap flush = written.get();
    flush.allow("flush", List.of("rows", "size", "age"));
    FlushPolicy policy = FlushPolicy.DEFAULT;
    policy =
        flush
            .parsed("rows", PipelineReader::count, "a number of rows, such as 100000")
            .map(policy::withRows)
            .orElse(policy);
    policy =
        flush
            .parsed("size", t -> Sizes.bytes(t).filter(b -> b > 0), "a size, such as 64MB")
            .map(policy::withBytes)
            .orElse(policy);
    return flush
        .parsed("age", t -> Sizes.duration(t).filter(d -> !d.isZero()), "an age, such as 10s")
        .map(policy::withAge)
        .orElse(policy);
  }

  /** A whole number above zero. */
  static Optional<Long> count(String text) {
    return text.matches("[1-9][0-9_]{0,17}")
        ? Optional.of(Long.parseLong(text.replace("_", "")))
        : Optional.empty();
  }
}

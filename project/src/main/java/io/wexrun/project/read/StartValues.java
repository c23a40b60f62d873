package io.wexrun.project.read;

import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.pipeline.Sizes;
import io.wexrun.core.pipeline.Start;
import io.wexrun.project.time.Schedule;
import io.wexrun.project.yaml.YamlFile;
import io.wexrun.project.yaml.YamlMap;
import java.time.DateTimeException;
import java.time.Duration;
import java.time.Instant;
import java.time.ZonedDateTime;
import java.time.format.DateTimeFormatter;
import java.time.temporal.ChronoUnit;
import java.util.LinkedHashMap;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.regex.MatchResult;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.snakeyaml.engine.v2.nodes.Node;

/**
 * The values that a pipeline's parameters have by its start, as they stand under {@code with}:
 * texts in which {@code {time}} is when it was to be started, {@code {time:yyyy-MM-dd}} that in a
 * pattern of {@link DateTimeFormatter}, and {@code {time-1d}} a day (or 12h, 30m) before.
 */
final class StartValues {
  private static final String KEY = "with";
  private static final Pattern TIME =
      Pattern.compile("\\{time(?:-([0-9]+(?:d|h|m|s)))?(?::([^}]*))?}");

  private StartValues() {}

  /** The values as they are at a time; none if the document says none. */
  static Map<String, String> at(
      YamlFile file, Node document, Instant now, Diagnostics diagnostics) {
    Optional<YamlMap> written = of(file, document, diagnostics);
    if (written.isEmpty()) {
      return Map.of();
    }
    // What else is wrong with the start is told when it is read.
    Start known = PipelineReader.start(new YamlMap(file, document, "", Diagnostics.of("start")));
    ZonedDateTime time = time(known, now);
    YamlMap map = written.get();
    Map<String, String> values = new LinkedHashMap<>();
    for (String name : map.keys()) {
      map.text(name)
          .flatMap(text -> filled(map, name, text, time))
          .ifPresent(v -> values.put(name, v));
    }
    return values;
  }

  private static ZonedDateTime time(Start start, Instant now) {
    Optional<Instant> last = Optional.empty();
    try {
      last = new Schedule(start).last(now);
    } catch (IllegalArgumentException e) {
      // A cron expression that is none is told when the start is checked.
    }
    return last.orElse(now).atZone(start.zone()).truncatedTo(ChronoUnit.SECONDS);
  }

  private static Optional<String> filled(
      YamlMap map, String name, String text, ZonedDateTime time) {
    try {
      Matcher use = TIME.matcher(text);
      String value = use.replaceAll(found -> Matcher.quoteReplacement(written(found, time)));
      if (value.contains("{")) {
        wrong(map, name, "'" + text + "' has a '{' that begins no time");
        return Optional.empty();
      }
      return Optional.of(value);
    } catch (DateTimeException | IllegalArgumentException e) {
      wrong(map, name, "'" + text + "' cannot be written: " + e.getMessage());
      return Optional.empty();
    }
  }

  private static void wrong(YamlMap map, String name, String message) {
    map.error(
        name,
        "bad-start-value",
        message,
        Optional.of("write {time}, {time:yyyy-MM-dd} or {time-1d:yyyy-MM-dd}"));
  }

  private static String written(MatchResult found, ZonedDateTime time) {
    ZonedDateTime at = found.group(1) == null ? time : before(time, found.group(1));
    return found.group(2) == null
        ? at.toInstant().toString()
        : DateTimeFormatter.ofPattern(found.group(2), Locale.ROOT).format(at);
  }

  /** A day is one of the calendar, which may have 23 or 25 hours. */
  private static ZonedDateTime before(ZonedDateTime time, String pause) {
    if (pause.endsWith("d")) {
      return time.minusDays(Long.parseLong(pause.substring(0, pause.length() - 1)));
    }
    Duration duration =
        Sizes.duration(pause)
            .orElseThrow(() -> new IllegalArgumentException(pause + " is no length of time"));
    return time.minus(duration);
  }

  /** What a document says under {@code with}. */
  static Optional<YamlMap> of(YamlFile file, Node document, Diagnostics diagnostics) {
    return Parameters.child(document, "start")
        .flatMap(node -> Parameters.child(node, KEY))
        .map(node -> new YamlMap(file, node, KEY, diagnostics));
  }
}

package io.wexrun.cli;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.cli.Wexrun.Result;
import io.wexrun.contract.Seeds;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.SplittableRandom;
import java.util.stream.Stream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/** Records hold the most extreme values of each type; every command still tells what there is. */
class ExtremesTest {
  private static final Map<String, List<String>> VALUES =
      Map.of(
          "at",
          List.of(
              "9999-12-31T23:59:59.999999Z",
              "0001-01-01T00:00:00Z",
              "1969-12-31T23:59:59Z",
              "+294247-01-10T04:00:54.775807Z",
              "-290308-12-21T19:59:05.224192Z",
              "+999999999-12-31T23:59:59Z",
              "2026-05-03T04:00:00Z"),
          "day",
          List.of("9999-12-31", "0001-01-01", "-999999999-01-01", "+999999999-12-31"),
          "n",
          List.of("0", "9223372036854775807", "-9223372036854775808", "9223372036854775808"),
          "i",
          List.of("2147483647", "-2147483648", "2147483648"),
          "d",
          List.of("1.7976931348623157E308", "-4.9E-324", "1e400", "NaN", "Infinity"),
          "m",
          List.of("999999999999999.999", "-999999999999999.999", "1e30"),
          "s",
          List.of("", "\\u0000", "\\ud83d\\ude8b", "x".repeat(70_000)));

  private static final List<List<String>> VIEWS =
      List.of(
          List.of("check"),
          List.of("tally"),
          List.of("tally", "--by", "hour"),
          List.of("tally", "--by", "source"),
          List.of("tally", "--prove"),
          List.of("tally", "--complete"),
          List.of("status", "--verbose"),
          List.of("runs"),
          List.of("dead"),
          List.of("dead", "--list"),
          List.of("doctor"),
          List.of("history"),
          List.of("table"),
          List.of("queue"),
          List.of("queue", "q"),
          List.of("queue", "read", "q"),
          List.of("trace", "--record", "in/a.log@0"),
          List.of("try", "p", "in/a.log"),
          List.of("look", "in/a.log"),
          List.of("reconcile"),
          List.of("files"),
          List.of("sql", "select * from t"),
          List.of("files", "read", "lake"));

  @TempDir private Path base;

  private static Wexrun workspace(Path folder) throws IOException {
    Files.createDirectories(folder.resolve("pipelines"));
    Files.createDirectories(folder.resolve("in"));
    Files.writeString(
        folder.resolve("wexrun.yaml"),
        """
        workspace: extremes
        stores: {w: {duckdb: w.db}, lake: {folder: lake, format: ndjson}}
        queues: {q: {partitions: 1}}
        tables:
          t: {in: w, origin: true, columns: &c {at: timestamp, day: date, n: long, i: int, d: double, m: 'decimal(18,3)', s: text}}
          u: {in: lake, columns: *c}
          hours:
            in: w
            group: hour
            columns: {hour: 'timestamp = truncate(at, "hour", "UTC")', rows: long = count(), top: double = max(d), most: long = max(n)}
        """);
    Files.writeString(
        folder.resolve("pipelines/p.yaml"),
        """
        pipeline: p
        intake: {files: 'in/*.log'}
        route: [{to: q}]
        ---
        pipeline: load
        intake: {queue: q}
        shape:
          - json: {fields: {at: timestamp, day: date, n: long, i: int, d: double, m: 'decimal(18,3)', s: text}}
        route: [{to: [t, u, hours]}]
        """);
    return Wexrun.in(folder);
  }

  private static String record(SplittableRandom dice, String only) {
    List<String> fields = new ArrayList<>();
    VALUES.forEach(
        (name, values) -> {
          String value = values.get(only.equals(name) ? dice.nextInt(values.size()) : 0);
          boolean number = List.of("n", "i", "d", "m").contains(name) && dice.nextBoolean();
          fields.add("\"" + name + "\":" + (number ? value : "\"" + value + "\""));
        });
    return "{" + String.join(",", fields) + "}\n";
  }

  @Test
  void everyViewTellsWhatThereIs() {
    Seeds.each(
        1,
        seed -> {
          SplittableRandom dice = new SplittableRandom(seed);
          Path folder = base.resolve(Long.toHexString(seed));
          Wexrun here = workspace(folder);
          StringBuilder records = new StringBuilder();
          List<String> names = VALUES.keySet().stream().sorted().toList();
          for (int i = 0; i < 100; i++) {
            records.append(record(dice, names.get(dice.nextInt(names.size()))));
          }
          Files.writeString(folder.resolve("in/a.log"), records);
          Result first = here.run("run", "--once", "--verbose");
          assertThat(first.exit()).as(first.err()).isZero();
          sane(first);
          assertThat(here.run("tally", "--json").json().toString())
              .contains("\"t\":", "\"hours\":");
          Process run = here.start("run", "--figures", "0");
          try {
            for (List<String> view : VIEWS) {
              sane(here.run(view.toArray(String[]::new)));
              sane(
                  here.run(
                      Stream.concat(view.stream(), Stream.of("--json")).toArray(String[]::new)));
            }
          } finally {
            run.destroy();
            run.waitFor();
          }
        });
  }

  private static void sane(Result result) {
    assertThat(result.exit()).as(result.err()).isNotEqualTo(5);
    assertThat(result.err()).doesNotContain("Exception", "\tat ");
    assertThat(result.out()).doesNotContain("Exception:", "\tat ");
  }
}

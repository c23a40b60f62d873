package io.wexrun.cli;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.within;

import io.wexrun.cli.Wexrun.Result;
import io.wexrun.cli.demo.DemoWorkspace;
import io.zonky.test.db.postgres.embedded.EmbeddedPostgres;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.time.Instant;
import java.time.OffsetDateTime;
import java.time.ZoneId;
import java.time.temporal.ChronoUnit;
import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeMap;
import java.util.TreeSet;
import java.util.function.Function;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import tools.jackson.databind.JsonNode;

/** What an analyst asks of the demo, in each kind of store; the answers come from the lines. */
class QuestionsTest {
  private static final Pattern SCAN =
      Pattern.compile(
          "(\\d{4}-(?:0\\d|1[0-2])-\\S+) ([^ /]+)/(\\S+) \\S+ scan card=(\\S+) result=(\\S+)"
              + " ms=(\\d+) \"(?:[^\"\\\\]|\\\\.)*\"");

  private static final ZoneId ZONE = ZoneId.of("Europe/Berlin");

  @TempDir private Path folder;

  private record Scan(Instant time, String gate, String stop, String card, String result, int ms) {
    Instant hour() {
      return time.atZone(ZONE).truncatedTo(ChronoUnit.HOURS).toInstant();
    }
  }

  private List<Scan> scans() throws IOException {
    List<Scan> scans = new ArrayList<>();
    try (Stream<Path> files = Files.list(folder.resolve("tram-demo/incoming/gates"))) {
      for (Path file : files.toList()) {
        // A byte that is not UTF-8 becomes a character that no good line has.
        String text = new String(Files.readAllBytes(file), StandardCharsets.UTF_8);
        for (String line : text.split("\n")) {
          Matcher scan = SCAN.matcher(line.stripTrailing());
          if (scan.matches() && !line.contains("\uFFFD") && line.length() < 60_000) {
            scans.add(
                new Scan(
                    OffsetDateTime.parse(scan.group(1)).toInstant(),
                    scan.group(2),
                    scan.group(3).replace('-', ' '),
                    scan.group(4),
                    scan.group(5),
                    Integer.parseInt(scan.group(6))));
          }
        }
      }
    }
    return scans;
  }

  private static <K> Map<K, Long> counts(List<Scan> scans, Function<Scan, K> by) {
    return scans.stream().collect(Collectors.groupingBy(by, TreeMap::new, Collectors.counting()));
  }

  /** Rows as texts, whatever kind of number a store gives. */
  private static List<String> ask(Wexrun workspace, String sql) {
    Result result = workspace.run("sql", "--json", sql);
    assertThat(result.exit()).as("%s: %s", sql, result.err()).isZero();
    List<String> rows = new ArrayList<>();
    for (JsonNode row : result.json().get("rows")) {
      rows.add(
          row.properties().stream()
              .map(field -> field.getValue().asString())
              .collect(Collectors.joining("|")));
    }
    return rows;
  }

  /**
   * Asks everything.
   *
   * @param from what the rows of a table are read from
   * @param hours what the rollup is read from, one row for each group
   */
  private void askAll(Wexrun workspace, String from, String hours) throws IOException {
    List<Scan> scans = scans();
    assertThat(ask(workspace, "select cast(count(*) as integer) from " + from))
        .containsExactly("" + scans.size());

    assertThat(
            ask(
                workspace,
                "select result, cast(count(*) as integer) as n from "
                    + from
                    + " group by result order by result"))
        .as("status counts")
        .isEqualTo(
            counts(scans, Scan::result).entrySet().stream()
                .map(e -> e.getKey() + "|" + e.getValue())
                .toList());

    List<String> busiest = new ArrayList<>();
    counts(scans, scan -> scan.hour() + "|" + scan.stop())
        .forEach((key, n) -> busiest.add(key + "|" + n));
    assertThat(
            ask(
                    workspace,
                    "select cast(extract(epoch from hour) as bigint), stop, cast(scans as integer)"
                        + " from "
                        + hours
                        + " order by hour, stop")
                .stream()
                .map(
                    row ->
                        Instant.ofEpochSecond(Long.parseLong(row.split("\\|")[0]))
                            + row.substring(row.indexOf('|')))
                .sorted()
                .toList())
        .as("busiest stops by hour")
        .isEqualTo(busiest.stream().sorted().toList());

    Map<String, Long> ofGate = counts(scans, Scan::gate);
    List<String> denied =
        ask(
            workspace,
            "select gate, cast(count(*) filter (where result = 'denied') as double precision) /"
                + " count(*) as share from "
                + from
                + " group by gate order by gate");
    assertThat(denied).hasSameSizeAs(ofGate.keySet());
    for (String row : denied) {
      String gate = row.split("\\|")[0];
      long refused =
          scans.stream().filter(s -> s.gate().equals(gate) && s.result().equals("denied")).count();
      assertThat(Double.parseDouble(row.split("\\|")[1]))
          .as("denied share of " + gate)
          .isCloseTo((double) refused / ofGate.get(gate), within(1e-12));
    }

    // Reported are cards that were denied in the first minutes, and some that nobody has.
    List<Scan> early = scans.subList(0, 500);
    Set<String> reported = new TreeSet<>(Set.of("00000000"));
    early.stream().filter(s -> s.result().equals("denied")).forEach(s -> reported.add(s.card()));
    Instant last = scans.stream().map(Scan::time).max(Instant::compareTo).orElseThrow();
    Instant dayBefore = last.minus(Duration.ofDays(1));
    Set<String> seen = new HashSet<>();
    scans.stream()
        .filter(s -> s.time().isAfter(dayBefore) && reported.contains(s.card()))
        .forEach(s -> seen.add(s.card()));
    assertThat(
            ask(
                workspace,
                "select distinct card from "
                    + from
                    + " where time > (select max(time) from "
                    + from
                    + ") - interval '1 day' and card in ('"
                    + String.join("', '", reported)
                    + "') order by card"))
        .as("cards on the reported list that were seen in the last day")
        .isEqualTo(seen.stream().sorted().toList())
        .hasSizeGreaterThan(3);
  }

  @Test
  void inTheEmbeddedDatabase() throws IOException {
    assertThat(Wexrun.in(folder).run("demo").exit()).isZero();
    askAll(Wexrun.in(folder.resolve("tram-demo")), "scans", "stop_hours");
  }

  @Test
  void inAServer() throws IOException {
    try (EmbeddedPostgres server = EmbeddedPostgres.start()) {
      String url = server.getJdbcUrl("postgres", "postgres");
      Result demo = Wexrun.in(folder).run("demo", "--url", url);
      assertThat(demo.exit()).as(demo.err()).isZero();
      askAll(Wexrun.in(folder.resolve("tram-demo")), "scans", "stop_hours");
      for (String[] other :
          new String[][] {{"demo"}, {"demo", "--url", "jdbc:postgresql://localhost:1/x"}}) {
        Result again = Wexrun.in(folder).run(other);
        assertThat(again.exit()).isEqualTo(3);
        assertThat(again.err()).contains("has a demo already that loads into another database");
      }
      Result nonsense = Wexrun.in(folder).run("demo", "--url", "nonsense", "none");
      assertThat(nonsense.exit()).isEqualTo(2);
      assertThat(nonsense.err()).contains("'nonsense' is not a URL");
      assertThat(folder.resolve("none")).doesNotExist();
    }
  }

  @Test
  void inFolders() throws IOException {
    Path demo = folder.resolve("tram-demo");
    DemoWorkspace.make(demo, Optional.empty());
    Path yaml = demo.resolve("wexrun.yaml");
    Files.writeString(
        yaml,
        Files.readString(yaml)
            .replace("  scans:\n    in: warehouse", "  scans:\n    in: archive")
            .replace("  stop_hours:\n    in: warehouse", "  stop_hours:\n    in: totals")
            .replace("stores:\n", "stores:\n  totals: {folder: totals, format: ndjson}\n"));
    Wexrun workspace = Wexrun.in(demo);
    Result run = workspace.run("run", "--once");
    assertThat(run.exit()).as(run.err()).isZero();
    askAll(
        workspace,
        "read_parquet('" + demo + "/archive/scans/**/*.parquet')",
        "(select hour, stop, sum(scans) as scans from read_json('"
            + demo
            + "/totals/stop_hours/all/*', columns = {hour: 'TIMESTAMPTZ', stop: 'VARCHAR', scans:"
            + " 'BIGINT'}) group by all)");
  }
}

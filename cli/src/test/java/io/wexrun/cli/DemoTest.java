package io.wexrun.cli;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.cli.Wexrun.Result;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.stream.Stream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import tools.jackson.databind.JsonNode;

/** The demo seen from the outside: its counts add up by themselves. */
class DemoTest {
  @TempDir private Path folder;

  private static long lines(Path files) throws IOException {
    long lines = 0;
    try (Stream<Path> all = Files.list(files)) {
      for (Path file : all.toList()) {
        for (byte b : Files.readAllBytes(file)) {
          lines += b == '\n' ? 1 : 0;
        }
      }
    }
    return lines;
  }

  private JsonNode pipeline(Wexrun demo, String name) {
    for (JsonNode pipeline : demo.run("tally", "--json").json().get("pipelines")) {
      if (pipeline.get("pipeline").asString().equals(name)) {
        return pipeline;
      }
    }
    throw new AssertionError("no tally of " + name);
  }

  private static long count(Wexrun demo, String table) {
    Result result = demo.run("sql", "--json", "select count(*) as n from " + table);
    return result.json().get("rows").get(0).get("n").asLong();
  }

  private static long records(Wexrun demo, String queue) {
    for (JsonNode each : demo.run("queue", "--json").json().get("queues")) {
      if (each.get("queue").asString().equals(queue)) {
        return each.get("records").asLong();
      }
    }
    throw new AssertionError("no queue " + queue);
  }

  @Test
  void itsCountsAddUpAndASecondRunTakesNothingTwice() throws IOException {
    Result first = Wexrun.in(folder).run("demo");
    assertThat(first.exit()).as(first.err()).isZero();
    assertThat(first.out())
        .contains("balanced", "The books", "Dead letters: the most frequent", "Scans by result")
        .contains(
            "no-match", "bad-value", "bad-encoding", "unknown-kind", "missing-field", "not-json");

    Wexrun demo = Wexrun.in(folder.resolve("tram-demo"));
    long lines = lines(demo.folder().resolve("incoming/gates"));
    JsonNode intake = pipeline(demo, "gate-intake");
    JsonNode load = pipeline(demo, "gate-load");
    assertThat(lines).isEqualTo(60_000);
    assertThat(intake.get("taken").asLong()).isEqualTo(lines);
    assertThat(intake.get("sources").asInt()).isEqualTo(3);
    assertThat(records(demo, "gate-events")).isEqualTo(intake.get("loaded").asLong());
    assertThat(load.get("taken").asLong()).isEqualTo(intake.get("loaded").asLong());
    assertThat(count(demo, "scans")).isEqualTo(load.get("targets").get("scans").asLong());
    assertThat(count(demo, "faults")).isEqualTo(load.get("targets").get("faults").asLong());
    assertThat(count(demo, "scans") * 2 + count(demo, "faults"))
        .as("a scan is a row, and is counted in the rollup, too")
        .isEqualTo(load.get("loaded").asLong());
    assertThat(load.get("copied").asLong()).isEqualTo(count(demo, "scans"));
    assertThat(records(demo, "dead/gate-load")).isEqualTo(load.get("dead").asLong());
    assertThat(records(demo, "dead/gate-intake")).isEqualTo(intake.get("dead").asLong());
    for (JsonNode pipeline : new JsonNode[] {intake, load}) {
      assertThat(pipeline.get("balanced").asBoolean()).isTrue();
      assertThat(pipeline.get("held").asLong()).isZero();
      assertThat(pipeline.get("taken").asLong())
          .isEqualTo(
              pipeline.get("loaded").asLong()
                  - pipeline.get("copied").asLong()
                  + pipeline.get("dead").asLong()
                  + pipeline.get("dropped").asLong());
    }
    assertThat(load.get("dead").asDouble() / lines).isBetween(0.010, 0.016);

    assertThat(List.of("tickets", "point_moves", "positions", "door_cycles", "vehicle_faults"))
        .allSatisfy(table -> assertThat(count(demo, table)).isPositive());
    JsonNode vehicles = pipeline(demo, "vehicle-load");
    assertThat(vehicles.get("unfolded").asLong() * 4).isEqualTo(count(demo, "energy") * 3);
    assertThat(count(demo, "energy")).isEqualTo(vehicles.get("targets").get("energy").asLong());
    assertThat(demo.run("tally").out()).doesNotContain("NOT");
    for (String name : List.of("ticket-load", "depot-load", "vehicle-load")) {
      JsonNode each = pipeline(demo, name);
      assertThat(each.get("balanced").asBoolean()).as(name).isTrue();
      assertThat(each.get("dead").asDouble() / each.get("taken").asLong()).isBetween(0.01, 0.02);
    }

    Result second = Wexrun.in(folder).run("demo", "--json");
    assertThat(second.exit()).isZero();
    assertThat(second.err()).contains("nothing was taken twice");
    assertThat(second.json().get("pipelines"))
        .isEqualTo(demo.run("tally", "--json").json().get("pipelines"));
    assertThat(count(demo, "scans")).isEqualTo(load.get("targets").get("scans").asLong());
  }

  @Test
  void theGeneratorGivesTheSameForTheSameSeed() {
    Wexrun here = Wexrun.in(folder);
    String lines = here.run("feed", "--count", "500", "--seed", "7", "--spoil", "0.5").out();
    assertThat(here.run("feed", "--count", "500", "--seed", "7", "--spoil", "0.5").out())
        .isEqualTo(lines);
    assertThat(here.run("feed", "--count", "500", "--seed", "8", "--spoil", "0.5").out())
        .isNotEqualTo(lines);
    String clean = here.run("feed", "--count", "500", "--spoil", "0").out();
    assertThat(clean.lines())
        .hasSize(500)
        .allMatch(
            line ->
                line.matches(
                    "2026-05-03T05:\\d\\d:\\d\\d\\.\\d{3}\\+02:00 gate-\\d\\d/[A-Za-z-]+"
                        + " (INFO|WARN|ERROR) (scan|fault) card=[0-9A-F]{8} result=\\w+ ms=\\d+"
                        + " \".*\""));
  }

  @Test
  void feedAppendsToAFile() throws IOException {
    Path file = folder.resolve("live.log");
    Wexrun here = Wexrun.in(folder);
    here.run("feed", "--count", "3", "--out", "live.log");
    Result second =
        here.run("feed", "--count", "4", "--out", "live.log", "--rate", "1000", "--json");
    assertThat(second.json().get("lines").asInt()).isEqualTo(4);
    assertThat(Files.readString(file, StandardCharsets.ISO_8859_1).lines()).hasSize(7);
    assertThat(here.run("feed", "--spoil", "2").exit()).isEqualTo(2);
    assertThat(here.run("feed", "--out", "none/x.log").exit()).isEqualTo(3);
  }
}

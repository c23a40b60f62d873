package io.wexrun.cli;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.cli.Wexrun.Result;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import tools.jackson.databind.JsonNode;

/** Dead letters as a person finds out what has happened to them. */
class DeadCommandTest {
  @TempDir private Path folder;
  private Wexrun here;

  @BeforeEach
  void load() throws IOException {
    Files.createDirectories(folder.resolve("pipelines"));
    Files.writeString(
        folder.resolve("wexrun.yaml"),
        """
        workspace: dead
        stores: {w: {duckdb: w.db}}
        queues: {q: {partitions: 1}}
        tables:
          scans: {in: w, columns: {n: long, gate: text, ms: int}}
          sales: {in: w, columns: {no: long, price: double}}
        """);
    Files.writeString(
        folder.resolve("pipelines/all.yaml"),
        """
        pipeline: to-queue
        intake: {files: 'scans.log'}
        route: [{to: q, key: '(\\S+)$'}]
        ---
        pipeline: scans
        intake: {queue: q}
        shape: [{template: '{n:long} {gate} ms={ms:int}'}]
        route: [{to: scans}]
        ---
        pipeline: sales
        intake: {files: 'sales.csv', header: true}
        shape: [{csv: {columns: header, fields: {no: long, price: double}}}]
        route: [{to: sales}]
        """);
    List<String> lines = new ArrayList<>();
    for (int i = 0; i < 40; i++) {
      lines.add(i + " gate-" + i % 3 + " ms=" + (i % 10 == 3 ? "slow" + i : i % 10 == 7 ? "x" : i));
    }
    lines.set(20, "what is this");
    Files.write(folder.resolve("scans.log"), lines);
    Files.writeString(folder.resolve("sales.csv"), "no,price\n1,2.50\n2,free\n3,4.00\n");
    here = Wexrun.in(folder);
    Result run = here.run("run", "--once");
    assertThat(run.exit()).as(run.err()).isZero();
  }

  @Test
  void thoseThatAreAlikeAreShownTogether() {
    JsonNode groups = here.run("dead", "scans", "--json").json().get("groups");
    assertThat(groups).hasSize(2);
    JsonNode most = groups.get(0);
    assertThat(most.get("count").asInt()).isEqualTo(8);
    assertThat(most.get("pattern").asString()).isEqualTo("\"…\" is not an int");
    assertThat(most.get("field").asString()).isEqualTo("ms");
    assertThat(most.get("share").asDouble()).isEqualTo(0.2);
    assertThat(most.get("first").asString()).isLessThanOrEqualTo(most.get("last").asString());
    assertThat(groups.get(1).get("reason").asString()).isEqualTo("bad-value");
    assertThat(groups.get(1).get("field").asString()).isEqualTo("n");
    String shown = here.run("dead").out();
    assertThat(shown)
        .contains("8  bad-value        shape[0].template, field ms  \"…\" is not an int")
        .contains("20.0 % of what was taken")
        .contains("sales  (queue dead/sales)");
  }

  @Test
  void filtersChooseLetters() {
    assertThat(letters("--field", "n")).containsExactly("what is this");
    assertThat(letters("--text", "slow2")).containsExactly("23 gate-2 ms=slow23");
    assertThat(letters("--source", "q/0", "--reason", "bad-value")).hasSize(9);
    assertThat(letters("--source", "q/1")).isEmpty();
    assertThat(letters("--until", "2020-01-01")).isEmpty();
    assertThat(letters("--since", "2020-01-01T00:00:00Z")).hasSize(9);
    assertThat(letters("--step", "shape[0].template", "--limit", "2")).hasSize(2);
    assertThat(here.run("dead", "scans", "--field", "mss").err())
        .isEqualTo("no dead letters fit what was asked\n");
    assertThat(here.run("dead", "to-queue", "--list").err()).isEqualTo("no dead letters\n");
    Result wrong = here.run("dead", "--since", "yesterday");
    assertThat(wrong.exit()).isEqualTo(2);
    assertThat(wrong.err()).contains("--since is a time such as 2026-05-03");
  }

  private List<String> letters(String... filter) {
    List<String> args = new ArrayList<>(List.of("dead", "scans", "--list", "--json"));
    args.addAll(List.of(filter));
    List<String> texts = new ArrayList<>();
    here.run(args.toArray(String[]::new))
        .json()
        .get("letters")
        .forEach(letter -> texts.add(letter.get("raw").asString()));
    return texts;
  }

  @Test
  void oneIsShownWithItsBytesItsWayAndWhatIsAroundIt() throws IOException {
    String letter =
        here.run("dead", "scans", "--list", "--json", "--text", "slow23")
            .json()
            .get("letters")
            .get(0)
            .get("letter")
            .asString();
    String shown = here.run("dead", "show", "scans", letter).out();
    assertThat(shown)
        .contains("\"slow23\" is not an int")
        .contains("0  32 33 20 67 61 74 65 2d  32 20 6d 73 3d 73 6c 6f  |23 gate-2 ms=slo|")
        .contains("key ms=slow23")
        .contains("dies: bad-value at shape[0].template, field ms")
        .contains("@22         22 gate-1 ms=22")
        .contains("> @23         23 gate-2 ms=slow23");
    Path pipelines = folder.resolve("pipelines/all.yaml");
    JsonNode sale = here.run("dead", "show", "sales", "0@0", "--json").json();
    assertThat(sale.get("raw").asString()).isEqualTo("2,free");
    assertThat(sale.get("now").get(0).asString()).isEqualTo("dead");
    assertThat(sale.get("around")).hasSize(4);
    assertThat(sale.get("around").get(2).get("raw").asString()).isEqualTo("2,free");
    Files.writeString(
        pipelines, Files.readString(pipelines).replace("price: double", "price: text"));
    Files.writeString(
        folder.resolve("wexrun.yaml"),
        Files.readString(folder.resolve("wexrun.yaml")).replace("price: double", "price: text"));
    Files.delete(folder.resolve("sales.csv"));
    JsonNode mended = here.run("dead", "show", "sales", "0@0", "--json").json();
    assertThat(mended.get("now").get(0).asString()).as("with its header").isEqualTo("sales");
    assertThat(mended.get("around")).isEmpty();
    assertThat(here.run("dead", "show", "sales", "0@0").out())
        .contains("header of its source: no,price")
        .contains("goes to sales")
        .contains("Its source does not have it any more");
  }

  @Test
  void lettersThatAreNotThereAreTold() {
    assertThat(here.run("dead", "show", "scans", "0@999").err())
        .contains("there is no letter 0@999 of scans", "wexrun dead scans --list");
    assertThat(here.run("dead", "show", "scans", "9@0").exit()).isEqualTo(2);
    assertThat(here.run("dead", "show", "scans", "twelve").err())
        .contains("'twelve' is not a letter: they are named like 0@12");
    assertThat(here.run("dead", "show", "scan", "0@0").err()).contains("did you mean 'scans'");
  }

  @Test
  void lettersAreExportedAsTheyCame() throws IOException {
    assertThat(
            here.run("dead", "export", "scans", "--as", "raw", "--field", "n", "--out", "n.log")
                .err())
        .contains("1 dead letter written to n.log");
    assertThat(folder.resolve("n.log")).hasContent("what is this\n");
    Result again = here.run("dead", "export", "scans", "--as", "raw", "--out", "n.log");
    assertThat(again.exit()).isEqualTo(3);
    assertThat(again.err()).contains("n.log is there already");
    here.run("dead", "export", "sales", "--as", "csv", "--out", "sales-dead.csv");
    assertThat(Files.readAllLines(folder.resolve("sales-dead.csv")))
        .hasSize(2)
        .anyMatch(line -> line.endsWith("\"sales.csv\",\"16\",\"2,free\""));
    here.run("dead", "export", "scans", "--out", "all.ndjson");
    List<String> lines = Files.readAllLines(folder.resolve("all.ndjson"), StandardCharsets.UTF_8);
    assertThat(lines).hasSize(9).allMatch(line -> line.startsWith("{\"pipeline\":\"scans\""));
  }
}

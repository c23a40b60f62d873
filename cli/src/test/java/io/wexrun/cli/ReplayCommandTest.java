package io.wexrun.cli;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.cli.Wexrun.Result;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.SplittableRandom;
import java.util.concurrent.TimeUnit;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import tools.jackson.databind.JsonNode;

/** Dead letters as a person mends, replays and gives them up. */
class ReplayCommandTest {
  private static final String STRICT = "{n:long} {gate} ms={ms:int}";

  @TempDir private Path folder;
  private Wexrun here;

  @BeforeEach
  void define() throws IOException {
    Files.createDirectories(folder.resolve("pipelines"));
    Files.writeString(
        folder.resolve("wexrun.yaml"),
        """
        workspace: replay
        stores: {w: {duckdb: w.db}}
        queues: {q: {partitions: 2}}
        tables:
          scans: {in: w, columns: {n: long, gate: text, ms: int, at: long, from: text, tag: bytes}}
          slow: {in: w, columns: {n: long}}
          sales: {in: w, columns: {no: long, price: double}}
        """);
    here = Wexrun.in(folder);
    pipelines(STRICT);
  }

  private void pipelines(String template) throws IOException {
    Files.writeString(
        folder.resolve("pipelines/all.yaml"),
        """
        pipeline: to-queue
        intake: {files: 'scans*.log'}
        route: [{to: q, key: '^(\\S+)'}]
        ---
        pipeline: scans
        intake: {queue: q}
        shape:
          - template: '%s'
          - set: {ms: 'string(ms) == "x" ? "0" : string(ms)'}
          - cast: {ms: int}
          - origin: {at: position, from: source, tag: key}
        route: [{when: ms > 30, to: [scans, slow]}, {otherwise: scans}]
        flush: {rows: 500}
        deaths: {warn: 5%%, of: 1000}
        ---
        pipeline: sales
        intake: {files: 'sales.csv', header: true}
        shape:
          - csv: {columns: header, fields: {no: long, price: text}}
          - set: {price: 'price == "%s" ? "0" : price'}
          - cast: {price: double}
        route: [{to: sales}]
        """
            .formatted(template, template.equals(STRICT) ? "nothing" : "free"));
  }

  /** Every fourth line dies as long as the template is strict; every fifth of those for good. */
  private void feed(int lines) throws IOException {
    List<String> all = new ArrayList<>();
    for (int i = 0; i < lines; i++) {
      all.add(i + " gate-" + i % 3 + " ms=" + (i % 4 != 0 ? i % 60 : i % 20 == 0 ? "?" : "x"));
    }
    Files.write(folder.resolve("scans.log"), all);
    Files.writeString(folder.resolve("sales.csv"), "no,price\n1,2.50\n2,free\n3,4.00\n");
  }

  private Result ok(String... args) {
    Result result = here.run(args);
    assertThat(result.exit()).as(String.join(" ", args) + ": " + result.err()).isZero();
    return result;
  }

  private JsonNode books(String pipeline) {
    return ok("tally", pipeline, "--json").json().get("pipelines").get(0);
  }

  private String sql(String query) {
    return ok("sql", query).out().lines().skip(1).findFirst().orElse("").strip();
  }

  @Test
  void whatIsMendedIsRevivedOnceAndTheBooksSaySo() throws IOException {
    feed(400);
    ok("run", "--once");
    assertThat(books("scans").get("dead").asInt()).isEqualTo(100);
    assertThat(books("sales").get("dead").asInt()).isEqualTo(1);
    JsonNode forecast = ok("replay", "scans", "--dry-run", "--json").json().get("forecast");
    assertThat(forecast.get(0).get("dies").get("reason").asString()).isEqualTo("bad-value");

    pipelines("{n:long} {gate} ms={ms}");
    forecast = ok("replay", "scans", "--dry-run", "--json").json().get("forecast");
    assertThat(forecast).hasSize(2);
    assertThat(forecast.get(0).get("count").asInt()).isEqualTo(80);
    assertThat(forecast.get(0).get("targets").get(0).asString()).isEqualTo("scans");
    assertThat(forecast.get(1).get("dies").get("step").asString()).isEqualTo("shape[2].cast");
    assertThat(books("scans").get("dead").asInt()).as("nothing was done").isEqualTo(100);

    String told = ok("replay", "scans").out();
    assertThat(told)
        .contains("replay 1 of scans: 100 dead letters")
        .contains("80  revived: scans 80")
        .contains("20  died again: 'wexrun dead scans' says why");
    JsonNode books = books("scans");
    assertThat(books.get("taken").asInt()).isEqualTo(400);
    assertThat(books.get("dead").asInt()).isEqualTo(20);
    assertThat(books.get("revived").asInt()).isEqualTo(80);
    assertThat(books.get("balanced").asBoolean()).isTrue();
    assertThat(sql("select count(*) || ' ' || count(distinct n) from scans")).isEqualTo("380 380");
    assertThat(
            sql(
                "select count(*) from scans where \"from\" not like 'q/%' or decode(tag) <> n ||"
                    + " ''"))
        .as("rows know where they came from first")
        .isEqualTo("0");
    assertThat(ok("tally").out()).contains("(revived)");

    JsonNode letters = ok("dead", "scans", "--list", "--json").json().get("letters");
    assertThat(letters).hasSize(20).allMatch(l -> l.get("deaths").asInt() == 2);
    assertThat(letters).allMatch(l -> l.get("source").asString().startsWith("q/"));
    assertThat(ok("replay", "scans").out()).contains("20  died again");
    assertThat(ok("replay", "sales").out()).contains("1  revived: sales 1");
    assertThat(sql("select price from sales where no = 2")).isEqualTo("0.0");
    assertThat(ok("replay", "sales").err()).contains("no dead letters");
    assertThat(ok("replay", "--history").out().lines()).hasSize(4);
    ok("run", "--once");
    assertThat(sql("select count(*) from scans")).isEqualTo("380");
  }

  @Test
  void lettersAreGivenUpOrMendedByHand() throws IOException {
    feed(100);
    ok("run", "--once");
    assertThat(here.run("dead", "drop", "scans").exit()).as("it is said why").isEqualTo(2);
    assertThat(ok("dead", "drop", "scans", "--text", "ms=?", "--why", "a test").err())
        .contains("5 dead letters would be given up", "--yes");
    assertThat(books("scans").get("dead").asInt()).isEqualTo(25);
    ok("dead", "drop", "scans", "--text", "ms=?", "--why", "a test", "--yes");
    assertThat(books("scans").get("dropped").asInt()).isEqualTo(5);
    assertThat(books("scans").get("dead").asInt()).isEqualTo(20);
    assertThat(books("scans").get("revived").asInt()).isZero();
    assertThat(ok("history").out()).contains("dead drop", "(text \"ms=?\"): a test");

    ok("dead", "edit", "scans", "--text", "gate-1", "--out", "letters.txt");
    Path file = folder.resolve("letters.txt");
    String text = Files.readString(file);
    assertThat(here.run("dead", "edit", "scans", "--out", "letters.txt").exit()).isEqualTo(3);
    assertThat(ok("dead", "edit", "scans", "--from", "letters.txt").err())
        .contains("letters were not changed");
    Files.writeString(file, text.replaceFirst("ms=x", "ms=7").replaceFirst("ms=x", "ms=y"));
    String told = ok("dead", "edit", "scans", "--from", "letters.txt").out();
    assertThat(told).contains("1  revived: scans 1", "1  died again");
    assertThat(books("scans").get("dead").asInt()).isEqualTo(19);
    assertThat(sql("select count(*) from scans where ms = 7 and n % 4 = 0")).isEqualTo("1");
    JsonNode again = ok("dead", "scans", "--list", "--text", "ms=y", "--json").json();
    assertThat(again.get("letters")).hasSize(1);
    assertThat(ok("dead", "edit", "scans", "--from", "letters.txt").err())
        .contains("replayed or given up before");
    Files.writeString(file, text.substring(0, text.length() - 12));
    Result half = here.run("dead", "edit", "scans", "--from", "letters.txt");
    assertThat(half.exit()).isEqualTo(2);
    assertThat(half.err()).contains("ends without the line '#= end'", "nothing was done");
    assertThat(books("scans").get("dead").asInt()).isEqualTo(19);
    Files.writeString(file, "ms=7\n");
    Result wrong = here.run("dead", "edit", "scans", "--from", "letters.txt");
    assertThat(wrong.exit()).isEqualTo(2);
    assertThat(wrong.err()).contains("letters.txt: line 1 stands before the first letter");
  }

  @Test
  void whatWasReplayedHidesNoLettersOfAnotherQueue() throws IOException {
    feed(100);
    ok("run", "--once");
    ok("dead", "drop", "scans", "--why", "a test", "--yes");
    assertThat(ok("dead", "scans", "--list").err()).contains("no dead letters");
    ok("queue", "delete", "dead/scans", "--unread", "--yes");
    ok("reconcile", "scans", "--accept", "--yes");
    feed(200);
    ok("run", "--once");
    JsonNode letters = ok("dead", "scans", "--list", "--json").json().get("letters");
    assertThat(letters).hasSize(25);
    assertThat(ok("replay", "scans").out()).contains("25  died again");
    assertThat(ok("tally", "scans", "--prove").err()).contains(" 0 differ");
  }

  @Test
  void ofARecordOfWhichAStoreRefusedOneRowOnlyThatOneComesAgain() throws IOException {
    feed(0);
    List<String> lines = new ArrayList<>();
    for (int i = 0; i < 100; i++) {
      lines.add(i + " gate-1 ms=" + i);
    }
    Files.write(folder.resolve("scans.log"), lines);
    ok("sql", "--write", "create table slow (n bigint check (n < 90))");
    ok("run", "--once");
    assertThat(books("scans").get("reasons").get("refused").asInt()).isEqualTo(10);
    assertThat(sql("select count(*) from scans")).isEqualTo("100");
    JsonNode letter = ok("dead", "scans", "--list", "--json").json().get("letters").get(0);
    assertThat(letter.get("part").asString()).isEqualTo("slow#0");
    Path file = folder.resolve("pipelines/all.yaml");
    String mended = "- set: {n: 'n < 90 ? n : n - 90', ms: ";
    Files.writeString(file, Files.readString(file).replace("- set: {ms: ", mended));
    String told = ok("replay", "scans").out();
    assertThat(told).contains("10  revived: slow 10");
    assertThat(sql("select count(*) || ' ' || count(distinct n) from scans")).isEqualTo("100 100");
    assertThat(sql("select count(*) || ' ' || count(distinct n) || ' ' || min(n) from slow"))
        .isEqualTo("69 69 0");
    assertThat(books("scans").get("balanced").asBoolean()).isTrue();
  }

  @Test
  void aRunThatGoesOnReplaysWithWhatItsFilesSayNow() throws Exception {
    feed(2000);
    Process run = here.start("run");
    try {
      awaitTaken(2000);
      pipelines("{n:long} {gate} ms={ms}");
      String told = ok("replay", "scans").out();
      assertThat(told).contains("400  revived: scans 400", "100  died again");
      Files.writeString(folder.resolve("scans-2.log"), "9001 gate-1 ms=5\n");
      awaitTaken(2001);
      assertThat(run.isAlive()).isTrue();
    } finally {
      run.destroy();
    }
    assertThat(run.waitFor(30, TimeUnit.SECONDS)).isTrue();
    assertThat(sql("select count(*) || ' ' || count(distinct n) from scans"))
        .isEqualTo("1901 1901");
    assertThat(books("scans").get("balanced").asBoolean()).isTrue();
    assertThat(books("scans").get("dead").asInt()).isEqualTo(100);
  }

  private void awaitTaken(int records) throws Exception {
    long until = System.nanoTime() + TimeUnit.SECONDS.toNanos(60);
    while (books("scans").get("taken").asInt() < records) {
      assertThat(System.nanoTime()).as(here.read("err.txt")).isLessThan(until);
      Thread.sleep(100);
    }
  }

  @Test
  void aBadDeployIsNoticedMendedTriedAndReplayedWhateverIsKilledMeanwhile() throws Exception {
    int lines = 40_000;
    feed(lines);
    assertThat(ok("run", "--once").err()).contains("scans", "of the last", "records died");
    pipelines("{n:long} {gate} ms={ms}");
    JsonNode forecast = ok("replay", "scans", "--dry-run", "--json").json().get("forecast");
    assertThat(forecast.get(0).get("count").asInt()).isEqualTo(lines / 5);
    assertThat(forecast.get(0).get("targets")).hasSize(1);
    assertThat(forecast.get(1).get("dies").get("step").asString()).isEqualTo("shape[2].cast");
    long seed = System.nanoTime();
    System.out.println("replay kill seed " + seed);
    SplittableRandom dice = new SplittableRandom(seed);
    int kills = 0;
    boolean done = false;
    for (int life = 0; !done; life++) {
      if (life == 2) {
        pipelines("{n:long}  {gate} ms={ms}"); // Another text of the same meaning.
      }
      Process process =
          life == 4 ? here.start("run") : here.start("replay", "scans", "--reason", "bad-value");
      Process asked = life == 4 ? here.start("replay", "scans") : process;
      int patience = life < 6 ? 500 + dice.nextInt(900) : 120_000;
      done = process.waitFor(patience, TimeUnit.MILLISECONDS);
      if (!done) {
        process.destroyForcibly().waitFor();
        kills++;
      }
      asked.destroyForcibly().waitFor();
      assertThat(here.run("tally", "scans").exit()).isZero();
    }
    System.out.println(kills + " kills");
    ok("replay", "scans");
    assertThat(sql("select count(*) || ' ' || count(distinct n) from scans"))
        .isEqualTo((lines * 19 / 20) + " " + (lines * 19 / 20));
    JsonNode books = books("scans");
    assertThat(books.get("dead").asInt()).isEqualTo(lines / 20);
    assertThat(books.get("revived").asInt()).isEqualTo(lines / 5);
    assertThat(books.get("balanced").asBoolean()).isTrue();
    assertThat(ok("dead", "scans", "--list", "--limit", "999999", "--json").json().get("letters"))
        .hasSize(lines / 20);
  }
}

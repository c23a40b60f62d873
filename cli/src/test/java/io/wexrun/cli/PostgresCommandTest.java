package io.wexrun.cli;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.cli.Wexrun.Result;
import io.wexrun.contract.Seeds;
import io.zonky.test.db.postgres.embedded.EmbeddedPostgres;
import java.io.IOException;
import java.math.BigDecimal;
import java.net.ServerSocket;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.sql.Connection;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.ArrayList;
import java.util.List;
import java.util.SplittableRandom;
import java.util.concurrent.TimeUnit;
import java.util.regex.Pattern;
import java.util.stream.IntStream;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import tools.jackson.databind.JsonNode;

/** Runs into a real PostgreSQL server: killed, and with a server that goes away. */
class PostgresCommandTest {
  private static final int KILLS = Seeds.times() == 1 ? 6 : 65;

  @TempDir private Path folder;
  private Path data;
  private int port;
  private EmbeddedPostgres server;
  private Wexrun here;
  private int written;

  @BeforeEach
  void makeWorkspace() throws IOException {
    data = folder.resolve("data");
    Path workspace = Files.createDirectories(folder.resolve("depot"));
    Files.createDirectories(workspace.resolve("pipelines"));
    try (ServerSocket free = new ServerSocket(0)) {
      port = free.getLocalPort();
    }
    Files.writeString(
        workspace.resolve("wexrun.yaml"),
        """
        workspace: depot
        stores: {w: {postgres: 'jdbc:postgresql://localhost:%d/postgres', user: postgres}}
        tables:
          scans: {in: w, columns: {n: long, gate: text}}
          gates:
            in: w
            group: gate
            columns:
              gate: text
              rows: long = count()
              tenths: double = sum(double(n) / 10.0)
              mean: double = avg(n)
              last: long = max(n)
              cards: long = distinct(n %% 100)
        """
            .formatted(port));
    Files.writeString(
        workspace.resolve("pipelines/load.yaml"),
        """
        pipeline: load
        intake: {files: 'a.log'}
        shape: [template: '{n:long} {gate}']
        route: [to: [scans, gates]]
        flush: {rows: 700, age: 100ms}
        """);
    here = Wexrun.in(workspace);
  }

  private void start() throws IOException {
    server =
        EmbeddedPostgres.builder()
            .setDataDirectory(data)
            .setCleanDataDirectory(false)
            .setPort(port)
            .start();
  }

  @AfterEach
  void stop() throws IOException {
    if (server != null) {
      server.close();
    }
  }

  private void write(int lines) throws IOException {
    StringBuilder text = new StringBuilder();
    for (int left = lines; left > 0; left--) {
      text.append(++written).append(" gate-").append(written % 7).append('\n');
    }
    Files.writeString(
        here.folder().resolve("a.log"), text, StandardOpenOption.CREATE, StandardOpenOption.APPEND);
  }

  private String rows() {
    String sql = "select count(*)::int a, count(distinct n)::int b, max(n) c from scans";
    JsonNode row = here.run("sql", "--json", sql).json().get("rows").get(0);
    return row.get("a").asInt() + " " + row.get("b").asInt() + " " + row.get("c").asInt();
  }

  private void assertAllOnce() {
    assertThat(rows()).isEqualTo(written + " " + written + " " + written);
    Result tally = here.run("tally", "--json");
    assertThat(tally.exit()).as(tally.out()).isZero();
    assertThat(tally.json().get("pipelines").get(0).get("taken").asInt()).isEqualTo(written);
    Result gates =
        here.run(
            "sql",
            "--json",
            "select gate, rows::int, tenths::text, mean::text, last, cards::int from gates order by"
                + " gate");
    List<String> found = new ArrayList<>();
    gates.json().get("rows").forEach(row -> found.add(String.join(" ", texts(row))));
    assertThat(found).isEqualTo(expectedGates());
  }

  private static List<String> texts(JsonNode row) {
    return row.properties().stream().map(field -> field.getValue().asString()).toList();
  }

  /** What the rollup must have, from the numbers themselves. */
  private List<String> expectedGates() {
    List<String> gates = new ArrayList<>();
    for (int gate = 0; gate < 7; gate++) {
      int rest = gate;
      List<Integer> numbers =
          IntStream.rangeClosed(1, written).filter(n -> n % 7 == rest).boxed().toList();
      BigDecimal tenths =
          numbers.stream()
              .map(n -> new BigDecimal(n / 10.0))
              .reduce(BigDecimal.ZERO, BigDecimal::add);
      long sum = numbers.stream().mapToLong(n -> n).sum();
      long cards = numbers.stream().mapToInt(n -> n % 100).distinct().count();
      gates.add(
          "gate-%d %d %s %s %d %d"
              .formatted(
                  gate,
                  numbers.size(),
                  shown(tenths.doubleValue()),
                  shown((double) sum / numbers.size()),
                  numbers.get(numbers.size() - 1),
                  cards));
    }
    return gates;
  }

  /** As PostgreSQL shows a double. */
  private static String shown(double value) {
    BigDecimal number = new BigDecimal(Double.toString(value)).stripTrailingZeros();
    return number.toPlainString();
  }

  @Test
  void whateverTheMomentOfAKillEachRecordIsLoadedOnce() throws Exception {
    start();
    long seed = System.nanoTime();
    SplittableRandom dice = new SplittableRandom(seed);
    for (int kills = 0; kills < KILLS; kills++) {
      write(60_000);
      Process run = here.start("run");
      assertThat(run.waitFor(700 + dice.nextInt(900), TimeUnit.MILLISECONDS))
          .as(() -> here.read("err.txt"))
          .isFalse();
      run.destroyForcibly().waitFor();
    }
    Result last = here.run("run", "--once");
    assertThat(last.exit()).as(last.err()).isZero();
    assertAllOnce();
  }

  @Test
  void aRunWaitsForAServerThatIsNotThereOrGoesAway() throws Exception {
    write(50_000);
    Process run = here.start("run");
    await(run, "cannot reach store w");
    start();
    await(run, "delivers again");
    write(200_000);
    stop();
    await(run, "(?s)delivers again.*tried again");
    write(1000);
    start();
    await(run, "(?s)delivers again.*delivers again");
    long deadline = System.nanoTime() + TimeUnit.SECONDS.toNanos(60);
    while (!rows().startsWith(written + " ")) {
      assertThat(System.nanoTime()).as("%s: %s", rows(), here.read("err.txt")).isLessThan(deadline);
      Thread.sleep(100);
    }
    run.destroy();
    assertThat(here.finish(run).exit()).isZero();
    assertAllOnce();
  }

  @Test
  void aColumnThatVanishesOrChangesIsToldWithTheDifferenceUntilItIsMended() throws Exception {
    start();
    write(1000);
    Process run = here.start("run");
    await(run, "taken 1,000  loaded 2,000");
    here.run("sql", "--write", "alter table scans drop column gate");
    here.run("sql", "--write", "alter table scans alter column n type text");
    write(1000);
    await(run, "other columns than wexrun.yaml says");
    assertThat(here.read("err.txt"))
        .contains("table scans", "failed, and is started again after a while")
        .contains("gate: not in the store", "n: text in the store, bigint defined");
    here.run("sql", "--write", "alter table scans alter column n type bigint using n::bigint");
    here.run("sql", "--write", "alter table scans add column gate text");
    assertThat(here.run("resume", "load").exit()).isZero();
    await(run, "load: runs again");
    run.destroy();
    assertThat(here.finish(run).exit()).isZero();
    Result again = here.run("run", "--once");
    assertThat(again.exit()).as(again.err()).isZero();
    assertAllOnce();
  }

  /** As docs/postgres.md says. */
  @Test
  void aRoleWithFewRightsIsSetUpByTheScriptAndProvenByTheCheck() throws Exception {
    start();
    sql("create role loader login; revoke create on schema public from public");
    Path yaml = folder.resolve("depot/wexrun.yaml");
    Files.writeString(yaml, Files.readString(yaml).replace("user: postgres", "user: loader"));
    write(100);
    Result before = here.run("check");
    assertThat(before.exit()).isEqualTo(1);
    assertThat(before.out())
        .contains("lacks rights", "'wexrun table --setup-sql' prints", "grant create on schema");
    assertThat(here.run("doctor").out()).contains("the user of store w lacks rights to load table");
    String script = here.run("table", "--setup-sql").out();
    sql(script);
    sql(script);
    sql("grant select on scans to loader");
    assertThat(here.run("check").exit()).isZero();
    sql("revoke insert on scans from loader");
    assertThat(here.run("check").out()).contains("grant insert on scans to \"loader\";");
    sql("grant insert on scans to loader");
    assertThat(here.run("run", "--once").exit()).isZero();
    assertThat(rows()).startsWith(written + " ");
  }

  private void sql(String statements) throws SQLException {
    try (Connection connection = server.getPostgresDatabase().getConnection();
        Statement statement = connection.createStatement()) {
      statement.execute(statements);
    }
  }

  private void await(Process run, String words) throws InterruptedException {
    Pattern wanted = Pattern.compile(words);
    long deadline = System.nanoTime() + TimeUnit.SECONDS.toNanos(60);
    while (!wanted.matcher(here.read("err.txt")).find()) {
      assertThat(run.isAlive()).as(() -> here.read("err.txt")).isTrue();
      assertThat(System.nanoTime()).as("%s: %s", words, here.read("err.txt")).isLessThan(deadline);
      Thread.sleep(20);
    }
  }

  @Test
  void aWrongPasswordIsToldAndEndsAStrictRun() throws IOException {
    start();
    write(10);
    Path yaml = here.folder().resolve("wexrun.yaml");
    Files.writeString(yaml, Files.readString(yaml).replace("user: postgres", "user: nobody"));
    Result run = here.run("run", "--strict");
    assertThat(run.exit()).isEqualTo(3);
    assertThat(run.err()).contains("role \"nobody\" does not exist");
  }

  /** Some rows change, one is there twice, and all are the same but for a column's type. */
  @Test
  void aRebuildIsComparedAndPutInThePlaceOfItsTables() throws IOException {
    start();
    write(1000);
    assertThat(here.run("run", "--once").exit()).isZero();
    String twice = "insert into scans select * from scans where n = 5";
    assertThat(here.run("sql", "--write", twice).exit()).isZero();
    Path load = here.folder().resolve("pipelines/load.yaml");
    String template = "template: '{n:long} {gate}'";
    String far = "{set: {gate: 'n > 990 ? \"far\" : gate'}}";
    Files.writeString(load, Files.readString(load).replace(template, "{" + template + "}, " + far));
    assertThat(here.run("check").out()).isEmpty();
    Result built = here.run("rebuild", "load");
    assertThat(built.exit()).as(built.err()).isZero();
    String compared = here.run("rebuild", "load", "--compare").out();
    assertThat(compared)
        .contains("scans: 1,001 rows before, 1,000 after")
        .containsPattern("11 +only before\\n +10 +only after")
        .containsPattern("far +0 before +10 after")
        .contains("gate: ");
    assertThat(here.run("rebuild", "load", "--swap").exit()).isZero();
    String count = "select count(*)::int a from scans where gate = 'far'";
    assertThat(here.run("sql", "--json", count).json().get("rows").get(0).get("a").asInt())
        .isEqualTo(10);
    assertThat(rows()).isEqualTo("1000 1000 1000");
  }
}

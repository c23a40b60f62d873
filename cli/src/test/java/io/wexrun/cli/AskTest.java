package io.wexrun.cli;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.cli.Wexrun.Result;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.concurrent.TimeUnit;
import java.util.stream.IntStream;
import java.util.stream.Stream;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/** What can be asked while a run of another process has the store open. */
class AskTest {
  @TempDir private Path folder;
  private Wexrun here;
  private Process run;

  @BeforeEach
  void startRun() throws IOException, InterruptedException {
    Files.createDirectories(folder.resolve("pipelines"));
    Files.writeString(
        folder.resolve("wexrun.yaml"),
        """
        workspace: asked
        stores: {w: {duckdb: w.db}, other: {duckdb: other.db}}
        tables:
          t: {in: w, columns: {n: int, note: text}}
        """);
    Files.writeString(
        folder.resolve("pipelines/load.yaml"),
        """
        pipeline: load
        intake: {files: '*.log'}
        shape: [template: '{n:int} {note}']
        route: [to: t]
        flush: {age: 50ms}
        """);
    StringBuilder lines = new StringBuilder();
    IntStream.rangeClosed(1, 50).forEach(n -> lines.append(n).append(" x\n"));
    Files.writeString(folder.resolve("a.log"), lines);
    here = Wexrun.in(folder);
    run = here.start("run");
    long deadline = System.nanoTime() + TimeUnit.SECONDS.toNanos(60);
    while (!sockets() || !ask("select count(*) n from t").out().contains("50")) {
      assertThat(run.isAlive()).as(() -> here.read("err.txt")).isTrue();
      assertThat(System.nanoTime()).as(here.read("err.txt")).isLessThan(deadline);
      Thread.sleep(20);
    }
  }

  private boolean sockets() throws IOException {
    Path sockets = folder.resolve(".wexrun/ask");
    if (!Files.isDirectory(sockets)) {
      return false;
    }
    try (Stream<Path> files = Files.list(sockets)) {
      return files.findAny().isPresent();
    }
  }

  private Result ask(String sql) {
    return here.run("sql", "--store", "w", "--json", sql);
  }

  @AfterEach
  void endRun() throws InterruptedException {
    run.destroyForcibly().waitFor();
  }

  @Test
  void checkAndTableAskTheRun() throws IOException {
    assertThat(here.run("check").err()).contains("nothing wrong: 1 pipeline, 1 table");
    assertThat(here.run("table").out()).containsPattern("t +w +50 +2 +create +as defined");
    Path yaml = folder.resolve("wexrun.yaml");
    Files.writeString(yaml, Files.readString(yaml).replace("n: int, note", "n: text, note"));
    Result check = here.run("check");
    assertThat(check.exit()).isEqualTo(1);
    assertThat(check.out())
        .contains("table t", "has another type", "alter table \"t\" alter column \"n\"");
  }

  @Test
  void aTableIsLikeOneThatIsThereAlsoWhileARunHoldsIt() throws IOException, InterruptedException {
    Path yaml = folder.resolve("wexrun.yaml");
    String like = "  copy: {in: w, like: {table: t}, columns: {more: text}}\n";
    Files.writeString(yaml, Files.readString(yaml) + like);
    Result held = here.run("table", "copy");
    assertThat(held.out()).containsPattern("n +int").containsPattern("note +text");
    Files.writeString(yaml, Files.readString(yaml).replace("{table: t}", "{table: tt}"));
    assertThat(here.run("check").out())
        .contains("there is no table 'tt' in store w yet", "make it there, or write its columns");
    Files.writeString(yaml, Files.readString(yaml).replace("{table: tt}", "{table: t}"));
    run.destroyForcibly().waitFor();
    Result free = here.run("table", "copy");
    assertThat(free.out()).isEqualTo(held.out());
  }

  @Test
  void theRunAnswersWhatOnlyReadsAndGoesOn() throws IOException {
    Result values =
        ask(
            "select [1, null] as l, {'a': 0.1::double, 'b': 'x'} as s,"
                + " 12345678901234567890::hugeint as h, true as b, null as n, 2.50::decimal(5,2) as"
                + " d");
    assertThat(values.out().replaceAll("\\s+", ""))
        .contains(
            "\"l\":[1,null]", "\"s\":{\"a\":0.1,\"b\":\"x\"}", "12345678901234567890", "2.50");
    assertThat(ask("delete from t").exit()).isEqualTo(3);
    assertThat(ask("select 1; select 2").err()).contains("several statements at once");
    assertThat(ask("select * from range(200000)").err())
        .contains("the query gives more than 100,000 rows: add a limit to it");
    assertThat(ask("selekt").err()).contains("syntax error");
    assertThat(here.run("sql", "--store", "w", "--write", "delete from t").err())
        .contains("is held by process " + run.pid());
    assertThat(here.run("sql", "--store", "other", "select 1").exit()).as("not held").isZero();
    assertThat(ask("select count(*) n from t").out()).contains("50");
    run.destroy();
    assertThat(here.finish(run).exit()).isZero();
    assertThat(sockets()).isFalse();
    assertThat(ask("select count(*) n from t").out()).as("asked directly").contains("50");
  }

  @Test
  void aRunThatWasKilledIsNotInTheWay() throws Exception {
    run.destroyForcibly().waitFor();
    assertThat(sockets()).isTrue();
    assertThat(ask("select count(*) n from t").out()).contains("50");
    assertThat(here.run("run", "--once").exit()).isZero();
    assertThat(sockets()).as("cleared away").isFalse();
  }
}

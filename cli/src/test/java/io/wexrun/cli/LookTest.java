package io.wexrun.cli;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.cli.Wexrun.Result;
import java.io.IOException;
import java.io.OutputStream;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.zip.GZIPOutputStream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import tools.jackson.databind.JsonNode;

/** From data nobody has seen before to rows in a table, without a file written by hand. */
class LookTest {
  @TempDir private Path folder;

  @Test
  void aDraftLoadsEveryCleanRecordOfEveryFormatOfTheDemo() {
    Wexrun here = Wexrun.in(folder);
    for (String what : new String[] {"gates", "vehicles", "tickets", "depots"}) {
      String file = what + ".data";
      here.run("feed", "--what", what, "--count", "2000", "--spoil", "0", "--out", file);
      Result look = here.run("look", file, "--draft", what);
      assertThat(look.exit()).as(look.err()).isZero();
      assertThat(look.out()).contains("100.0 % can be read");
    }
    assertThat(here.run("check").out()).doesNotContain("error");
    Result run = here.run("run", "--once");
    assertThat(run.exit()).as(run.err()).isZero();
    for (JsonNode tally : here.run("tally", "--json").json().get("pipelines")) {
      assertThat(tally.get("loaded").asLong()).isEqualTo(2000);
    }
    assertThat(here.run("sql", "--json", "select typeof(time) as t from gates limit 1").out())
        .contains("TIMESTAMP WITH TIME ZONE");
  }

  @Test
  void aSampleAndPackedOrBinaryDataAreNamedAsSuch() throws IOException {
    Wexrun here = Wexrun.in(folder);
    here.run("feed", "--count", "3000", "--spoil", "0", "--out", "gates.log");
    assertThat(here.run("look", "gates.log", "--sample", "64").out())
        .startsWith("text lines: ")
        .contains("in a sample of 64 KB, 100.0 % can be read");
    try (OutputStream out =
        new GZIPOutputStream(Files.newOutputStream(folder.resolve("gates.gz")))) {
      Files.copy(folder.resolve("gates.log"), out);
    }
    assertThat(here.run("look", "gates.gz", "--json").json().get("records").asInt())
        .isEqualTo(3000);
    assertThat(here.run("look", "gates.gz", "--draft", "g").err()).contains("unpack");
    Files.write(folder.resolve("x.parquet"), new byte[] {'P', 'A', 'R', '1', 0});
    Result broken = here.run("look", "x.parquet");
    assertThat(broken.exit()).isEqualTo(3);
    assertThat(broken.err()).contains("cannot read x.parquet");
    assertThat(here.run("look", "none").exit()).isEqualTo(3);
  }

  @Test
  void aParquetFileIsLookedAtAsATable() throws IOException {
    Wexrun here = Wexrun.in(folder);
    Files.writeString(folder.resolve("wexrun.yaml"), "stores: {w: {duckdb: w.db}}\n");
    String to = folder.resolve("t.parquet").toString();
    here.run(
        "sql", "--write", "copy (select i as n, 'x' || i as s from range(5) t(i)) to '" + to + "'");
    assertThat(here.run("look", "t.parquet").out())
        .startsWith("a Parquet file: 5 rows")
        .containsPattern("n +int +100 % +5 +0 \\| 1 \\| 2");
    assertThat(here.run("look", "t.parquet", "--draft", "x").err()).contains("reference table");
  }

  @Test
  void aDraftOverwritesNothing() throws IOException {
    Wexrun here = Wexrun.in(folder);
    Files.writeString(folder.resolve("a.log"), "x 1\ny 2\n");
    assertThat(here.run("look", "a.log", "--draft", "first").exit()).isZero();
    assertThat(here.run("look", "a.log", "--draft", "second").exit()).isZero();
    Result again = here.run("look", "a.log", "--draft", "first");
    assertThat(again.exit()).isEqualTo(3);
    assertThat(again.err()).contains("is there already");
    assertThat(here.run("look", "a.log", "--draft", "no name").err()).contains("is not a name");
    assertThat(here.run("check").exit()).isZero();
  }
}

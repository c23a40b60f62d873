package io.wexrun.cli;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.cli.Wexrun.Result;
import java.io.IOException;
import java.io.OutputStream;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.Arrays;
import java.util.List;
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
  void eventsWithStackTracesAreDraftedAsOneRecordEach() throws IOException {
    Wexrun here = Wexrun.in(folder);
    here.run("feed", "--what", "events", "--count", "300", "--spoil", "0", "--out", "depot.log");
    long events =
        Files.readString(folder.resolve("depot.log"))
            .lines()
            .filter(l -> l.startsWith("2026"))
            .count();
    Result look = here.run("look", "depot.log", "--draft", "depot");
    assertThat(look.exit()).as(look.err() + look.out()).isZero();
    assertThat(look.out())
        .startsWith("events of one or more lines")
        .contains("100.0 % can be read");
    assertThat(here.run("run", "--once").exit()).isZero();
    assertThat(
            here.run(
                    "sql",
                    "--json",
                    "select count(*) as n, count(distinct level) as levels, count(*) filter (where "
                        + "level = 'ERROR' and message like '%at ostrel.depot%') > 0 as traces,"
                        + " bool_and(time >= '2026-05-03') as timed from depot")
                .json()
                .get("rows")
                .get(0)
                .toString())
        .isEqualTo("{\"n\":" + events + ",\"levels\":2,\"traces\":true,\"timed\":true}");
  }

  @Test
  void whatCannotBeUnpackedToItsEndIsTold() throws IOException {
    Wexrun here = Wexrun.in(folder);
    here.run("feed", "--count", "3000", "--spoil", "0", "--out", "gates.log");
    Path packed = folder.resolve("half.gz");
    try (OutputStream out = new GZIPOutputStream(Files.newOutputStream(packed))) {
      Files.copy(folder.resolve("gates.log"), out);
    }
    byte[] bytes = Files.readAllBytes(packed);
    Files.write(packed, Arrays.copyOf(bytes, bytes.length / 2));
    Result look = here.run("look", "half.gz");
    assertThat(look.err()).contains("half.gz cannot be unpacked to its end");
    assertThat(look.out()).contains("100.0 % can be read");
  }

  @Test
  void linesThatNameColumnsAreDrafted() throws IOException {
    Wexrun here = Wexrun.in(folder);
    Files.writeString(
        folder.resolve("access.log"),
        """
        #Software: gate proxy
        #Fields: date time c-ip sc-status cs(User-Agent)
        2026-11-25 08:00:00 10.0.0.1 200 "Tram reader 1.0"
        2026-11-25 08:00:01 10.0.0.2 404 -
        #Fields: c-ip date time sc-status cs(User-Agent)
        10.0.0.3 2026-11-25 08:00:02 200 x
        """);
    Result look = here.run("look", "access.log", "--draft", "access");
    assertThat(look.exit()).as(look.err()).isZero();
    assertThat(here.run("run", "--once").exit()).isZero();
    assertThat(here.run("sql", "--json", "select count(*) as n, max(c_ip) as c from access").out())
        .contains("\"n\":3,\"c\":\"10.0.0.3\"");
    assertThat(here.run("sql", "--json", "select count(cs_user_agent) as n from access").out())
        .as("a dash is no value")
        .contains("\"n\":2");
  }

  @Test
  void aFolderOfTextInAnotherEncodingIsDraftedAsItIs() throws IOException {
    Wexrun here = Wexrun.in(folder);
    Files.createDirectories(folder.resolve("in/north"));
    for (String name : List.of("in/a.csv", "in/north/b.csv")) {
      Files.write(
          folder.resolve(name),
          "id;stop\n1;Brücke\n2;Straße\n".getBytes(StandardCharsets.ISO_8859_1));
    }
    Result look = here.run("look", "in", "--encoding", "latin1", "--draft", "stops", "--json");
    assertThat(look.exit()).as(look.err()).isZero();
    assertThat(look.out()).contains("Straße");
    assertThat(here.run("run", "--once").exit()).isZero();
    assertThat(here.run("sql", "--json", "select stop from stops").out()).contains("Brücke");
    assertThat(here.run("look", "in", "--encoding", "nothing").err())
        .contains("there is no encoding 'nothing'");
    Files.createDirectories(folder.resolve("empty"));
    assertThat(here.run("look", "empty").err()).contains("there is no file in the folder empty");
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
    assertThat(here.run("look", "gates.gz", "--draft", "g").err()).contains("wrote");
    assertThat(here.run("run", "--once", "g").exit()).isZero();
    assertThat(here.run("sql", "--json", "select count(*) as n from g").out()).contains("3000");
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
        .containsPattern("n +long +100 % +5 +0 \\| 1 \\| 2");
    assertThat(here.run("look", "t.parquet", "--draft", "x").err()).contains("wrote");
  }

  @Test
  void messagesAreLookedAtByTheirDescriptors() throws IOException {
    Wexrun here = Wexrun.in(folder);
    here.run("demo");
    Wexrun demo = Wexrun.in(folder.resolve("tram-demo"));
    String file = "incoming/power/substations.bin";
    String[] look = {"look", file, "--descriptors", "schemas/substations.desc", "--message", ""};
    look[5] = "ostrel.power.Reading";
    Result seen = demo.run(look);
    assertThat(seen.out())
        .startsWith("messages, each behind its length (varint): 3,000 records, 98.6 % can be read")
        .containsPattern("takenAt +timestamp +100 % +many +2026-")
        .contains("no ostrel.power.Reading: field 5 at byte 39 does not end");
    String[] draft = Arrays.copyOf(look, 8);
    draft[6] = "--draft";
    draft[7] = "readings-too";
    assertThat(demo.run(draft).err()).contains("wrote");
    assertThat(demo.run("check").exit()).isZero();
    assertThat(demo.run("run", "--once", "readings-too").out()).contains("2,959", "balanced");
    look[5] = "Reading";
    assertThat(demo.run(look).err()).contains("did you mean 'ostrel.power.Reading'?");
    look[5] = "ostrel.power.Reading";
    look[3] = "schemas/substations.proto";
    assertThat(demo.run(look).err())
        .contains("is not a descriptor set", "--descriptor_set_out=schemas/substations.desc");
  }

  @Test
  void jsonBehindWordsIsDraftedWithBoth() throws IOException {
    StringBuilder lines = new StringBuilder();
    for (int i = 0; i < 60; i++) {
      lines.append(
          "2026-05-03T05:00:%02dZ INFO doord[7]: %s {\"gate\": \"gate-%d\", \"ms\": %d}\n"
              .formatted(i, i % 2 == 0 ? "stuck again" : "opened", i % 7, i));
    }
    Files.writeString(folder.resolve("doors.log"), lines);
    Wexrun here = Wexrun.in(folder);
    Result look = here.run("look", "doors.log", "--draft", "doors");
    assertThat(look.exit()).as(look.err()).isZero();
    assertThat(look.out())
        .startsWith("text lines that end in JSON: 60 records, 100.0 % can be read")
        .contains("json of {data}");
    assertThat(here.run("run", "--once").exit()).isZero();
    JsonNode rows =
        here.run("sql", "--json", "select message, gate, ms from doors order by time")
            .json()
            .get("rows");
    assertThat(rows.get(0).get("message").asString()).isEqualTo("stuck again");
    assertThat(rows.get(0).get("gate").asString()).isEqualTo("gate-0");
    assertThat(rows.get(59).get("message").asString()).isEqualTo("opened");
    assertThat(rows.get(59).get("ms").asInt()).isEqualTo(59);
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

  @Test
  void aFileIsComparedWithWhatAPipelineExpects() throws IOException {
    Wexrun here = Wexrun.in(folder);
    StringBuilder before = new StringBuilder();
    StringBuilder after = new StringBuilder();
    for (int i = 0; i < 50; i++) {
      before.append("{\"car\":" + i + ",\"speed\":1." + i + ",\"line\":\"7\"}\n");
      after.append("{\"car\":" + (i % 5 == 0 ? "\"x\"" : i) + ",\"velocity\":1." + i + "}\n");
    }
    Files.writeString(folder.resolve("before.json"), before);
    Files.writeString(folder.resolve("after.json"), after);
    assertThat(here.run("look", "before.json", "--draft", "cars").exit()).isZero();
    Result same = here.run("look", "before.json", "--against", "cars");
    assertThat(same.exit()).as(same.err()).isZero();
    assertThat(same.out()).contains("100.0 % would pass", "nothing is there that it does not");
    Result other = here.run("look", "after.json", "--against", "cars");
    assertThat(other.exit()).isEqualTo(4);
    assertThat(other.out())
        .contains("cars: of 50 records 80.0 % would pass")
        .contains("10  would die: bad-value in shape[0].json, car")
        .contains("in no record: speed, line")
        .contains("new, and not read: velocity: double");
    assertThat(here.run("look", "after.json", "--against", "cats").err())
        .contains("did you mean 'cars'?");
    assertThat(here.run("look", "none.json", "--against", "cars").exit()).isEqualTo(3);
    Files.writeString(folder.resolve("empty.json"), "");
    assertThat(here.run("look", "empty.json", "--against", "cars").err())
        .contains("there are no records in empty.json to compare");
  }

  @Test
  void whereThereIsNothingToDraftNothingIsWritten() throws IOException {
    Wexrun here = Wexrun.in(folder);
    Files.write(folder.resolve("empty.log"), new byte[0]);
    Files.write(folder.resolve("binary.bin"), new byte[] {1, 0, 2, 0, 3});
    for (String file : List.of("empty.log", "binary.bin")) {
      Result result = here.run("look", file, "--draft", "some");
      assertThat(result.exit()).as(file).isEqualTo(3);
      assertThat(result.err()).contains("nothing was written");
    }
    assertThat(folder.resolve("wexrun.yaml")).doesNotExist();
  }

  @Test
  void aLargeFileIsLookedAtInItsBeginItsMiddleAndItsEnd() throws IOException {
    Wexrun here = Wexrun.in(folder);
    StringBuilder log = new StringBuilder();
    for (int i = 0; i < 30_000; i++) {
      String what = i < 10_000 ? "begin" : i < 20_000 ? "middle" : "end";
      log.append("2026-05-03T06:00:00Z INFO " + what + " " + i + "\n");
    }
    Files.writeString(folder.resolve("large.log"), log);
    String out = here.run("look", "large.log", "--sample", "64").out();
    assertThat(out).contains("100.0 % can be read", "begin | middle | end");
  }
}

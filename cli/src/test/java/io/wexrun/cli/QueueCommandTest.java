package io.wexrun.cli;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.cli.Wexrun.Result;
import io.wexrun.queue.Group;
import io.wexrun.queue.Member;
import io.wexrun.queue.Queue;
import io.wexrun.queue.QueueOptions;
import java.io.IOException;
import java.io.RandomAccessFile;
import java.io.Writer;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.util.List;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import tools.jackson.databind.JsonNode;

/** The commands for queues, in child processes. */
class QueueCommandTest {
  @TempDir private Path folder;
  private Wexrun here;

  @BeforeEach
  void makeWorkspace() throws IOException {
    here = Wexrun.in(folder);
    Files.writeString(
        folder.resolve("wexrun.yaml"),
        "queues:\n  doors: {partitions: 2, compress: zstd, keep: {age: 30d}}\n");
    Files.writeString(folder.resolve("doors.log"), "tram=1 open\ntram=2 open\r\ntram=1 shut");
  }

  @Test
  void whatIsPutIsReadByKeyPlaceAndForm() throws IOException {
    Result put =
        here.run("queue", "put", "doors", "doors.log", "--key", "tram=(\\d+)", "--header", "via=x");
    assertThat(put.err()).contains("3 records in");
    JsonNode records = here.run("queue", "read", "doors", "--json").json().get("records");
    assertThat(records).hasSize(3);
    for (JsonNode record : records) {
      assertThat(record.get("key").asString()).isIn("1", "2");
      assertThat(record.get("headers").get("via").asString()).isEqualTo("x");
    }
    assertThat(here.run("queue", "read", "doors", "--limit", "2").out().lines()).hasSize(2);
    assertThat(here.run("queue", "read", "doors", "--as", "hex").out()).contains("7472616d");
    assertThat(here.run("queue", "read", "doors", "--from", "1970-01-01T00:00:00Z").out().lines())
        .hasSize(3);
    assertThat(here.run("queue", "read", "doors", "--from", "soon").exit()).isEqualTo(2);
    assertThat(here.run("queue", "read", "doors", "--partition", "2").err())
        .contains("has partitions 0 to 1, not 2");
    assertThat(here.run("queue", "put", "doors", "none.log").exit()).isEqualTo(3);
    assertThat(here.run("queue", "put", "doors", "doors.log", "--key", "(").exit()).isEqualTo(2);
    Files.writeString(
        folder.resolve("doors.json"), "{\"tram\": {\"id\": 7}}\n{\"tram\": {}}\nno json\n");
    Result keyed = here.run("queue", "put", "doors", "doors.json", "--key-field", "$.tram.id");
    assertThat(keyed.err()).contains("3 records in", "2 of them have no key");
    assertThat(here.run("queue", "read", "doors", "--as", "json").out()).contains("\"key\":\"7\"");
    assertThat(
            here.run("queue", "put", "doors", "doors.log", "--key", "x", "--key-field", "y").exit())
        .isEqualTo(2);
    assertThat(here.run("queue", "put", "doors", "doors.json", "--key-field", "a..b").err())
        .contains("'a..b' is not a path");
    JsonNode listed = here.run("queue", "--json").json().get("queues").get(0);
    assertThat(listed.get("records").asInt()).isEqualTo(6);
    assertThat(listed.get("packs").asInt()).isBetween(2, 4);
  }

  @Test
  void damageIsToldWithItsPlaceAndDeletingWantsAYes() throws IOException {
    here.run("queue", "put", "doors", "doors.log", "--partition", "1");
    here.run("queue", "put", "doors", "doors.log", "--partition", "1");
    assertThat(here.run("queue", "verify").exit()).isZero();
    Path file = folder.resolve(".wexrun/queues/doors/p1/00000000000000000000.packs");
    try (RandomAccessFile bytes = new RandomAccessFile(file.toFile(), "rw")) {
      bytes.seek(136);
      int value = bytes.read();
      bytes.seek(136);
      bytes.write(value ^ 1);
    }
    Result verify = here.run("queue", "verify", "doors");
    assertThat(verify.exit()).isEqualTo(4);
    assertThat(verify.out())
        .contains(
            "DAMAGED", "p1/00000000000000000000.packs, byte 64 (position 0): the checksum of 3");
    Result overview = here.run("queue");
    assertThat(overview.exit()).isZero();
    assertThat(overview.err()).contains("partition 1 is damaged", "nothing was cut");
    assertThat(here.run("queue", "read", "doors").exit()).as("not read in part").isEqualTo(3);
    Result dry = here.run("queue", "repair", "doors");
    assertThat(dry.exit()).isEqualTo(4);
    assertThat(dry.out())
        .contains("positions 0 to 2 are lost: 3 records", "bytes would be set aside in set-");
    assertThat(here.run("queue", "verify", "doors").exit()).as("nothing was done").isEqualTo(4);
    JsonNode repaired = here.run("queue", "repair", "doors", "--yes", "--json").json();
    assertThat(repaired.get("lost").asInt()).isEqualTo(3);
    assertThat(here.run("queue", "repair", "doors").err()).contains("there is nothing to repair");
    Result whole = here.run("queue", "verify", "doors");
    assertThat(whole.exit()).isZero();
    assertThat(whole.out()).contains("doors: 3 positions have no record since a repair");
    assertThat(here.run("queue", "read", "doors").out().lines()).hasSize(3);
    assertThat(here.run("queue", "delete", "doors").err()).contains("say so with --yes");
    assertThat(here.run("queue", "trim", "doors", "--age", "soon").exit()).isEqualTo(2);
  }

  @Test
  void aQueueIsMadeAsDefinedAndSaysWhoReadsIt() throws IOException {
    Path definition = folder.resolve("wexrun.yaml");
    String wrong = "queues:\n  doors: {partitions: 2, sync: 50, keep: {until: red}}\n";
    Files.writeString(definition, wrong);
    Result mistakes = here.run("check");
    assertThat(mistakes.out())
        .contains("'50' is not pack, system, or an interval such as 50ms")
        .contains("'red' is not the word 'read'");
    Files.writeString(definition, wrong.replace("50", "50ms").replace("red", "read"));
    Files.createDirectories(folder.resolve("pipelines"));
    Files.writeString(
        folder.resolve("pipelines/doors.yaml"),
        "pipeline: doors-load\nintake: {queue: doors}\nroute: [{otherwise: drop}]\n");
    assertThat(here.run("queue", "create", "doors").err()).contains("made with 2 partitions");
    assertThat(here.run("queue", "create", "doors").err()).contains("was there, with 2");
    assertThat(here.run("queue", "create", "door").exit()).isEqualTo(2);
    here.run("queue", "put", "doors", "doors.log");
    assertThat(here.run("queue", "doors").out()).containsPattern("doors-load +pipeline +3\n");
    Result run = here.run("run", "--once");
    assertThat(run.exit()).as(run.err()).isZero();
    JsonNode reader = here.run("queue", "doors", "--json").json().get("readers").get(0);
    assertThat(reader.get("lag").asInt()).isZero();
  }

  @Test
  void aThousandPartitionsAreFilledAndReadInASmallHeap() throws IOException {
    Files.writeString(
        folder.resolve("wexrun.yaml"), "queues: {many: {partitions: 1000, sync: system}}\n");
    int lines = 90_000;
    try (Writer out = Files.newBufferedWriter(folder.resolve("many.log"))) {
      for (int i = 0; i < lines; i++) {
        out.write("tram=" + i + " the door of a car, which says so at some length\n");
      }
    }
    List<String> small = List.of("-Xmx256m");
    Result put = here.runChild(small, "queue", "put", "many", "many.log", "--key", "tram=(\\d+)");
    assertThat(put.exit()).as(put.err()).isZero();
    assertThat(put.err()).contains("90,000 records in");
    Result read = here.runChild(small, "queue", "read", "many");
    assertThat(read.exit()).as(read.err()).isZero();
    assertThat(read.out().lines().distinct()).hasSize(lines);
    assertThat(here.runChild(small, "queue", "verify", "many").exit()).isZero();
  }

  @Test
  void groupsAreShownAndResetAfterADryRun() {
    here.run("queue", "put", "doors", "doors.log", "--partition", "0");
    Path queues = folder.resolve(".wexrun/queues/doors");
    try (Queue queue = Queue.open(queues, "doors", QueueOptions.partitions(2));
        Group group = queue.group("counters");
        Member member = group.join()) {
      assertThat(member.poll(2, Duration.ZERO)).hasSize(2);
      member.commit();
      Result held =
          here.run("queue", "groups", "doors", "--reset", "counters", "--to", "0", "--yes");
      assertThat(held.exit()).isEqualTo(3);
      assertThat(held.err()).contains("group counters is held by process");
    }
    assertThat(here.run("queue", "groups", "doors").out()).containsPattern("counters +0 +2 +3 +1");
    assertThat(here.run("queue", "groups", "doors", "--reset", "counters", "--to", "oldest").err())
        .contains("nothing was changed");
    Result reset =
        here.run("queue", "groups", "doors", "--reset", "counters", "--to", "oldest", "--yes");
    assertThat(reset.out()).contains("2 again");
    JsonNode lag = here.run("queue", "groups", "doors", "--json").json().get("groups").get(0);
    assertThat(lag.get("lag").asInt()).isEqualTo(3);
    assertThat(here.run("queue", "groups", "doors", "--reset", "x", "--to", "0").exit())
        .isEqualTo(2);
    assertThat(here.run("queue", "delete", "doors", "--yes").err())
        .contains("group counters is 3 records behind");
    Result deleted = here.run("queue", "delete", "doors", "--yes", "--unread");
    assertThat(deleted.err()).contains("with 3 records");
    assertThat(Files.exists(queues)).isFalse();
  }
}

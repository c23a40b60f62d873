package io.wexrun.cli;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.contract.Seeds;
import io.wexrun.network.collector.Collector;
import io.wexrun.network.collector.Manners;
import io.wexrun.network.door.Address;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.util.ArrayList;
import java.util.List;
import java.util.SplittableRandom;
import java.util.concurrent.CopyOnWriteArrayList;
import java.util.concurrent.TimeUnit;
import java.util.regex.Pattern;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import tools.jackson.databind.JsonNode;

/** Rows that are delivered over HTTP by the command, which is killed, or meets nobody. */
class DeliveryCommandTest {
  private static final int KILLS = Seeds.times() == 1 ? 4 : 80;

  @TempDir private Path folder;
  private final List<Collector.Taken> taken = new CopyOnWriteArrayList<>();

  private Collector collector(Manners manners) {
    return new Collector(Address.read("0").orElseThrow(), manners, taken::add);
  }

  private Wexrun workspace(int port, String more) throws IOException {
    Files.createDirectories(folder.resolve("pipelines"));
    Files.writeString(
        folder.resolve("wexrun.yaml"),
        """
        workspace: office
        stores: {office: {http: 'http://127.0.0.1:%d/{table}', batch: {rows: 400}%s}}
        tables: {scans: {in: office, columns: {n: long, gate: text}}}
        """
            .formatted(port, more));
    Files.writeString(
        folder.resolve("pipelines/scans.yaml"),
        """
        pipeline: scans
        intake: {files: '*.log'}
        shape:
          - template: '{n:long} {gate}'
        route:
          - to: scans
        flush: {rows: 1500, age: 50ms}
        """);
    return Wexrun.in(folder);
  }

  private void write(String file, long from, int count) throws IOException {
    StringBuilder lines = new StringBuilder();
    for (long n = from; n < from + count; n++) {
      lines.append(n).append(" gate-").append(n % 7).append('\n');
    }
    Files.writeString(
        folder.resolve(file), lines, StandardOpenOption.CREATE, StandardOpenOption.APPEND);
  }

  private List<String> rows() {
    List<String> rows = new ArrayList<>();
    taken.forEach(post -> rows.addAll(post.rows()));
    return rows;
  }

  /** The receiver is busy, loses answers and refuses some, and the run is killed over and over. */
  @Test
  void eachRowIsTakenOnceWhenRunsAreKilled() throws Exception {
    long seed = System.nanoTime();
    System.out.println("delivery kill seed " + seed);
    SplittableRandom dice = new SplittableRandom(seed);
    Manners manners =
        Manners.GOOD.withBusy(0.02).withLost(0.1).withRefused(Pattern.compile("\"n\":[0-9]*77,"));
    long written = 0;
    try (Collector collector = collector(manners)) {
      Wexrun here = workspace(collector.port(), "");
      for (int kill = 0; kill < KILLS; kill++) {
        Process run = here.start("run");
        int before = taken.size();
        for (int i = 0; i < 300 && run.isAlive() && (taken.size() == before || i < 12); i++) {
          int count = dice.nextInt(1, 400);
          write("a.log", written, count);
          written += count;
          TimeUnit.MILLISECONDS.sleep(dice.nextInt(30));
        }
        assertThat(run.isAlive()).as("it goes on: %s", here.read("err.txt")).isTrue();
        run.destroyForcibly().waitFor();
      }
      int exit = 3;
      for (int i = 0; i < 20 && exit == 3; i++) {
        exit = here.run("run", "--once").exit(); // It ends when the receiver is busy for long.
      }
      assertThat(exit).isZero();
      assertThat(here.run("tally").exit()).isZero();
      JsonNode tally = here.run("tally", "--json").json();
      JsonNode books = (tally.isArray() ? tally : tally.get("pipelines")).get(0);
      List<String> rows = rows();
      assertThat(rows).doesNotHaveDuplicates();
      assertThat(rows.size()).isEqualTo(books.get("loaded").asInt());
      assertThat(books.get("taken").asLong()).isEqualTo(written);
      long refused = written / 100 + (written % 100 > 77 ? 1 : 0);
      assertThat(books.get("dead").asLong()).as("rows that end with 77").isEqualTo(refused);
      assertThat(rows.size()).isEqualTo((int) (written - refused));
    }
    System.out.println(
        KILLS
            + " kills, "
            + written
            + " rows, "
            + taken.stream().filter(Collector.Taken::repeated).count()
            + " of "
            + taken.size()
            + " posts came again");
  }

  @Test
  void whatWasPutAsideIsShownAndSent() throws Exception {
    int port;
    try (Collector collector = collector(Manners.GOOD)) {
      port = collector.port();
    }
    String more = ", body: array, undelivered: {after: 1ms, to: later}, timeout: 2s";
    Wexrun here = workspace(port, more);
    write("a.log", 0, 1000);
    Wexrun.Result failed = here.run("run", "--once");
    assertThat(failed.exit()).isEqualTo(3);
    assertThat(failed.err())
        .contains("rows of table scans cannot be delivered to store office")
        .contains("nobody listens at http://127.0.0.1:" + port);
    assertThat(here.run("run", "--once").exit()).isZero();
    Wexrun.Result tally = here.run("tally");
    assertThat(tally.exit()).isZero();
    assertThat(tally.err()).contains("store office put 1,000 rows aside");
    assertThat(tally.out()).contains("(put aside)");
    Wexrun.Result proof = here.run("tally", "--prove");
    assertThat(proof.out()).containsPattern("rows in scans, put aside +1,000 +1,000 +agrees");
    assertThat(here.run("resend", "--list").out()).contains("400").contains("nobody listens");
    Wexrun.Result nobody = here.run("resend");
    assertThat(nobody.exit()).isEqualTo(3);
    assertThat(nobody.err()).contains("nobody listens");
    Address same = Address.read(Integer.toString(port)).orElseThrow();
    Manners refuses = Manners.GOOD.withRefused(Pattern.compile("\"n\":(7|777),")).withWhole();
    try (Collector again = new Collector(same, refuses, taken::add)) {
      Wexrun.Result sent = here.run("resend", "office");
      assertThat(sent.exit()).isZero();
      assertThat(sent.err()).contains("sent 998 rows in 3 posts; 2 rows refused");
      assertThat(again.port()).isEqualTo(port);
    }
    assertThat(rows()).hasSize(998).doesNotHaveDuplicates();
    JsonNode after = here.run("tally", "--json").json().get("pipelines").get(0);
    assertThat(after.get("putAside").asInt()).isZero();
    assertThat(after.get("putAsideRefused").asInt()).isEqualTo(2);
    assertThat(here.run("tally", "--prove").out())
        .containsPattern("rows in scans, put aside and refused +2 +2 +agrees");
    assertThat(here.run("doctor").out()).contains("2 rows were refused");
    try (Collector fixed = new Collector(same, Manners.GOOD, taken::add)) {
      assertThat(here.run("resend", "--refused").err()).contains("sent 2 rows in 2 posts");
      assertThat(fixed.port()).isEqualTo(port);
    }
    assertThat(rows()).hasSize(1000).doesNotHaveDuplicates();
    assertThat(here.run("resend", "--list").err()).contains("nothing is put aside");
    assertThat(here.run("tally").err()).doesNotContain("aside");
    assertThat(here.run("resend", "ofice").exit()).isEqualTo(2);
  }

  @Test
  void theCollectorSaysWhatItTakes() throws Exception {
    Wexrun here = Wexrun.in(folder);
    Wexrun.Result collected = here.run("collect", "0", "--for", "100ms");
    assertThat(collected.exit()).isZero();
    assertThat(collected.err()).contains("taking rows at http://127.0.0.1:");
    assertThat(here.run("collect", "here").exit()).isEqualTo(2);
    assertThat(here.run("collect", "0", "--busy", "2").err()).contains("a share from 0 to 1");
    assertThat(here.run("collect", "0", "--refuse", "(").err()).contains("regular expression");
  }
}

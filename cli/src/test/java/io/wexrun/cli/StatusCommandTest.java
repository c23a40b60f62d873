package io.wexrun.cli;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.cli.Wexrun.Result;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.ByteOrder;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.function.BooleanSupplier;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import tools.jackson.databind.JsonNode;

/** A run in another process: how it stands, and what it can be told. */
class StatusCommandTest {
  @TempDir private Path folder;

  private Wexrun workspace() throws IOException {
    Files.createDirectories(folder.resolve("pipelines"));
    Files.writeString(
        folder.resolve("wexrun.yaml"),
        """
        workspace: two
        stores: {w: {duckdb: w.db}, away: {duckdb: away/w.db}}
        tables:
          a: {in: w, columns: {n: long}}
          b: {in: away, columns: {n: long}}
        """);
    Files.writeString(
        folder.resolve("pipelines/two.yaml"),
        """
        pipeline: load-a
        intake: {files: '*.log'}
        shape: [{template: '{n:long}'}]
        route: [{to: a}]
        flush: {age: 50ms}
        ---
        pipeline: load-b
        tags: [night, far]
        intake: {files: '*.log'}
        shape: [{template: '{n:long}'}]
        route: [{to: b}]
        flush: {age: 50ms}
        """);
    Files.writeString(folder.resolve("a.log"), "1\n2\n");
    return Wexrun.in(folder);
  }

  private static void until(BooleanSupplier holds) throws InterruptedException {
    for (int i = 0; i < 600 && !holds.getAsBoolean(); i++) {
      Thread.sleep(100);
    }
    assertThat(holds.getAsBoolean()).isTrue();
  }

  private static JsonNode of(Wexrun here, String pipeline) {
    for (JsonNode each : here.run("status", "--json").json().get("pipelines")) {
      if (each.get("pipeline").asString().equals(pipeline)) {
        return each;
      }
    }
    throw new AssertionError("no status of " + pipeline);
  }

  @Test
  void aRunIsSeenPausedResumedAndStoppedFromOutside() throws Exception {
    Wexrun here = workspace();
    Result nothing = here.run("status");
    assertThat(nothing.exit()).isEqualTo(3);
    assertThat(nothing.err()).contains("nothing runs here: load-a, load-b");
    assertThat(here.run("pause", "load-a").exit()).isEqualTo(3);
    Process run = here.start("run");
    try {
      until(() -> here.run("status").out().contains("load-a"));
      until(() -> of(here, "load-a").get("loaded").asInt() == 2);
      until(() -> of(here, "load-b").get("state").asString().equals("waiting"));
      assertThat(of(here, "load-b").get("why").asString()).contains("cannot open store away");
      Result status = here.run("status", "load-*");
      assertThat(status.exit()).isEqualTo(3);
      assertThat(status.out())
          .contains("load-a", "running", "waiting", "cannot deliver, and it is tried again");
      assertThat(here.run("status", "load-a").exit()).isZero();
      assertThat(here.run("pause", "load-a").err()).contains("paused load-a");
      until(() -> of(here, "load-a").get("state").asString().equals("paused"));
      Files.writeString(folder.resolve("a.log"), "3\n", StandardOpenOption.APPEND);
      Files.createDirectories(folder.resolve("away"));
      assertThat(here.run("resume", "--all").exit()).isZero();
      until(() -> of(here, "load-b").get("loaded").asInt() == 3);
      until(() -> of(here, "load-a").get("loaded").asInt() == 3);
      assertThat(here.run("stop", "load-a").exit()).isZero();
      until(() -> of(here, "load-a").get("state").asString().equals("ended"));
      assertThat(run.isAlive()).isTrue();
      assertThat(here.run("resume", "load-a").exit()).isEqualTo(3);
      assertThat(here.run("stop", "--all").exit()).isZero();
      assertThat(run.waitFor()).isZero();
      assertThat(here.run("history").out()).contains("pause", "resume", "stop");
      JsonNode runs = here.run("runs", "load-a", "--json").json().get("runs");
      assertThat(runs).hasSize(2);
      assertThat(runs.get(0).get("how").asString()).isEqualTo("paused");
      assertThat(runs.get(0).get("loaded").asInt()).isEqualTo(2);
      assertThat(runs.get(1).get("why").asString()).isEqualTo("it was resumed");
      assertThat(runs.get(1).get("how").asString()).isEqualTo("stopped");
      assertThat(here.run("runs").out()).contains("load-b", "the run was started");
    } finally {
      run.destroyForcibly();
    }
  }

  @Test
  void runsThatWereKilledFailedOrDrainedAreTold() throws Exception {
    Wexrun here = workspace();
    assertThat(here.run("runs").err()).contains("nothing has run yet");
    Process run = here.start("run", "load-a");
    try {
      until(() -> here.run("status").out().contains("load-a"));
      until(() -> of(here, "load-a").get("loaded").asInt() == 2);
      assertThat(here.run("runs").out()).contains("running");
    } finally {
      run.destroyForcibly().waitFor();
    }
    assertThat(here.run("runs").out()).contains("killed").doesNotContain("running");
    assertThat(here.run("run", "--once").exit()).isEqualTo(3);
    String out = here.run("runs").out();
    assertThat(out).contains("killed", "drained", "failed", "cannot open store away");
    assertThat(here.run("runs", "--limit", "1").out().lines()).hasSize(2);
    assertThat(here.run("runs", "--limit", "0").exit()).isEqualTo(2);
  }

  @Test
  void doctorSaysWhatIsWrongAndWhatToDo() throws Exception {
    Wexrun here = workspace();
    Result good = here.run("doctor");
    assertThat(good.out()).contains("good", "rights", "room", "clock", "books", "stores");
    assertThat(here.run("run", "--once", "load-a").exit()).isZero();
    Files.writeString(folder.resolve("a.log"), "1\n");
    assertThat(here.run("doctor").out())
        .contains(
            "doubtful", "load-a: a.log was cut or replaced while nothing ran", "up to byte 4");
    Files.move(folder.resolve("a.log"), folder.resolve("a.log.1"));
    Files.writeString(folder.resolve("a.log"), "1\n2\n");
    assertThat(here.run("doctor").out()).contains("good", "sources").doesNotContain("a.log was");
    Files.delete(folder.resolve("w.db"));
    Files.writeString(folder.resolve("pipelines/bad.yaml"), "pipeline: x\nintake: {filez: a}\n");
    Result wrong = here.run("doctor");
    assertThat(wrong.exit()).isEqualTo(1);
    assertThat(wrong.out()).contains("wrong", "'wexrun check' shows where", "'wexrun reconcile'");
    assertThat(here.run("doctor", "--json").json().get("findings").size()).isGreaterThan(10);
  }

  /** What a service manager has, to receive a datagram. */
  interface C extends com.sun.jna.Library {
    int socket(int domain, int type, int protocol);

    int bind(int socket, byte[] address, int size);

    long recv(int socket, byte[] data, long length, int flags);
  }

  @Test
  void aServiceManagerIsToldThatItIsUpAndAliveAndThatItStops() throws Exception {
    Path path = folder.resolve("notify");
    byte[] name = path.toString().getBytes(StandardCharsets.UTF_8);
    byte[] address =
        ByteBuffer.allocate(2 + name.length)
            .order(ByteOrder.nativeOrder())
            .putShort((short) 1)
            .put(name)
            .array();
    C c = com.sun.jna.Native.load("c", C.class);
    int socket = c.socket(1, 2, 0);
    assertThat(c.bind(socket, address, address.length)).isZero();
    Wexrun here = workspace();
    Process run =
        here.startIn(Map.of("NOTIFY_SOCKET", path + "", "WATCHDOG_USEC", "200000"), "run");
    List<String> told = new ArrayList<>();
    byte[] data = new byte[1000];
    while (told.stream().filter(text -> text.startsWith("WATCHDOG=1")).count() < 3) {
      told.add(new String(data, 0, (int) c.recv(socket, data, 1000, 0), StandardCharsets.UTF_8));
    }
    run.destroy();
    while (!told.get(told.size() - 1).startsWith("STOPPING=1")) {
      told.add(new String(data, 0, (int) c.recv(socket, data, 1000, 0), StandardCharsets.UTF_8));
    }
    assertThat(here.finish(run).exit()).isZero();
    assertThat(told.get(0)).startsWith("READY=1\nSTATUS=");
    assertThat(told).anyMatch(text -> text.matches("WATCHDOG=1\nSTATUS=.*\\d running.*"));
  }

  @Test
  void wrongNamesAreTold() throws Exception {
    Wexrun here = workspace();
    assertThat(here.run("pause").err()).contains("name pipelines, or write --all");
    assertThat(here.run("stop", "load-c").err()).contains("there is no pipeline 'load-c'");
    assertThat(here.run("status", "x*").err()).contains("no pipeline fits 'x*'");
    assertThat(here.run("run", "--once", "load-a", "y?").exit()).isEqualTo(2);
    assertThat(here.run("status", "tag:day").err())
        .contains("there is no tag 'day': there are night, far");
    assertThat(here.run("status", "tag:far").err()).contains("nothing runs here: load-b");
    assertThat(here.run("tally", "tag:night").out()).contains("load-b").doesNotContain("load-a");
    assertThat(here.run("tally", "load-?", "--json").json().get("pipelines")).hasSize(2);
  }
}

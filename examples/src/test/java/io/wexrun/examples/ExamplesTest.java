package io.wexrun.examples;

import static org.assertj.core.api.Assertions.assertThat;

import io.airlift.compress.lz4.Lz4Compressor;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.queue.Queue;
import io.wexrun.state.Hold;
import java.io.ByteArrayOutputStream;
import java.io.File;
import java.io.PrintStream;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.StringJoiner;
import java.util.stream.Collectors;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

class ExamplesTest {
  @TempDir private Path folder;

  @FunctionalInterface
  private interface Program {
    void main(String[] args) throws Exception;
  }

  private String run(Program program) throws Exception {
    PrintStream before = System.out;
    ByteArrayOutputStream out = new ByteArrayOutputStream();
    System.setOut(new PrintStream(out, true, StandardCharsets.UTF_8));
    try {
      program.main(new String[] {folder.resolve("example").toString()});
    } finally {
      System.setOut(before);
    }
    return out.toString(StandardCharsets.UTF_8);
  }

  @Test
  void aPipelineDefinedInJavaLoadsItsTable() throws Exception {
    assertThat(run(PipelineExample::main))
        .isEqualTo(
            """
            3 taken, 2 loaded, 1 dead, balanced: true
            missing-field: 'card' is empty
            [Harbour Square, false]
            [Mill Bridge, true]
            """);
  }

  @Test
  void aQueueGivesBackWhatWasAppended() throws Exception {
    assertThat(run(QueueExample::main))
        .isEqualTo(
            """
            tram-04 @0: door cycle 1
            tram-04 @1: door cycle 2
            tram-04 @2: door cycle 3
            """);
  }

  /** What {@code wexrun-queue} brings from Maven, and no more. */
  @Test
  void aQueueAloneRunsWithCoreStateAndTheCompressorOnly() throws Exception {
    List<Class<?>> parts =
        List.of(
            QueueExample.class,
            Queue.class,
            OutsideException.class,
            Hold.class,
            Lz4Compressor.class);
    StringJoiner path = new StringJoiner(File.pathSeparator);
    for (Class<?> part : parts) {
      path.add(Path.of(part.getProtectionDomain().getCodeSource().getLocation().toURI()) + "");
    }
    String java = Path.of(System.getProperty("java.home"), "bin", "java").toString();
    Process process =
        new ProcessBuilder(
                java, "-cp", path + "", QueueExample.class.getName(), folder.resolve("q") + "")
            .redirectErrorStream(true)
            .start();
    String out = new String(process.getInputStream().readAllBytes(), StandardCharsets.UTF_8);
    assertThat(process.waitFor()).as(out).isZero();
    assertThat(out).startsWith("tram-04 @0: door cycle 1");
  }

  @Test
  void theReadmeShowsTheShorterExampleAsItIs() throws Exception {
    String source = Files.readString(Path.of("src/main/java/io/wexrun/examples/QueueExample.java"));
    String body =
        source.substring(source.indexOf("    try (Queue queue"), source.indexOf("\n  }\n}"));
    String shown =
        body.lines()
            .map(line -> line.substring(Math.min(4, line.length())))
            .collect(Collectors.joining("\n"));
    assertThat(Files.readString(Path.of("../README.md"))).contains(shown);
  }
}

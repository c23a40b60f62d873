package io.wexrun.cli;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.cli.Wexrun.Result;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.spi.ToolProvider;
import java.util.stream.Stream;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/** The example of a step of one's own is built, and found in a workspace's plugins folder. */
class PluginTest {
  private static final Path EXAMPLE = Path.of("../examples/plugin/src/main");

  @TempDir private Path folder;

  @BeforeEach
  void makeWorkspace() throws IOException {
    Files.writeString(
        folder.resolve("wexrun.yaml"),
        """
        workspace: rush
        stores: {here: {duckdb: here.db}}
        tables:
          scans:
            in: here
            columns: {time: timestamp, gate: text, rush: bool}
        """);
    Files.createDirectories(folder.resolve("pipelines"));
    Files.writeString(
        folder.resolve("pipelines/scans.yaml"),
        """
        pipeline: scans
        intake: {files: '*.log'}
        shape:
          - template: '{time:timestamp?} {gate}'
          - rush_hour: time
        route:
          - to: scans
        """);
    Files.writeString(
        folder.resolve("a.log"),
        "2026-05-04T05:30:00Z gate-1\n2026-05-04T10:00:00Z gate-2\n- gate-3\n");
  }

  private static void tool(String name, String... arguments) {
    int exit = ToolProvider.findFirst(name).orElseThrow().run(System.out, System.err, arguments);
    assertThat(exit).isZero();
  }

  private void build() throws IOException {
    Path classes = Files.createDirectories(folder.resolve("classes"));
    Path plugins = Files.createDirectories(folder.resolve("plugins"));
    String path = System.getProperty("java.class.path");
    List<String> arguments = new ArrayList<>(List.of("-cp", path, "-d", classes + ""));
    try (Stream<Path> sources = Files.list(EXAMPLE.resolve("java/ostrel"))) {
      sources.map(Path::toString).forEach(arguments::add);
    }
    tool("javac", arguments.toArray(String[]::new));
    String jar = plugins.resolve("ostrel-plugin.jar").toString();
    tool("jar", "cf", jar, "-C", classes + "", ".", "-C", EXAMPLE + "/resources", "META-INF");
  }

  @Test
  void itRunsLikeTheOthersAndARecordThatItCannotWorkOnDies() throws IOException {
    Wexrun here = Wexrun.in(folder);
    assertThat(here.run("check").out()).contains("there is no step 'rush_hour'");
    build();
    assertThat(here.run("check", "--show").out()).contains("2 rush_hour", "bool?");
    Result run = here.run("run", "--once");
    assertThat(run.exit()).as(run.err()).isZero();
    assertThat(run.out()).contains("failed-step 1");
    assertThat(here.run("sql", "select gate, rush from scans order by gate").out())
        .isEqualTo("gate    rush\ngate-1  true\ngate-2  false\n");
    assertThat(here.run("dead", "--list").out()).contains("NoSuchElementException");
  }

  @Test
  void aFileThatIsNoJarIsTold() throws IOException {
    Files.createDirectories(folder.resolve("plugins"));
    Files.writeString(folder.resolve("plugins/x.jar"), "junk");
    Result check = Wexrun.in(folder).run("check");
    assertThat(check.exit()).isEqualTo(3);
    assertThat(check.err()).contains("x.jar is not a jar");
  }

  @Test
  void itsOwnMistakesAreToldBeforeTheRun() throws IOException {
    build();
    Path pipeline = folder.resolve("pipelines/scans.yaml");
    Files.writeString(
        pipeline, Files.readString(pipeline).replace("rush_hour: time", "rush_hour: tmie"));
    Result check = Wexrun.in(folder).run("check");
    assertThat(check.exit()).isEqualTo(1);
    assertThat(check.out()).contains("there is no field 'tmie' here", "did you mean 'time'?");
  }
}

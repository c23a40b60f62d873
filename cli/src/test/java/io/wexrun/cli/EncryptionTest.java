package io.wexrun.cli;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.cli.Wexrun.Result;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.Arrays;
import java.util.Base64;
import java.util.List;
import java.util.stream.Stream;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/** A workspace whose records nobody reads on the disk who has not the key. */
class EncryptionTest {
  private static final String ONE = secret(1);
  private static final String OTHER = secret(2);

  @TempDir private Path folder;
  private Wexrun here;

  private static String secret(int fill) {
    byte[] bytes = new byte[32];
    Arrays.fill(bytes, (byte) fill);
    return Base64.getEncoder().encodeToString(bytes);
  }

  @BeforeEach
  void makeWorkspace() throws IOException {
    Files.createDirectories(folder.resolve("pipelines"));
    Files.writeString(folder.resolve("k1"), ONE + "\n");
    Files.writeString(
        folder.resolve("wexrun.yaml"),
        """
        workspace: depot
        keys: {k1: {file: k1}, k2: {file: k2}}
        encrypt: k1
        stores:
          lake: {folder: lake, format: parquet}
          texts: {folder: texts, format: csv}
          open: {folder: open, format: ndjson, compress: none, encrypt: none}
        queues:
          cards: {partitions: 2}
        tables:
          rides: {in: lake, columns: {n: int, card: text}}
          lines: {in: texts, columns: {n: int, card: text}}
          counts: {in: open, columns: {n: int}}
        """);
    Files.writeString(
        folder.resolve("pipelines/load.yaml"),
        """
        pipeline: take
        intake: {files: 'a.log'}
        channel: {disk: 10MB}
        route: [to: cards]
        ---
        pipeline: load
        intake: {queue: cards}
        shape: [template: '{n:int} {card}']
        route: [to: [rides, lines, counts]]
        """);
    write("1 card-a\n2 card-b\nno card-c\n");
    here = Wexrun.in(folder);
  }

  private void write(String lines) throws IOException {
    Files.writeString(folder.resolve("a.log"), lines);
  }

  private void useKey(String name) throws IOException {
    Path yaml = folder.resolve("wexrun.yaml");
    Files.writeString(
        yaml, Files.readString(yaml).replaceFirst("(?m)^encrypt: .*$", "encrypt: " + name));
  }

  private List<Path> files(String... of) throws IOException {
    try (Stream<Path> files = Files.walk(folder)) {
      return files
          .filter(Files::isRegularFile)
          .filter(f -> Stream.of(of).anyMatch(o -> f.startsWith(folder.resolve(o))))
          .toList();
    }
  }

  private Result run() {
    Result run = here.run("run", "--once");
    assertThat(run.exit()).as(run.err()).isZero();
    return run;
  }

  @Test
  void recordsAreInNoFileThatIsEncryptedAndComeBackWithTheKey() throws IOException {
    run();
    for (Path file : files(".wexrun/queues", "lake", "texts")) {
      assertThat(Files.readString(file, StandardCharsets.ISO_8859_1))
          .as(file.toString())
          .doesNotContain("card-");
    }
    assertThat(files("open")).isNotEmpty();
    assertThat(here.run("queue", "read", "cards").out()).contains("1 card-a", "no card-c");
    assertThat(here.run("dead", "load", "--list").out()).contains("no card-c");
    for (Path file : files("lake/rides/all", "texts/lines/all")) {
      assertThat(here.run("files", "read", file.toString()).out()).contains("card-a", "card-b");
    }
  }

  @Test
  void aKeyThatIsMissingOrWrongIsToldAndDestroysNothing() throws IOException {
    run();
    Path key = folder.resolve("k1");
    Files.delete(key);
    Result check = here.run("check");
    assertThat(check.exit()).isEqualTo(1);
    assertThat(check.out()).contains("wexrun.yaml:3:", "there is no file k1 that can be read");
    for (String wrong : List.of("", "abc", secret(0))) {
      Files.writeString(key, wrong);
      assertThat(here.run("check").out()).contains("the file k1 does not hold the secret of key");
    }
    Files.writeString(key, OTHER);
    for (List<String> command :
        List.of(
            List.of("queue", "read", "cards"),
            List.of("dead", "load"),
            List.of("run", "--once"),
            List.of("files", "read", files("lake/rides/all").get(0).toString()))) {
      Result wrong = here.run(command.toArray(String[]::new));
      assertThat(wrong.exit()).as(command.toString()).isEqualTo(3);
      assertThat(wrong.err()).contains("another secret than key 'k1' has now");
    }
    assertThat(here.run("queue", "verify").exit()).isZero();
    Files.writeString(key, ONE);
    run();
    assertThat(here.run("tally").out()).contains("balanced");
  }

  @Test
  void anotherKeyBeginsWithTheNextFileAndMergingTakesItForAll() throws IOException {
    run();
    Files.writeString(folder.resolve("k2"), OTHER);
    useKey("k2");
    write("1 card-a\n2 card-b\nno card-c\n3 card-d\n");
    run();
    assertThat(here.run("files", "compact").exit()).isZero();
    Files.delete(folder.resolve("k1"));
    Path yaml = folder.resolve("wexrun.yaml");
    Files.writeString(yaml, Files.readString(yaml).replace("k1: {file: k1}, ", ""));
    for (Path file : files("lake/rides/all", "texts/lines/all")) {
      assertThat(here.run("files", "read", file.toString()).out()).contains("card-a", "card-d");
    }
    Result old = here.run("queue", "read", "cards");
    assertThat(old.err()).contains("is encrypted with key 'k1': there is no key 'k1'");
  }

  @Test
  void keysThatAreWrittenWronglyAreTold() throws IOException {
    Path yaml = folder.resolve("wexrun.yaml");
    Files.writeString(
        yaml,
        Files.readString(yaml)
            .replace("keys: {k1: {file: k1}, k2: {file: k2}}", "keys: {k1: {text: " + ONE + "}}")
            .replace("encrypt: none", "encrypt: k9"));
    assertThat(here.run("check").out())
        .contains(
            "a key says where its secret is, and nothing else",
            "write {env: VARIABLE}, {file: NAME} or {command: LINE}",
            "there is no key 'k9' to encrypt with");
  }
}

package io.wexrun.project;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.contract.Folders;
import io.wexrun.core.run.RunOptions;
import io.wexrun.core.tally.SourceTally;
import io.wexrun.core.tally.TimeTally;
import io.wexrun.project.facts.Completeness;
import io.wexrun.project.facts.DeadFilter;
import io.wexrun.project.facts.Proof;
import io.wexrun.project.facts.Proof.Verdict;
import io.wexrun.queue.Producer;
import io.wexrun.queue.Queue;
import java.io.IOException;
import java.io.OutputStream;
import java.io.UncheckedIOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.nio.file.StandardOpenOption;
import java.time.Instant;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.stream.Collectors;
import java.util.stream.IntStream;
import java.util.stream.Stream;
import java.util.zip.GZIPOutputStream;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/** The books are counted again from the real things, and what somebody has touched is found. */
class ProofTest {
  private static final List<String> BOTH = List.of("feed", "load");

  @TempDir private Path base;
  private Folder folder;
  private Workspace workspace;

  @BeforeEach
  void load() throws Exception {
    folder =
        new Folder(base)
            .write(
                "wexrun.yaml",
                """
                workspace: w
                stores: {w: {duckdb: w.db}, lake: {folder: lake, format: ndjson}}
                queues: {q: {partitions: 1}}
                tables:
                  t: {in: w, columns: {id: long, at: timestamp}}
                  known: {in: w, origin: true, columns: {id: long, at: timestamp}}
                  files: {in: lake, columns: {id: long}}
                  latest: {in: w, key: grade, columns: {grade: int, id: long}}
                """)
            .write(
                "pipelines/p.yaml",
                """
                pipeline: feed
                intake: {files: 'in/*.log'}
                route: [{to: q}]
                ---
                pipeline: load
                intake: {queue: q}
                shape: [{template: '{at:timestamp} {id:long} {grade:int}'}]
                route: [{to: [t, files, latest]}]
                ---
                pipeline: direct
                intake: {files: 'in/*.log'}
                shape: [{template: '{at:timestamp} {id:long} {grade:int}'}]
                route: [{to: known}]
                """);
    write("a", 0, 200);
    write("b", 200, 300);
    workspace = Workspace.open(base);
    run();
  }

  private void write(String name, int from, int to) {
    folder.write(
        "in/" + name + ".log",
        IntStream.range(from, to)
            .mapToObj(
                i ->
                    "2026-05-03T04:%02d:%02dZ %d %s\n"
                        .formatted(i / 60, i % 60, i, i % 10 == 9 ? "bad" : i % 7))
            .collect(Collectors.joining()));
  }

  private void run() throws InterruptedException {
    try (WorkspaceRun run = workspace.run(RunOptions.untilDrained(true))) {
      run.await();
    }
  }

  @AfterEach
  void close() {
    workspace.close();
  }

  /** Touches something while nobody has it open. */
  private void touch(Runnable act) {
    workspace.close();
    act.run();
    workspace = Workspace.open(base);
  }

  private Map<String, Proof> proofs() {
    Map<String, Proof> proofs = new TreeMap<>();
    workspace
        .books()
        .prove(BOTH)
        .forEach(proof -> proofs.merge(proof.subject(), proof, (a, b) -> b));
    return proofs;
  }

  private static List<String> of(Map<String, Proof> proofs, Verdict verdict) {
    return proofs.values().stream()
        .filter(proof -> proof.verdict() == verdict)
        .map(Proof::subject)
        .toList();
  }

  @Test
  void whatNobodyTouchedAgrees() throws Exception {
    Map<String, Proof> proofs = proofs();
    assertThat(of(proofs, Verdict.DIFFERS)).isEmpty();
    assertThat(of(proofs, Verdict.OPEN)).isEmpty();
    assertThat(of(proofs, Verdict.AGREES))
        .containsExactly(
            "dead letters, bad-value", "files", "in/a.log", "in/b.log", "latest", "q", "q/0", "t");
    assertThat(proofs.get("in/a.log").found()).hasValue(200);
    assertThat(proofs.get("t").books()).isEqualTo(270);
    folder.write("in/c.log", "and more that was not read yet\n");
    workspace.replays().giveUp("load", DeadFilter.ALL, "a test");
    workspace.replays().run("load", RunOptions.untilDrained(true), replays -> {});
    assertThat(of(proofs(), Verdict.DIFFERS)).isEmpty();
  }

  @Test
  void rowsDeletedByHandAreFound() {
    workspace.change("w", "delete from t where id = 3");
    Proof proof = proofs().get("t");
    assertThat(proof.verdict()).isEqualTo(Verdict.DIFFERS);
    assertThat(proof.found()).hasValue(269);
    assertThat(proof.why()).startsWith("1 row missing");
    workspace.change("w", "truncate t");
    assertThat(proofs().get("t").found()).hasValue(0);
    assertThat(of(proofs(), Verdict.DIFFERS)).containsExactly("t");
  }

  @Test
  void byTheOriginOfRowsItIsSaidOfWhichSourceTheyAreMissing() throws Exception {
    workspace.change("w", "delete from known where id in (3, 4, 7)");
    workspace.change("w", "insert into known select * from known where id in (210, 211, 212)");
    Map<String, Proof> proofs = new TreeMap<>();
    workspace.books().prove(List.of("direct")).forEach(proof -> proofs.put(proof.subject(), proof));
    assertThat(proofs.get("known").verdict())
        .as("as many rows as there should be")
        .isEqualTo(Verdict.AGREES);
    assertThat(of(proofs, Verdict.DIFFERS))
        .containsExactly("known from in/a.log", "known from in/b.log");
    assertThat(proofs.get("known from in/a.log").why()).startsWith("3 rows missing");
    assertThat(proofs.get("known from in/b.log").why()).startsWith("3 rows more than the books");
  }

  @Test
  void rowsThatTookThePlaceOfOthersAreSeenByTheirOrigin() {
    workspace.change("w", "delete from known where id in (3, 4, 7)");
    workspace.change("w", "insert into known select * from known where id in (10, 11, 12)");
    Map<String, Proof> proofs = new TreeMap<>();
    workspace.books().prove(List.of("direct")).forEach(proof -> proofs.put(proof.subject(), proof));
    assertThat(of(proofs, Verdict.DIFFERS))
        .containsExactly("known from in/a.log, each record once");
    assertThat(proofs.get("known from in/a.log, each record once").why())
        .startsWith("3 rows there twice, and as many missing")
        .contains("wexrun rebuild direct");
  }

  @Test
  void filesOfATableThatAreNotAsTheyWereWrittenAreFound() throws Exception {
    Path lake = base.resolve("lake/files");
    Path file = rowsFile(lake);
    byte[] written = Files.readAllBytes(file);
    byte[] changed = written.clone();
    changed[changed.length / 2] ^= 1;
    Files.write(file, changed);
    Files.copy(file, file.resolveSibling("copy-of-" + file.getFileName()));
    Map<String, Proof> proofs = proofs();
    assertThat(of(proofs, Verdict.DIFFERS))
        .containsExactly("changed files of files", "foreign files beside files");
    assertThat(proofs.get("changed files of files").why())
        .startsWith(lake.relativize(file).toString())
        .contains(
            "from a backup, or move the folder of the table away, and 'wexrun reconcile load'");
    assertThat(proofs.get("foreign files beside files").why()).contains("copy-of-", "move it away");
    Files.write(file, written);
    Files.delete(file.resolveSibling("copy-of-" + file.getFileName()));
    assertThat(of(proofs(), Verdict.DIFFERS)).isEmpty();
    Files.delete(file);
    assertThat(of(proofs(), Verdict.DIFFERS)).contains("missing files of files");
    Files.write(file, written);

    write("a", 0, 220);
    run();
    workspace.files().merge("files", 1 << 20, merged -> {});
    assertThat(of(proofs(), Verdict.DIFFERS)).as("merged files are known").isEmpty();
    Files.writeString(rowsFile(lake), "{}\n", StandardOpenOption.APPEND);
    assertThat(of(proofs(), Verdict.DIFFERS)).contains("changed files of files");
  }

  private static Path rowsFile(Path table) throws IOException {
    try (Stream<Path> files = Files.walk(table)) {
      return files.filter(f -> f.toString().contains(".ndjson")).findFirst().orElseThrow();
    }
  }

  @Test
  void aCompressedFileThatWasCutIsUnknownAndNotGone() throws Exception {
    touch(() -> gzip("c", 300, 400));
    run();
    assertThat(of(proofs(), Verdict.DIFFERS)).isEmpty();
    Path file = base.resolve("in/c.log");
    byte[] whole = Files.readAllBytes(file);
    for (int left : new int[] {whole.length / 2, 12}) {
      Files.write(file, Arrays.copyOf(whole, left));
      Proof proof = proofs().get("in/c.log");
      assertThat(proof.verdict()).as("cut to %s bytes: %s", left, proof).isEqualTo(Verdict.UNKNOWN);
      assertThat(proof.why()).contains("in/c.log cannot be unpacked behind byte");
    }
  }

  private void gzip(String name, int from, int to) {
    write(name, from, to);
    Path file = base.resolve("in/" + name + ".log");
    try {
      byte[] text = Files.readAllBytes(file);
      try (OutputStream out = new GZIPOutputStream(Files.newOutputStream(file))) {
        out.write(text);
      }
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }

  @Test
  void rowsDeletedFromATableWithAKeyAreFound() throws Exception {
    assertThat(proofs().get("latest").verdict()).isEqualTo(Verdict.AGREES);
    assertThat(proofs().get("latest").found()).hasValue(7);
    write("c", 300, 320);
    folder.write("in/d.log", "2026-05-03T05:00:00Z 900 77\n2026-05-03T05:00:01Z 901 77\n");
    run();
    assertThat(proofs().get("latest").found()).hasValue(8);
    assertThat(of(proofs(), Verdict.DIFFERS)).isEmpty();
    workspace.change("w", "delete from latest where grade = 3");
    assertThat(proofs().get("latest").verdict()).isEqualTo(Verdict.DIFFERS);
    assertThat(proofs().get("latest").why()).startsWith("1 row missing");
  }

  @Test
  void aRollupCountsTheRecordsThatWentIntoIt() throws Exception {
    touch(
        () -> {
          folder.append(
              "wexrun.yaml",
              "  hours: {in: w, group: grade, columns: {grade: int, n: long = count()}}\n");
          folder.append(
              "pipelines/p.yaml",
              "---\npipeline: sums\nintake: {files: 'in/*.log'}\n"
                  + "shape: [{template: '{at:timestamp} {id:long} {grade:int}'}]\n"
                  + "route: [{to: hours}]\n");
        });
    run();
    Map<String, Proof> proofs = new TreeMap<>();
    workspace.books().prove(List.of("sums")).forEach(proof -> proofs.put(proof.subject(), proof));
    assertThat(proofs.get("hours").verdict()).isEqualTo(Verdict.AGREES);
    assertThat(proofs.get("hours").found()).hasValue(270);
    workspace.change("w", "delete from hours where grade = 3");
    workspace.books().prove(List.of("sums")).forEach(proof -> proofs.put(proof.subject(), proof));
    assertThat(proofs.get("hours").verdict()).isEqualTo(Verdict.DIFFERS);
  }

  @Test
  void whatWasRevivedHasTheOriginOfItsFirstSource() throws Exception {
    touch(
        () ->
            folder.write(
                "pipelines/p.yaml",
                "pipeline: direct\nintake: {files: 'in/*.log'}\n"
                    + "shape: [{template: '{at:timestamp} {id:long} {grade}'}]\n"
                    + "route: [{to: known}]\n"));
    workspace.replays().choose("direct", DeadFilter.ALL);
    workspace.replays().run("direct", RunOptions.untilDrained(true), replays -> {});
    assertThat(workspace.tally("direct").counts().allLoaded()).isEqualTo(300);
    Map<String, Proof> proofs = new TreeMap<>();
    workspace.books().prove(List.of("direct")).forEach(proof -> proofs.put(proof.subject(), proof));
    assertThat(of(proofs, Verdict.DIFFERS)).isEmpty();
    assertThat(of(proofs, Verdict.AGREES)).contains("known");
  }

  @Test
  void recordsOfAQueueAreCountedWhateverOthersAppend() {
    Queue queue = workspace.queues().open("q"); // The workspace closes it.
    try (Producer producer = queue.producer()) {
      producer.append("another's".getBytes(StandardCharsets.UTF_8));
      producer.flush();
    }
    assertThat(proofs().get("q").found()).hasValue(300);
    assertThat(proofs().get("q").verdict()).isEqualTo(Verdict.AGREES);
  }

  @Test
  void tablesAreCompleteUpToTheNewestEventOfTheSourceThatIsFurthestBehind() throws Exception {
    Instant last = Instant.parse("2026-05-03T04:04:58Z");
    Completeness all = workspace.books().complete("direct");
    assertThat(all.edge()).contains(last);
    assertThat(all.behind()).isEmpty();
    Path first = base.resolve("in/a.log");
    Files.writeString(first, "2026-05-03T04:03:21Z 900 1\n", StandardOpenOption.APPEND);
    Completeness behind = workspace.books().complete("direct");
    assertThat(behind.edge()).as("of in/a.log").contains(Instant.parse("2026-05-03T04:03:18Z"));
    assertThat(behind.newest()).contains(last);
    assertThat(behind.behind()).containsExactly("in/a.log");
    folder.write("in/new.log", "2026-05-03T05:00:00Z 901 1\n");
    assertThat(workspace.books().complete("direct").edge()).as("new.log has not begun").isEmpty();
    assertThat(workspace.books().complete("load").behind()).isEmpty();
    run();
    assertThat(workspace.books().complete("direct").edge())
        .contains(Instant.parse("2026-05-03T05:00:00Z"));
    assertThat(workspace.books().complete("gone").why()).contains("not defined");
  }

  @Test
  void rowsOfOthersAreFound() {
    workspace.change("w", "insert into t values (1, null), (2, null)");
    assertThat(proofs().get("t").why()).startsWith("2 rows more than the books");
  }

  @Test
  void aStoreThatWasPutBackIsFound() throws Exception {
    touch(() -> copy("w.db", "backup"));
    write("c", 300, 340);
    run();
    assertThat(proofs().get("t").verdict()).isEqualTo(Verdict.AGREES);
    touch(() -> copy("backup", "w.db"));
    Map<String, Proof> proofs = proofs();
    assertThat(proofs.get("t").why()).contains("wexrun reconcile load");
    assertThat(of(proofs, Verdict.DIFFERS)).contains("t");
  }

  @Test
  void aStateThatWasPutBackIsSeenAndHealsInTheNextRun() throws Exception {
    touch(() -> copy(".wexrun/state.db", "backup"));
    write("c", 300, 340);
    run();
    touch(
        () -> {
          copy("backup", ".wexrun/state.db");
          delete(".wexrun/state.db-wal");
          delete(".wexrun/state.db-shm");
        });
    Map<String, Proof> proofs = proofs();
    assertThat(proofs.get("t").verdict()).isEqualTo(Verdict.OPEN);
    assertThat(proofs.get("t").why()).contains("ahead of the books");
    run();
    assertThat(of(proofs(), Verdict.DIFFERS)).isEmpty();
    assertThat(proofs().get("t").found()).hasValue(306);
  }

  @Test
  void lostSegmentsAndSourcesAreSaid() {
    touch(
        () -> {
          delete(".wexrun/queues/q/p0/00000000000000000000.packs");
          delete("in/a.log");
        });
    Map<String, Proof> proofs = proofs();
    assertThat(proofs.get("in/a.log").verdict()).isEqualTo(Verdict.OPEN);
    assertThat(proofs.get("in/a.log").why()).contains("not where it was any more");
    assertThat(proofs.get("q/0").verdict()).as("no agreement").isEqualTo(Verdict.UNKNOWN);
    assertThat(proofs.get("q/0").why()).contains("is damaged", "wexrun queue verify");
    touch(() -> delete(".wexrun/queues/q"));
    assertThat(proofs().get("q/0").verdict()).isEqualTo(Verdict.DIFFERS);
    assertThat(proofs().get("q/0").why()).contains("queue q is not there any more");
    assertThat(base.resolve(".wexrun/queues/q")).as("nothing is made").doesNotExist();
    touch(() -> delete(".wexrun/queues/dead/load"));
    assertThat(proofs().get("dead letters, bad-value").why()).contains("letters are missing");
  }

  @Test
  void theBooksAreThereBySourceAndOverTime() {
    Map<String, SourceTally> sources = new TreeMap<>();
    workspace
        .books()
        .bySource("load")
        .forEach((source, tally) -> sources.put(source.name(), tally));
    assertThat(sources).containsOnlyKeys("q/0");
    SourceTally tally = sources.get("q/0");
    assertThat(tally.balanced()).isTrue();
    assertThat(tally.newest().orElseThrow()).hasToString("2026-05-03T04:04:58Z");
    List<TimeTally> days = workspace.books().over("load", TimeTally.Unit.DAY);
    assertThat(days.stream().mapToLong(TimeTally::taken).sum()).isEqualTo(300);
    assertThat(days.stream().mapToLong(TimeTally::died).sum()).isEqualTo(30);
  }

  private void copy(String from, String to) {
    try {
      Files.copy(base.resolve(from), base.resolve(to), StandardCopyOption.REPLACE_EXISTING);
    } catch (IOException e) {
      throw new IllegalStateException(e);
    }
  }

  private void delete(String name) {
    Path path = base.resolve(name);
    if (Files.exists(path)) {
      Folders.remove(path);
    }
  }
}

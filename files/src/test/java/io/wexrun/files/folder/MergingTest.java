package io.wexrun.files.folder;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;
import static org.assertj.core.groups.Tuple.tuple;

import io.wexrun.contract.FolderSite;
import io.wexrun.contract.Seeds;
import io.wexrun.contract.TypedRows;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Type;
import io.wexrun.core.secret.Keys;
import io.wexrun.core.target.Answer;
import io.wexrun.core.target.Filing;
import io.wexrun.core.target.Flush;
import io.wexrun.core.target.Store;
import io.wexrun.core.target.Target;
import io.wexrun.files.format.CsvFormat;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.NoSuchFileException;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Random;
import java.util.TreeSet;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.stream.IntStream;
import java.util.stream.LongStream;
import java.util.stream.Stream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/** Small files become larger ones, and nobody sees a row twice or none, whatever happens. */
class MergingTest {
  private static final SourcePartition S = new SourcePartition("a.log");
  private static final Table ROWS =
      Table.in("w", "rows").column("n", Type.Scalar.LONG).column("part", Type.Scalar.TEXT).build();
  private static final long MB = 1 << 20;

  @TempDir private Path base;
  private static Settings settings =
      Settings.of("folder", "out")
          .with("format", "ndjson")
          .with("compress", "none")
          .with("by", List.of("part"));

  private static Store open(Path base) {
    return new FolderConnector().open("w", settings, new FolderSite(base));
  }

  private static Path table(Path base) {
    return base.resolve("out/rows");
  }

  private static void load(Target target, long from, int count) {
    List<List<String>> rows =
        LongStream.range(from, from + count).mapToObj(n -> List.of("" + n, "p" + n % 3)).toList();
    Flush.Part part =
        new Flush.Part(S, from, from + count, TypedRows.of(ROWS.schema(), from, rows));
    target.stage(new Flush(List.of(part))).commit();
  }

  private static List<Filing.Merged> merge(Store store) {
    List<Filing.Merged> merged = new ArrayList<>();
    ((Filing) store).merge(ROWS, MB, merged::add);
    return merged;
  }

  /** The folders as somebody sees them who lists them, and then reads; looks again if one went. */
  private static List<Long> listed(Path base) throws IOException {
    while (true) {
      List<Path> files = new ArrayList<>();
      try {
        list(table(base), files);
        return numbers(files);
      } catch (NoSuchFileException e) {
        continue; // Merged meanwhile.
      }
    }
  }

  /** As patterns do that look for names at any depth, in hidden folders too. */
  private static void list(Path folder, List<Path> found) throws IOException {
    List<Path> inside;
    try (Stream<Path> entries = Files.list(folder)) {
      inside = entries.toList();
    }
    for (Path entry : inside) {
      if (Files.isDirectory(entry)) {
        list(entry, found);
      } else if (entry.toString().endsWith(".ndjson")) {
        found.add(entry);
      }
    }
  }

  private static List<Long> numbers(List<Path> files) throws IOException {
    List<Long> numbers = new ArrayList<>();
    for (Path file : files) {
      for (String line : Files.readAllLines(file)) {
        numbers.add(Long.parseLong(line.replaceAll(".*\"n\":(\\d+).*", "$1")));
      }
    }
    return numbers.stream().sorted().toList();
  }

  private static List<Long> upTo(long end) {
    return LongStream.range(0, end).boxed().toList();
  }

  @Test
  void smallFilesOfAFolderBecomeOneAndItsOthersStay() throws IOException {
    try (Store store = open(base);
        Target target = store.target("p", ROWS)) {
      for (int i = 0; i < 10; i++) {
        load(target, i * 30L, 30);
      }
      Path foreign = Files.writeString(table(base).resolve("part=p0/notes.txt"), "of a colleague");
      assertThat(merge(store))
          .extracting("folder", "before", "after", "rows")
          .containsExactly(
              tuple("part=p0", 10, 1, 100L),
              tuple("part=p1", 10, 1, 100L),
              tuple("part=p2", 10, 1, 100L));
      assertThat(foreign).exists();
      Files.delete(foreign);
      assertThat(listed(base)).isEqualTo(upTo(300));
      assertThat(((Filing) store).files("rows").orElseThrow()).hasSize(3);
      assertThat(merge(store)).isEmpty();
      load(target, 300, 3);
      assertThat(listed(base)).isEqualTo(upTo(303));
    }
  }

  @Test
  void filesThatWereRemovedAreForgotten() throws IOException {
    try (Store store = open(base);
        Target target = store.target("p", ROWS)) {
      load(target, 0, 3);
      load(target, 3, 3);
      TableFolder.remove(table(base).resolve("part=p1"));
      assertThat(((Filing) store).files("rows").orElseThrow())
          .filteredOn(file -> file.bytes().isEmpty())
          .hasSize(2);
      assertThat(merge(store)).extracting("folder").containsExactly("part=p0", "part=p2");
      assertThat(((Filing) store).files("rows").orElseThrow()).hasSize(2);
    }
  }

  @Test
  void aFolderWithAFolderInItIsLeftAsItIs() throws IOException {
    try (Store store = open(base);
        Target target = store.target("p", ROWS)) {
      load(target, 0, 3);
      load(target, 3, 3);
      Files.createDirectory(table(base).resolve("part=p0/mine"));
      assertThat(merge(store).get(0).left()).contains("there is a folder in it, mine");
      assertThat(listedBut("mine")).isEqualTo(upTo(6));
    }
  }

  private List<Long> listedBut(String folder) throws IOException {
    Files.delete(table(base).resolve("part=p0").resolve(folder));
    return listed(base);
  }

  @Test
  void csvFilesWithOtherColumnsAreMergedByName() throws IOException {
    settings = settings.with("format", "csv");
    try (Store store = open(base)) {
      Table before = Table.in("w", "rows").column("part", Type.Scalar.TEXT).build();
      Table after =
          before
              .wider(before.schema().with(new Column("more", Type.Scalar.TEXT, false)))
              .managed(Table.Manage.FOLLOW);
      List<List<String>> rows = List.of(List.of("a"), Arrays.asList((String) null), List.of(""));
      try (Target target = store.target("p", before)) {
        Flush.Part part = new Flush.Part(S, 0, 3, TypedRows.of(before.schema(), rows));
        target.stage(new Flush(List.of(part))).commit();
      }
      try (Target target = store.target("p", after)) {
        List<List<String>> wider = List.of(List.of("a", "x,\"y\"\n"), Arrays.asList(null, ""));
        Flush.Part part = new Flush.Part(S, 3, 5, TypedRows.of(after.schema(), 3, wider));
        target.stage(new Flush(List.of(part))).commit();
      }
      ((Filing) store).merge(after, MB, merged -> assertThat(merged.left()).isEmpty());
      List<String> texts = new ArrayList<>();
      for (Filing.RowsFile file : ((Filing) store).files("rows").orElseThrow()) {
        Answer answer = new CsvFormat().read(file.path(), 10, Keys.NONE);
        assertThat(answer.columns()).containsExactly("part", "more");
        answer.rows().forEach(row -> texts.add(row.toString()));
      }
      assertThat(texts)
          .containsExactlyInAnyOrder(
              "[a, null]", "[a, x,\"y\"\n]", "[null, null]", "[, null]", "[null, ]");
    } finally {
      settings = settings.with("format", "ndjson");
    }
  }

  @Test
  void whoListsWhilePipelinesLoadAndFilesAreMergedSeesEachRowOnce() throws Exception {
    try (Store store = open(base);
        Target target = store.target("p", ROWS)) {
      load(target, 0, 3);
      AtomicInteger loaded = new AtomicInteger(3);
      CompletableFuture<Void> loading =
          CompletableFuture.runAsync(
              () ->
                  IntStream.range(1, 120)
                      .forEach(
                          i -> {
                            load(target, i * 3L, 3);
                            loaded.addAndGet(3);
                          }));
      CompletableFuture<Void> merging =
          CompletableFuture.runAsync(
              () -> {
                while (!loading.isDone()) {
                  merge(store);
                }
              });
      int looks = 0;
      while (!merging.isDone()) {
        int before = loaded.get();
        List<Long> seen = listed(base);
        assertThat(new TreeSet<>(seen)).as("none twice").hasSameSizeAs(seen);
        assertThat(seen).as("none missing").containsAll(upTo(before));
        looks++;
      }
      loading.get();
      merging.get();
      assertThat(looks).isPositive();
      assertThat(listed(base)).isEqualTo(upTo(360));
    }
  }

  /** As when old folders are moved to a larger disk, or removed, by who looks after them. */
  @Test
  void aFolderThatIsALinkIsLeftAsItIs() throws IOException {
    try (Store store = open(base);
        Target target = store.target("p", ROWS)) {
      load(target, 0, 3);
      load(target, 3, 3);
      Path moved = Files.move(table(base).resolve("part=p0"), base.resolve("elsewhere"));
      Files.createSymbolicLink(table(base).resolve("part=p0"), moved);
      List<Filing.Merged> merged = merge(store);
      assertThat(merged.get(0).left())
          .contains("it is a link, or on another disk than the store's folder");
      assertThat(merged.get(1).left()).isEmpty();
      load(target, 6, 3);
      assertThat(listed(base)).isEqualTo(upTo(9));
    }
  }

  /** The log says that a folder is exchanged, and it is not: a crash, or it could not be. */
  @Test
  void anExchangeThatIsAheadIsFinishedOrUndone() throws IOException {
    for (boolean undone : new boolean[] {false, true}) {
      Path here = base.resolve("undone-" + undone);
      try (Store store = open(here);
          Target target = store.target("p", ROWS)) {
        load(target, 0, 3);
        load(target, 3, 3);
      }
      TableFolder folder = new TableFolder(table(here));
      Path staged = Files.createDirectories(folder.merging().resolve("x"));
      List<WrittenFile> from = new ArrayList<>();
      StringBuilder rows = new StringBuilder();
      try (Stream<Path> files = Files.list(table(here).resolve("part=p0"))) {
        for (Path file : files.toList()) {
          from.add(WrittenFile.of(file.getFileName().toString(), file));
          rows.append(Files.readString(file));
        }
      }
      Path merged = Files.writeString(staged.resolve("merged.ndjson"), rows);
      List<WrittenFile> to = List.of(WrittenFile.of("merged.ndjson", merged));
      Content.Exchanged exchanged = new Content.Exchanged("part=p0", "x", from, to);
      CommitLog log = folder.log();
      log.append(log.read().orElseThrow(), exchanged);
      if (undone) {
        log.append(log.read().orElseThrow(), exchanged.undone());
      }
      try (Store store = open(here);
          Target target = store.target("p", ROWS)) {
        load(target, 6, 3);
        assertThat(listed(here)).isEqualTo(upTo(9));
        assertThat(staged).doesNotExist();
        assertThat(Files.exists(table(here).resolve("part=p0/merged.ndjson"))).isEqualTo(!undone);
        List<Path> byLog =
            ((Filing) store)
                .files("rows").orElseThrow().stream().map(Filing.RowsFile::path).toList();
        assertThat(numbers(byLog)).isEqualTo(upTo(9));
      }
    }
  }

  @Test
  void twoDoNotMergeOneTable() {
    try (Store store = open(base);
        Target target = store.target("p", ROWS)) {
      load(target, 0, 3);
      load(target, 3, 3);
      assertThatThrownBy(() -> ((Filing) store).merge(ROWS, MB, merged -> merge(store)))
          .hasMessageContaining("are being merged already");
    }
  }

  /** A process that loads and merges until it is killed. */
  public static final class Life {
    private Life() {}

    /** Loads on from where the table is. */
    public static void main(String[] args) {
      Path base = Path.of(args[0]);
      Random dice = new Random();
      try (Store store = open(base);
          Target target = store.target("p", ROWS)) {
        long at = target.progress().getOrDefault(S, 0L);
        System.out.println("begun");
        while (true) {
          for (int i = dice.nextInt(4); i >= 0; i--) {
            load(target, at, 9);
            at += 9;
          }
          merge(store);
        }
      }
    }
  }

  @Test
  void whoIsKilledLeavesEachCommittedRowOnce() throws Exception {
    Random dice = new Random();
    for (int life = 0; life < 8 * Seeds.times(); life++) {
      Process process =
          new ProcessBuilder(
                  Path.of(System.getProperty("java.home"), "bin/java").toString(),
                  "-cp",
                  System.getProperty("java.class.path"),
                  Life.class.getName(),
                  base.toString())
              .redirectError(ProcessBuilder.Redirect.INHERIT)
              .start();
      assertThat(process.inputReader().readLine()).isEqualTo("begun");
      Thread.sleep(dice.nextInt(400));
      process.destroyForcibly().waitFor();
      List<Long> seen = listed(base);
      assertThat(new TreeSet<>(seen)).as("each once, life %s", life).hasSameSizeAs(seen);
      try (Store store = open(base)) {
        List<Path> byLog =
            ((Filing) store)
                .files("rows").orElseThrow().stream().map(Filing.RowsFile::path).toList();
        List<Long> logged = numbers(byLog);
        store.target("p", ROWS).close();
        long end = store.standing("p", "rows").orElseThrow().progress().getOrDefault(S, 0L);
        assertThat(logged).as("by the log, life %s", life).isEqualTo(upTo(end));
        assertThat(listed(base)).as("listed, life %s", life).isEqualTo(upTo(end));
      }
    }
  }
}

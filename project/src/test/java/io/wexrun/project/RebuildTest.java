package io.wexrun.project;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.identity.Identity;
import io.wexrun.core.run.RunOptions;
import io.wexrun.core.tally.Tally;
import io.wexrun.core.target.Store;
import io.wexrun.core.target.Swapping;
import io.wexrun.project.WorkspaceRebuilds.From;
import io.wexrun.project.definition.WorkspaceDefinition;
import io.wexrun.project.facts.DeadFilter;
import io.wexrun.project.facts.Proof;
import io.wexrun.project.facts.RebuildFacts;
import io.wexrun.project.facts.TableComparison;
import io.wexrun.project.open.Connectors;
import io.wexrun.project.open.Stores;
import io.wexrun.project.open.WorkspaceSite;
import io.wexrun.state.EmbeddedState;
import io.wexrun.state.Rebuilds.Rebuild;
import io.wexrun.state.WorkspaceState;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Instant;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.stream.IntStream;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;

/** Tables that are built again beside those that are loaded, and put in their places. */
class RebuildTest {
  private static final RunOptions ONCE = RunOptions.untilDrained(true);

  @TempDir private Path path;
  private Folder folder;
  private Workspace workspace;

  @BeforeEach
  void define() throws IOException {
    folder = new Folder(path);
    define("", "int", "ms");
    append(0, 100);
  }

  /**
   * Lines {@code N grade G ms M}; grades from 8 on die, and grade 7 is dropped.
   *
   * @param table more of the table
   * @param ms the type of a column
   * @param value what is in it
   */
  private void define(String table, String ms, String value) {
    folder.write(
        "wexrun.yaml",
        """
        workspace: rebuilds
        stores: {w: {duckdb: w.db}, v: {duckdb: v.db}}
        queues: {q: {partitions: 2}, low: {partitions: 1}}
        tables:
          t: {in: w, %s columns: {id: long, ms: '%s = %s'}}
          u: {in: v, %s columns: {id: long}}
        """
            .formatted(table, ms, value, table));
    folder.write(
        "pipelines/p.yaml",
        """
        pipeline: feed
        intake: {files: 'in/*.log'}
        route: [{to: q, key: '^(\\d+)'}]
        ---
        pipeline: p
        intake: {queue: q}
        shape: [{template: '{id:long} grade {grade:int} ms {ms:int}'}]
        route:
          - {when: grade == 7, to: drop}
          - {when: grade == 6, to: [t, low]}
          - {when: grade < 3, to: [t, u]}
          - {when: grade < 8, to: t}
          - otherwise: dead
        flush: {rows: 30}
        """);
    close();
    workspace = Workspace.open(path);
  }

  @AfterEach
  void close() {
    if (workspace != null) {
      workspace.close();
      workspace = null;
    }
  }

  private void append(int from, int to) throws IOException {
    StringBuilder lines = new StringBuilder();
    for (int i = from; i < to; i++) {
      lines.append(i + " grade " + i % 10 + " ms " + i % 50 + "\n");
    }
    Path file = path.resolve("in/a.log");
    String before = Files.exists(file) ? Files.readString(file) : "";
    folder.write("in/a.log", before + lines);
  }

  private void run() throws InterruptedException {
    try (WorkspaceRun run = workspace.run(ONCE)) {
      run.await();
    }
  }

  private RebuildFacts built() throws InterruptedException {
    RebuildFacts begun = workspace.rebuilds().begin("p", From.OLDEST, false);
    workspace.rebuilds().catchUp(begun, ONCE, r -> {});
    return workspace.rebuilds().open("p").orElseThrow();
  }

  private List<List<Object>> rows(String store, String sql) {
    return workspace.query(store, sql).rows();
  }

  private long one(String store, String sql) {
    return ((Number) rows(store, sql).get(0).get(0)).longValue();
  }

  private static long graded(int upTo, int... grades) {
    return IntStream.range(0, upTo)
        .filter(i -> IntStream.of(grades).anyMatch(g -> i % 10 == g))
        .count();
  }

  /** Everything is once in the tables, with what the text of now makes of it. */
  private void requireAll(int records, int times) {
    assertThat(one("w", "select count(distinct id) from t"))
        .isEqualTo(graded(records, 0, 1, 2, 3, 4, 5, 6));
    assertThat(one("w", "select count(*) from t")).isEqualTo(graded(records, 0, 1, 2, 3, 4, 5, 6));
    assertThat(one("w", "select count(*) from t where ms <> " + times + " * (id % 50)")).isZero();
    assertThat(one("v", "select count(*) from u")).isEqualTo(graded(records, 0, 1, 2));
    Tally tally = workspace.tally("p");
    assertThat(tally.balanced()).isTrue();
    assertThat(tally.counts().taken()).isEqualTo(records);
    assertThat(tally.counts().loaded().get("t")).isEqualTo(graded(records, 0, 1, 2, 3, 4, 5, 6));
    assertThat(tally.counts().loaded().get("low")).isEqualTo(graded(records, 6));
    assertThat(tally.counts().allDead()).isEqualTo(graded(records, 8, 9));
    assertThat(tally.counts().dropped()).isEqualTo(graded(records, 7));
    assertThat(workspace.deadLetters("p")).hasSize((int) graded(records, 8, 9));
    assertThat(workspace.setbacks()).isEmpty();
    assertThat(workspace.books().prove(List.of("p")))
        .filteredOn(proof -> proof.verdict() == Proof.Verdict.DIFFERS)
        .isEmpty();
  }

  @Test
  void aChangedColumnIsBuiltBesideComparedAndPutInPlace() throws Exception {
    run();
    define("", "double", "double(ms) * 2.0");
    RebuildFacts built = built();
    assertThat(built.books().counts().loaded()).containsEntry("t", 70L).containsEntry("u", 30L);
    assertThat(built.others()).containsExactly("low");
    assertThat(one("w", "select count(*) from t where ms <> id % 50")).as("as before").isZero();

    List<TableComparison> compared = workspace.rebuilds().compare(built);
    TableComparison t = compared.get(0);
    assertThat(t.before()).isEqualTo(70);
    assertThat(t.retyped()).containsExactly("ms: int, now double");
    assertThat(t.onlyBefore()).isEqualTo(68).isEqualTo(t.onlyAfter());
    assertThat(t.values().get(0).column()).isEqualTo("ms");
    assertThat(t.examples()).hasSize(4);
    assertThat(t.same()).isFalse();
    assertThat(compared.get(1).same()).isTrue();

    workspace.rebuilds().swap(built, ONCE, r -> {});
    requireAll(100, 2);
    RebuildFacts swapped = workspace.rebuilds().all("p").get(0);
    String kept = swapped.tables().get(0).kept().orElseThrow();
    assertThat(one("w", "select count(*) from " + kept + " where ms = id % 50")).isEqualTo(70);
    append(100, 150);
    run();
    requireAll(150, 2);
    workspace.rebuilds().clear(swapped, ONCE);
    assertThat(rows("w", "select table_name from duckdb_tables() where schema_name = 'main'"))
        .hasSize(1);
    run();
    requireAll(150, 2);
  }

  @Test
  void whatIsGivenUpLeavesNothing() throws Exception {
    run();
    RebuildFacts built = built();
    assertThatThrownBy(() -> workspace.rebuilds().begin("p", From.OLDEST, false))
        .isInstanceOf(OutsideException.class)
        .hasMessageContaining("rebuild 1 of pipeline p is under way");
    workspace.rebuilds().discard(built, ONCE);
    requireAll(100, 1);
    assertThat(rows("w", "select table_name from duckdb_tables() where schema_name = 'main'"))
        .hasSize(1);
    assertThat(path.resolve(".wexrun/queues/rebuild/p-1")).doesNotExist();
    assertThat(workspace.rebuilds().open("p")).isEmpty();
    assertThat(workspace.pipelineNames()).containsExactly("feed", "p");
  }

  /** Everything up to one step of a swap is done, as if somebody had killed it there. */
  @ParameterizedTest
  @ValueSource(ints = {0, 1, 2, 3, 4})
  void aSwapThatWasKilledIsFinishedByTheNextRun(int steps) throws Exception {
    run();
    define("", "double", "double(ms) * 3.0");
    RebuildFacts built = built();
    close();
    swapInPart(built.number(), steps);
    append(100, 130);
    workspace = Workspace.open(path);
    if (steps % 2 == 0) {
      run();
    } else {
      workspace.rebuilds().swap(built, ONCE, r -> {});
      run();
    }
    requireAll(130, 3);
    assertThat(workspace.rebuilds().all("p").get(0).state()).isIn("mending", "swapped");
  }

  private void swapInPart(long number, int steps) throws IOException {
    Connectors connectors = new Connectors(path);
    WorkspaceDefinition definition =
        Scene.Read.of(path, connectors, Map.of()).completed(path, connectors).definition();
    try (WorkspaceState state = EmbeddedState.open(path.resolve(".wexrun"));
        WorkspaceSite site = new WorkspaceSite(path, definition, connectors);
        Stores stores = new Stores(site, definition, connectors)) {
      Map<String, Optional<Identity>> shadows = new LinkedHashMap<>();
      Rebuild rebuild = state.rebuilds().open("p").orElseThrow();
      List<String> in = List.of("w", "v");
      List<String> names = List.of("t", "u");
      for (int i = 0; i < 2; i++) {
        Store store = stores.open(in.get(i));
        shadows.put(
            names.get(i), store.standing("p", rebuild.shadow(names.get(i))).get().identity());
      }
      Rebuild swapping = state.rebuilds().swapping(number, Instant.now(), shadows);
      for (int i = 0; i < Math.min(2, steps); i++) {
        String name = names.get(i);
        ((Swapping) stores.open(in.get(i)))
            .swap(List.of(new Swapping.Exchange(name, swapping.shadow(name), swapping.kept(name))));
      }
      Path queues = path.resolve(".wexrun/queues");
      if (steps > 2) {
        Files.move(queues.resolve("dead/p"), queues.resolve(swapping.keptLetters()));
      }
      if (steps > 3) {
        Files.move(queues.resolve(swapping.letters()), queues.resolve("dead/p"));
      }
    }
  }

  @Test
  void rowsOfRecordsThatAreNotBuiltAgainAreTakenOver() throws Exception {
    define("origin: true,", "int", "ms");
    run();
    define("origin: true,", "int", "ms * 2");
    From from = new From(Optional.empty(), Map.of("q/0", 20L, "q/1", 30L));
    RebuildFacts begun = workspace.rebuilds().begin("p", from, false);
    workspace.rebuilds().swap(begun, ONCE, r -> {});
    assertThat(one("w", "select count(*) from t")).isEqualTo(70);
    long twice = one("w", "select count(*) from t where ms = 2 * (id % 50) and id % 50 > 0");
    long once = one("w", "select count(*) from t where ms = id % 50 and id % 50 > 0");
    assertThat(twice).isPositive();
    assertThat(once).isPositive();
    assertThat(twice + once).isEqualTo(68);
    Tally tally = workspace.tally("p");
    assertThat(tally.balanced()).isTrue();
    assertThat(tally.counts().taken()).isEqualTo(100);
    assertThat(tally.counts().loaded()).containsEntry("t", 70L).containsEntry("u", 30L);
    assertThat(tally.counts().allDead()).isEqualTo(20);
    assertThat(workspace.deadLetters("p")).hasSize(20);
    append(100, 120);
    run();
    assertThat(one("w", "select count(distinct id) from t")).isEqualTo(84);
    assertThat(workspace.tally("p").balanced()).isTrue();
  }

  @Test
  void withoutOriginOlderRowsAreLeftOutOnlyIfThatIsSaid() throws Exception {
    run();
    From from = new From(Optional.empty(), Map.of("q/0", 20L));
    assertThatThrownBy(() -> workspace.rebuilds().begin("p", from, false))
        .isInstanceOf(OutsideException.class)
        .hasMessageContaining("of q/0 what stands before position 20 is not built again")
        .hasMessageContaining("--leave-out-older");
    assertThatThrownBy(
            () ->
                workspace
                    .rebuilds()
                    .begin("p", new From(Optional.empty(), Map.of("other", 0L)), false))
        .hasMessageContaining("has not taken from other; it has from q/0, q/1");
    RebuildFacts begun = workspace.rebuilds().begin("p", from, true);
    workspace.rebuilds().swap(begun, ONCE, r -> {});
    Tally tally = workspace.tally("p");
    assertThat(tally.balanced()).isTrue();
    assertThat(tally.counts().taken()).isEqualTo(100);
    assertThat(tally.counts().loaded().get("t")).isLessThan(70).isGreaterThan(50);
    assertThat(one("w", "select count(*) from t")).isEqualTo(tally.counts().loaded().get("t"));
    assertThat(workspace.deadLetters("p")).as("letters are taken over").hasSize(20);
  }

  @Test
  void whatCannotBeBuiltAgainIsTold() throws Exception {
    assertThatThrownBy(() -> workspace.rebuilds().begin("p", From.OLDEST, false))
        .hasMessageContaining("has not taken anything yet");
    run();
    assertThatThrownBy(() -> workspace.rebuilds().begin("feed", From.OLDEST, false))
        .hasMessageContaining("loads no table of a store");
    RebuildFacts built = built();
    assertThatThrownBy(() -> workspace.replays().choose("p", DeadFilter.ALL))
        .hasMessageContaining("rebuild 1 of pipeline p is under way");
    workspace.rebuilds().discard(built, ONCE);
    folder.write(
        "pipelines/second.yaml",
        """
        pipeline: second
        intake: {files: 'in/*.log'}
        shape: [{template: '{id:long} {rest}'}]
        route: [{to: u}]
        """);
    close();
    workspace = Workspace.open(path);
    assertThatThrownBy(() -> workspace.rebuilds().begin("p", From.OLDEST, false))
        .hasMessageContaining("table u is loaded by second, too");
  }
}

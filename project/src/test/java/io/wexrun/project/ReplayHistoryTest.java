package io.wexrun.project;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.contract.Seeds;
import io.wexrun.core.dead.Reason;
import io.wexrun.core.run.RunOptions;
import io.wexrun.core.tally.Tally;
import io.wexrun.project.facts.DeadFilter;
import io.wexrun.project.facts.KeptLetter;
import io.wexrun.project.facts.RebuildFacts;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.SplittableRandom;
import java.util.TreeMap;
import java.util.function.Consumer;
import java.util.function.Predicate;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/**
 * Random histories of runs, changes of the pipeline, replays, letters given up and mended,
 * rebuilds, and a store that is put back from a backup; after each step books, table and dead
 * letters are those of a model.
 */
class ReplayHistoryTest {
  private static final String WORKSPACE =
      """
      workspace: histories
      stores: {w: {duckdb: w.db}}
      tables:
        t: {in: w, columns: {id: long, grade: int}}
        u: {in: w, columns: {id: long}}
      """;

  private enum Fate {
    NEW,
    LOADED,
    DEAD,
    DROPPED
  }

  /** A record as it should be. */
  private static final class Model {
    private int grade;
    private Fate fate = Fate.NEW;
    private int deaths;
    private int passes;
    private boolean given;
    private final int first;
    private Optional<Integer> mended = Optional.empty();

    Model(int grade) {
      this.grade = grade;
      this.first = grade;
    }

    /** It runs through a pipeline that takes grades below a limit, and drops one. */
    void meets(int limit, int dropped) {
      if (grade == dropped) {
        fate = Fate.DROPPED;
      } else if (grade < limit) {
        fate = Fate.LOADED;
      } else {
        fate = Fate.DEAD;
        deaths++;
      }
    }

    /** It runs as it came; what people had done is done again if it dies. */
    void isBuiltAgain(int limit, int dropped) {
      deaths = 0;
      passes = 0;
      grade = first;
      meets(limit, dropped);
      if (fate == Fate.DEAD && given) {
        fate = Fate.DROPPED;
      } else if (fate == Fate.DEAD && mended.isPresent()) {
        grade = mended.get();
        meets(limit, dropped);
        passes = fate == Fate.LOADED ? 1 : 0;
      }
    }
  }

  @TempDir private Path base;

  @Test
  void booksAndTablesAreThoseOfTheModelWhateverIsDone() {
    Seeds.each(2, this::live);
  }

  private final class World implements AutoCloseable {
    private final SplittableRandom dice;
    private final Folder folder;
    private final Map<Integer, Model> models = new TreeMap<>();
    private int limit = 4;
    private int dropped = 9;
    private Workspace workspace;

    World(long seed) throws IOException {
      dice = new SplittableRandom(seed);
      Path path = Files.createTempDirectory(base, "w");
      folder = new Folder(path).write("wexrun.yaml", WORKSPACE);
      folder.write("in/a.log", "");
      define();
    }

    void define() {
      folder.write(
          "pipelines/p.yaml",
          """
          pipeline: p
          intake: {files: 'in/*.log'}
          shape: [{template: '{id:long} grade {grade:int}'}]
          route:
            - {when: grade == %d, to: drop}
            - {when: grade == 1 && grade < %d, to: [t, u]}
            - {when: grade < %d, to: t}
            - otherwise: dead
          flush: {rows: %d}
          """
              .formatted(dropped, limit, limit, 20 + dice.nextInt(50)));
      close();
      workspace = Workspace.open(folder.path());
    }

    @Override
    public void close() {
      if (workspace != null) {
        workspace.close();
        workspace = null;
      }
    }

    void append() throws IOException {
      StringBuilder lines = new StringBuilder();
      for (int i = dice.nextInt(60); i > 0; i--) {
        int grade = dice.nextInt(8);
        lines.append(models.size()).append(" grade ").append(grade).append('\n');
        models.put(models.size(), new Model(grade));
      }
      Path file = folder.path().resolve("in/" + (dice.nextBoolean() ? "a" : "b") + ".log");
      String before = Files.exists(file) ? Files.readString(file) : "";
      Files.writeString(file, before + lines);
    }

    void run() throws InterruptedException {
      try (WorkspaceRun run = workspace.run(RunOptions.untilDrained(true))) {
        run.await();
      }
      each(Fate.NEW, model -> model.meets(limit, dropped));
    }

    private void each(Fate fate, Consumer<Model> then) {
      models.values().stream().filter(m -> m.fate == fate).toList().forEach(then);
    }

    /** A filter and the grades of those that it wants; all of them without. */
    private DeadFilter filter(Optional<Integer> grade) {
      DeadFilter all = DeadFilter.ALL;
      return grade
          .map(
              g ->
                  new DeadFilter(
                      Optional.of(Reason.UNKNOWN_KIND),
                      all.step(),
                      all.field(),
                      all.source(),
                      Optional.of("grade " + g),
                      all.since(),
                      all.until(),
                      Set.of()))
          .orElse(all);
    }

    void replay(boolean drops) throws InterruptedException {
      Optional<Integer> grade =
          dice.nextInt(3) == 0 ? Optional.empty() : Optional.of(dice.nextInt(8));
      if (drops) {
        workspace.replays().giveUp("p", filter(grade), "a test");
      } else {
        workspace.replays().choose("p", filter(grade));
      }
      workspace.replays().run("p", RunOptions.untilDrained(true), replays -> {});
      each(
          Fate.DEAD,
          model -> {
            if (grade.isPresent() && grade.get() != model.grade) {
              return;
            }
            if (drops) {
              model.fate = Fate.DROPPED;
              model.given = true;
            } else {
              model.meets(limit, dropped);
              model.passes += model.fate == Fate.LOADED ? 1 : 0;
            }
          });
    }

    void mend() throws InterruptedException {
      List<KeptLetter> letters = letters();
      if (letters.isEmpty()) {
        return;
      }
      Map<KeptLetter.Place, byte[]> mended = new HashMap<>();
      for (int i = dice.nextInt(4); i >= 0; i--) {
        KeptLetter letter = letters.get(dice.nextInt(letters.size()));
        int id = id(letter);
        Model model = models.get(id);
        if (mended.containsKey(letter.place())) {
          continue;
        }
        model.grade = dice.nextInt(8);
        model.mended = Optional.of(model.grade);
        byte[] raw = (id + " grade " + model.grade).getBytes(StandardCharsets.UTF_8);
        mended.put(letter.place(), raw);
        model.meets(limit, dropped);
        model.passes += model.fate == Fate.LOADED ? 1 : 0;
      }
      workspace.replays().mend("p", mended);
      workspace.replays().run("p", RunOptions.untilDrained(true), replays -> {});
    }

    /** The store is put back from before some steps, and what it lacks is taken again. */
    void putBack(List<Runnable> meanwhile) throws IOException, InterruptedException {
      close();
      Path db = folder.path().resolve("w.db");
      Path backup = folder.path().resolve("backup.db");
      if (!Files.exists(db)) {
        workspace = Workspace.open(folder.path());
        return;
      }
      Files.copy(db, backup, StandardCopyOption.REPLACE_EXISTING);
      workspace = Workspace.open(folder.path());
      meanwhile.forEach(Runnable::run);
      close();
      Files.copy(backup, db, StandardCopyOption.REPLACE_EXISTING);
      workspace = Workspace.open(folder.path());
      if (!workspace.setbacks().isEmpty()) {
        workspace.reconciliation("p").takeAgain();
      }
      run();
    }

    /** What ran before is run again, as it came, into other tables, which take their places. */
    void rebuild() throws InterruptedException {
      if (workspace.books().bySource("p").isEmpty()) {
        return;
      }
      WorkspaceRebuilds rebuilds = workspace.rebuilds();
      RebuildFacts begun = rebuilds.begin("p", WorkspaceRebuilds.From.OLDEST, false);
      RunOptions options = RunOptions.untilDrained(true);
      if (dice.nextBoolean()) {
        rebuilds.catchUp(begun, options, r -> {});
      }
      if (dice.nextInt(4) == 0) {
        rebuilds.discard(begun, options);
        return;
      }
      rebuilds.swap(begun, options, r -> {});
      models.values().stream()
          .filter(model -> model.fate != Fate.NEW)
          .forEach(model -> model.isBuiltAgain(limit, dropped));
      if (dice.nextBoolean()) {
        rebuilds.clear(begun, options);
      }
    }

    private List<KeptLetter> letters() {
      List<KeptLetter> letters = new ArrayList<>();
      workspace.dead().read("p", DeadFilter.ALL, letters::add);
      return letters;
    }

    private int id(KeptLetter letter) {
      return Integer.parseInt(letter.letter().text().replaceFirst(" .*", ""));
    }

    void check() {
      Map<Fate, Long> fates = new HashMap<>();
      models.values().forEach(model -> fates.merge(model.fate, 1L, Long::sum));
      Tally tally = workspace.tally("p");
      long taken = models.size() - fates.getOrDefault(Fate.NEW, 0L);
      assertThat(tally.counts().taken()).isEqualTo(taken);
      assertThat(tally.counts().allDead()).isEqualTo(fates.getOrDefault(Fate.DEAD, 0L));
      assertThat(tally.counts().dropped()).isEqualTo(fates.getOrDefault(Fate.DROPPED, 0L));
      assertThat(tally.counts().loaded().getOrDefault("t", 0L))
          .isEqualTo(fates.getOrDefault(Fate.LOADED, 0L));
      assertThat(tally.revived())
          .isEqualTo(models.values().stream().mapToLong(m -> m.passes).sum());
      assertThat(tally.balanced()).isTrue();
      assertThat(ids("t")).isEqualTo(ids(model -> model.fate == Fate.LOADED));
      assertThat(ids("u")).isEqualTo(ids(model -> model.fate == Fate.LOADED && model.grade == 1));
      Map<Long, Long> dead = new TreeMap<>();
      letters().forEach(letter -> dead.put((long) id(letter), letter.letter().life().deaths()));
      Map<Long, Long> expected = new TreeMap<>();
      models.forEach(
          (id, model) -> {
            if (model.fate == Fate.DEAD) {
              expected.put((long) id, (long) model.deaths);
            }
          });
      assertThat(dead).isEqualTo(expected);
      assertThat(letters()).hasSize(expected.size());
    }

    private List<Long> ids(Predicate<Model> which) {
      return models.entrySet().stream()
          .filter(e -> which.test(e.getValue()))
          .map(e -> (long) e.getKey())
          .toList();
    }

    private List<Long> ids(String table) {
      if (!Files.exists(folder.path().resolve("w.db"))) {
        return List.of();
      }
      return workspace.query("w", "select id from " + table + " order by id").rows().stream()
          .map(row -> Long.parseLong(String.valueOf(row.get(0))))
          .toList();
    }
  }

  private void live(long seed) throws Exception {
    try (World world = new World(seed)) {
      world.append();
      world.run();
      world.check();
      for (int i = 0; i < 20; i++) {
        step(world, world.dice.nextInt(9));
        world.check();
      }
    }
  }

  private void step(World world, int which) throws Exception {
    switch (which) {
      case 0, 1 -> {
        world.append();
        world.run();
      }
      case 2 -> {
        world.limit = world.dice.nextInt(9);
        world.dropped = 4 + world.dice.nextInt(6);
        world.define();
      }
      case 3, 4 -> world.replay(false);
      case 5 -> world.replay(true);
      case 6 -> world.mend();
      case 8 -> world.rebuild();
      default -> {
        List<Runnable> some = new ArrayList<>();
        for (int i = world.dice.nextInt(4); i > 0; i--) {
          int next = world.dice.nextInt(7);
          some.add(
              () -> {
                try {
                  step(world, next);
                } catch (Exception e) {
                  throw new IllegalStateException(e);
                }
              });
        }
        world.putBack(some);
      }
    }
  }
}

package io.wexrun.project;

import io.wexrun.core.diagnose.Counted;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.identity.Identity;
import io.wexrun.core.intake.Intake;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.OriginColumns;
import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.run.Lanes;
import io.wexrun.core.run.RunListener;
import io.wexrun.core.run.RunOptions;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.shape.Shaper;
import io.wexrun.core.tally.Counts;
import io.wexrun.core.tally.ReplaySource;
import io.wexrun.core.tally.SourceTally;
import io.wexrun.core.tally.Tally;
import io.wexrun.project.ask.Question;
import io.wexrun.project.dead.HandledLetters;
import io.wexrun.project.facts.DeadFilter;
import io.wexrun.project.facts.KeptLetter;
import io.wexrun.project.facts.RebuildFacts;
import io.wexrun.project.facts.TableComparison;
import io.wexrun.project.open.Connectors;
import io.wexrun.project.open.WorkspaceSite;
import io.wexrun.project.run.Compiling;
import io.wexrun.project.run.Rebuilding;
import io.wexrun.project.run.Replaying;
import io.wexrun.queue.Queue;
import io.wexrun.queue.ends.Queues;
import io.wexrun.state.Rebuilds.Origin;
import io.wexrun.state.Rebuilds.Phase;
import io.wexrun.state.Rebuilds.Rebuild;
import io.wexrun.state.WorkspaceState;
import java.nio.charset.StandardCharsets;
import java.time.Instant;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalDouble;
import java.util.OptionalLong;
import java.util.Set;
import java.util.TreeMap;
import java.util.function.Consumer;
import java.util.function.Function;
import java.util.stream.Collectors;

/**
 * Rebuilds of pipelines: a pipeline runs again, as its files say it now, over what its source still
 * has, into tables beside those that it loads, while it goes on. Then the tables can be compared,
 * and put in the places of the others. For several threads.
 */
public final class WorkspaceRebuilds {
  /** The longest name that every database takes whole, in bytes. */
  private static final int LONGEST = 63;

  private static final int LONGEST_ENDING = "_until_20261201_000000".length();

  private final Workspace workspace;
  private final WorkspaceSite site;
  private final Scene scene;
  private final Connectors connectors;
  private final Function<String, Shaper> shapers;

  /**
   * Rebuilds of a workspace.
   *
   * @param shapers compiles a pipeline
   */
  WorkspaceRebuilds(
      Workspace workspace,
      WorkspaceSite site,
      Scene scene,
      Connectors connectors,
      Function<String, Shaper> shapers) {
    this.workspace = workspace;
    this.site = site;
    this.scene = scene;
    this.connectors = connectors;
    this.shapers = shapers;
  }

  /**
   * Where a rebuild begins.
   *
   * @param time what came to the source before it is not built again; empty for no such limit
   * @param positions where it begins in source partitions, by their names; the others begin at what
   *     their source still has
   */
  public record From(Optional<Instant> time, Map<String, Long> positions) {
    /** At the oldest record that the source still has. */
    public static final From OLDEST = new From(Optional.empty(), Map.of());
  }

  /** Fails if a pipeline has a rebuild that is open. */
  static void requireNone(String pipeline, Optional<WorkspaceState> state) {
    Optional<Rebuild> open = state.flatMap(known -> known.rebuilds().open(pipeline));
    if (open.isPresent()) {
      throw OutsideException.lasting(
          "rebuild "
              + open.get().number()
              + " of pipeline "
              + pipeline
              + " is under way, and would not know of it: put its tables in place first ('wexrun"
              + " rebuild "
              + pipeline
              + " --swap'), or give it up (--discard)");
    }
  }

  /** All rebuilds of a pipeline, in order. Makes nothing. */
  public List<RebuildFacts> all(String pipeline) {
    return site.stateIfAny()
        .map(state -> state.rebuilds().all(pipeline).stream().map(this::facts).toList())
        .orElse(List.of());
  }

  /** The rebuild of a pipeline that can be gone on with. */
  public Optional<RebuildFacts> open(String pipeline) {
    return all(pipeline).stream().filter(RebuildFacts::isOpen).findFirst();
  }

  private RebuildFacts facts(Rebuild rebuild) {
    WorkspaceState state = site.state();
    List<RebuildFacts.Shadow> tables = new ArrayList<>();
    for (String name : rebuild.tables().keySet()) {
      Table table = scene.definition().tables().get(name);
      tables.add(
          new RebuildFacts.Shadow(
              name,
              table == null ? "" : table.store(),
              rebuild.shadow(name),
              rebuild.swapped().map(time -> rebuild.kept(name))));
    }
    Tally live = state.tally().tally(rebuild.pipeline());
    List<String> others = new ArrayList<>(live.counts().loaded().keySet());
    others.removeAll(rebuild.tables().keySet());
    boolean runs = rebuild.phase() == Phase.RUNNING || rebuild.phase() == Phase.SWAPPING;
    Map<String, Long> from = new TreeMap<>();
    rebuild.from().forEach((source, position) -> from.put(source.name(), position));
    from.values().removeIf(position -> position == 0);
    return new RebuildFacts(
        rebuild.number(),
        rebuild.pipeline(),
        rebuild.phase().name().toLowerCase(Locale.ROOT),
        rebuild.by(),
        rebuild.begun(),
        rebuild.swapped(),
        tables,
        others,
        from,
        rebuild.phase().isOpen() ? Rebuilding.left(state, rebuild).size() : 0,
        runs
            ? Rebuilding.tally(state, rebuild).tally(rebuild.pipeline())
            : new Tally(rebuild.pipeline(), Counts.NONE, 0, 0),
        rebuild.letters());
  }

  /** Which share of what an open rebuild has to take it has taken; empty if none is open. */
  public OptionalDouble share(String pipeline) {
    Optional<Rebuild> open = site.stateIfAny().flatMap(state -> state.rebuilds().open(pipeline));
    if (open.isEmpty()) {
      return OptionalDouble.empty();
    }
    Map<SourcePartition, Long> built =
        Rebuilding.tally(site.state(), open.get()).positions(pipeline);
    double all = 0;
    double done = 0;
    for (Map.Entry<SourcePartition, Long> each : live(pipeline).entrySet()) {
      long from = open.get().from().getOrDefault(each.getKey(), 0L);
      all += Math.max(0, each.getValue() - from);
      done += Math.max(0, built.getOrDefault(each.getKey(), from) - from);
    }
    return OptionalDouble.of(all == 0 ? 1 : Math.min(1, done / all));
  }

  private Map<SourcePartition, Long> live(String pipeline) {
    Map<SourcePartition, Long> live = new TreeMap<>(site.state().tally().positions(pipeline));
    live.keySet().removeIf(ReplaySource::is);
    return live;
  }

  /**
   * Begins a rebuild; {@link #catchUp} runs it. Nothing that is there is touched.
   *
   * @param leaveOut whether rows of records that are not built again may be left out, where they
   *     cannot be taken over
   * @throws OutsideException if it cannot be, and why
   * @throws io.wexrun.core.diagnose.MistakesException if the workspace has mistakes
   * @throws IllegalArgumentException if there is no pipeline of that name
   */
  public RebuildFacts begin(String pipeline, From from, boolean leaveOut) {
    Shaper shaper = shapers.apply(pipeline);
    Pipeline known = scene.definition().pipeline(pipeline).orElseThrow();
    WorkspaceState state = site.state();
    requireNone(pipeline, Optional.of(state));
    requireQuiet(pipeline, state);
    Map<String, Optional<Identity>> tables = new LinkedHashMap<>();
    for (String target : shaper.targets()) {
      Table table = scene.definition().tables().get(target);
      if (table != null && scene.ends().swaps(table)) {
        requireOwn(known, table);
        tables.put(target, Optional.empty());
      }
    }
    if (tables.isEmpty()) {
      throw OutsideException.lasting(
          "pipeline "
              + pipeline
              + " loads no table of a store that can put one table in the place of another: DuckDB"
              + " and PostgreSQL stores can. What it writes elsewhere can be written anew by a"
              + " pipeline of another name with other targets");
    }
    Map<SourcePartition, Long> start = new Starts(known, from).all();
    if (!leaveOut) {
      requireTakenOver(pipeline, tables.keySet(), start);
    }
    Compiling.Compiled compiled = scene.compilation().compiling().now(known);
    compiled.references().keep();
    String version =
        state
            .texts()
            .keep(Rebuild.books(pipeline), Replaying.text(known, scene.compilation().compiling()))
            .version();
    Rebuild begun =
        state
            .rebuilds()
            .begin(
                new Rebuild(
                    0,
                    pipeline,
                    version,
                    System.getProperty("user.name", "?"),
                    Instant.now(),
                    Phase.PREPARING,
                    Optional.empty(),
                    tables,
                    start,
                    leaveOut));
    workspace
        .history()
        .note(
            "rebuild",
            pipeline,
            "rebuild " + begun.number() + " of " + String.join(", ", tables.keySet()));
    return facts(begun);
  }

  private void requireQuiet(String pipeline, WorkspaceState state) {
    if (live(pipeline).isEmpty()) {
      throw OutsideException.lasting(
          "pipeline " + pipeline + " has not taken anything yet: there is nothing to build again");
    }
    if (state.replays().all(pipeline).stream().anyMatch(each -> each.ended().isEmpty())) {
      throw OutsideException.lasting(
          "a replay of pipeline "
              + pipeline
              + " has not ended: go on with it first ('wexrun replay "
              + pipeline
              + "')");
    }
    if (!state.corrections().retakes(pipeline).isEmpty()) {
      throw OutsideException.lasting(
          "pipeline " + pipeline + " has something to take again: run it first");
    }
  }

  private void requireOwn(Pipeline pipeline, Table table) {
    List<String> others =
        scene.definition().pipelines().stream()
            .map(Pipeline::name)
            .filter(name -> !name.equals(pipeline.name()))
            .filter(name -> shapers.apply(name).targets().contains(table.name()))
            .toList();
    if (!others.isEmpty()) {
      throw OutsideException.lasting(
          "table "
              + table.name()
              + " is loaded by "
              + String.join(", ", others)
              + ", too, whose rows would not be in what is built: give "
              + pipeline.name()
              + " a table of its own first");
    }
    if (table.manage() == Table.Manage.NEVER) {
      throw OutsideException.lasting(
          "table "
              + table.name()
              + " has 'manage: never': others make it, and what they made with it (indexes,"
              + " constraints) would not be there any more");
    }
    if (table.name().getBytes(StandardCharsets.UTF_8).length + LONGEST_ENDING > LONGEST) {
      throw OutsideException.lasting(
          "the name of table "
              + table.name()
              + " is too long: the one of before would be kept with the time behind its name, and"
              + " no database takes names of more than "
              + LONGEST
              + " bytes");
    }
  }

  /** Rows of records that are not built again are taken over, or somebody has to say otherwise. */
  private void requireTakenOver(
      String pipeline, Iterable<String> tables, Map<SourcePartition, Long> start) {
    Map<SourcePartition, SourceTally> books = site.state().tally().bySource(pipeline);
    List<SourcePartition> older =
        start.keySet().stream()
            .filter(source -> isOlder(books.get(source), start.get(source)))
            .toList();
    if (older.isEmpty()) {
      return;
    }
    for (String name : tables) {
      Table table = scene.definition().tables().get(name);
      Optional<Schema> there =
          WorkspaceTables.live(site.folder(), scene.definition(), connectors, table.store(), name);
      boolean origin = there.map(s -> s.find(OriginColumns.SOURCE).isPresent()).orElse(true);
      if (!origin || !OriginColumns.in(table)) {
        throw OutsideException.lasting(
            "the source does not have everything any more, or is not to be taken from its start: of"
                + " "
                + older.get(0)
                + " what stands before position "
                + start.get(older.get(0))
                + " is not built again"
                + (older.size() == 1
                    ? ""
                    : ", and of " + Counted.of(older.size() - 1L, "more source"))
                + ". Rows of such records are taken over as they are if their table has 'origin:"
                + " true', which "
                + name
                + " does not: with --leave-out-older they are not in the new table (and stay in the"
                + " one of before)");
      }
    }
  }

  private static boolean isOlder(SourceTally books, long start) {
    return books != null && books.counts().taken() > 0 && start > books.began().orElse(0);
  }

  /** Where a rebuild begins in each source partition. */
  private final class Starts {
    private final Pipeline pipeline;
    private final From from;

    Starts(Pipeline pipeline, From from) {
      this.pipeline = pipeline;
      this.from = from;
    }

    /** Of all that the pipeline has taken from; what is gone begins where it ends. */
    Map<SourcePartition, Long> all() {
      Map<SourcePartition, Long> live = live(pipeline.name());
      requireKnown(live);
      Map<SourcePartition, SourceTally> books = site.state().tally().bySource(pipeline.name());
      Map<SourcePartition, Long> all = new TreeMap<>(live);
      try (Intake intake =
          scene.ends().again(pipeline, site.state().tally().sources(pipeline.name()))) {
        intake.look().stream()
            .filter(source -> live.containsKey(source.partition()))
            .forEach(
                source -> {
                  OptionalLong began = books.get(source.partition()).began();
                  long oldest = Math.max(0, oldest(source.start(), began));
                  long start = Math.max(oldest, chosen(intake, source.partition()));
                  all.put(source.partition(), Math.min(start, live.get(source.partition())));
                });
      }
      return all;
    }

    /** An intake that begins with what is new says where it would begin now. */
    private long oldest(long start, OptionalLong began) {
      boolean newest = pipeline.intake().text("start").filter("newest"::equals).isPresent();
      return newest ? began.orElse(start) : Math.max(start, began.orElse(0));
    }

    private long chosen(Intake intake, SourcePartition source) {
      Long position = from.positions().get(source.name());
      if (position != null) {
        return position;
      }
      return from.time()
          .map(
              time ->
                  intake
                      .since(source, time)
                      .orElseThrow(
                          () ->
                              OutsideException.lasting(
                                  "the intake of pipeline "
                                      + pipeline.name()
                                      + " cannot tell what came when: begin at positions, as"
                                      + " SOURCE@POSITION, or leave --from out")))
          .orElse(0L);
    }

    private void requireKnown(Map<SourcePartition, Long> live) {
      for (String name : from.positions().keySet()) {
        if (!live.containsKey(new SourcePartition(name))) {
          throw OutsideException.lasting(
              "pipeline "
                  + pipeline.name()
                  + " has not taken from "
                  + name
                  + "; it has from "
                  + live.keySet().stream()
                      .limit(5)
                      .map(SourcePartition::name)
                      .collect(Collectors.joining(", "))
                  + (live.size() > 5 ? ", and others" : ""));
        }
      }
    }
  }

  /**
   * Runs a rebuild until it has got as far as its pipeline, and waits for it: by a run of this
   * workspace, if one goes on in whatever process; else in this one.
   *
   * @param options how, if it is done in this process
   * @param watch is called now and then
   * @throws OutsideException if the world outside failed; what is done stays done
   * @throws InterruptedException if this thread was interrupted
   */
  public void catchUp(RebuildFacts rebuild, RunOptions options, Consumer<WorkspaceRebuilds> watch)
      throws InterruptedException {
    act(rebuild, Rebuilder.Act.CATCH_UP, options, watch);
  }

  /**
   * Runs it until then, and puts its tables in their places while the pipeline stands still: in
   * each store all at once, with the books and dead letters. Those of before are kept under another
   * name. If it is killed, it is finished by the next call, or when the pipeline is run.
   *
   * <p>Letters that somebody had mended or given up and that have died again are mended and given
   * up again.
   */
  public void swap(RebuildFacts rebuild, RunOptions options, Consumer<WorkspaceRebuilds> watch)
      throws InterruptedException {
    if (!rebuild.state().equals("mending")) {
      workspace
          .history()
          .note("rebuild", rebuild.pipeline(), "swap of rebuild " + rebuild.number());
      act(rebuild, Rebuilder.Act.SWAP, options, watch);
    }
    mend(rebuild.number(), rebuild.pipeline(), options);
  }

  private void mend(long number, String pipeline, RunOptions options) throws InterruptedException {
    Rebuild rebuild = one(pipeline, number);
    Queues queues = Queues.of(site);
    Map<Origin, Optional<byte[]>> since =
        handled(pipeline, queues.openToRead(rebuild.keptLetters()));
    Map<Origin, Optional<byte[]>> all = new HashMap<>(site.state().rebuilds().handled(pipeline));
    all.putAll(since);
    Optional<Queue> letters = queues.openToRead("dead/" + pipeline);
    if (letters.isPresent() && !all.isEmpty()) {
      Map<KeptLetter.Place, byte[]> again = new HashMap<>();
      Set<KeptLetter.Place> giveUp = new HashSet<>();
      try (Queue now = letters.get()) {
        HandledLetters.find(all, pipeline, now, site.state(), again, giveUp);
      }
      WorkspaceReplays replays = workspace.replays();
      if (!again.isEmpty()) {
        replays.mend(pipeline, again);
      }
      if (!giveUp.isEmpty()) {
        replays.giveUp(pipeline, DeadFilter.at(giveUp), "as before rebuild " + rebuild.number());
      }
      replays.run(pipeline, options, none -> {});
    }
    site.state().rebuilds().mended(number, since);
  }

  private Map<Origin, Optional<byte[]>> handled(String pipeline, Optional<Queue> queue) {
    if (queue.isEmpty()) {
      return Map.of();
    }
    try (Queue kept = queue.get()) {
      return HandledLetters.of(pipeline, kept, site.state());
    }
  }

  private Rebuild one(String pipeline, long number) {
    return site.state().rebuilds().all(pipeline).stream()
        .filter(each -> each.number() == number)
        .findFirst()
        .orElseThrow();
  }

  /** Gives a rebuild up, and drops what was built. */
  public void discard(RebuildFacts rebuild, RunOptions options) throws InterruptedException {
    act(rebuild, Rebuilder.Act.DISCARD, options, none -> {});
    workspace
        .history()
        .note("rebuild", rebuild.pipeline(), "rebuild " + rebuild.number() + " was given up");
  }

  /** Drops the tables of before a swap, and their dead letters. */
  public void clear(RebuildFacts rebuild, RunOptions options) throws InterruptedException {
    act(rebuild, Rebuilder.Act.CLEAR, options, none -> {});
    workspace
        .history()
        .note(
            "rebuild",
            rebuild.pipeline(),
            "the tables of before rebuild " + rebuild.number() + " were dropped");
  }

  private void act(
      RebuildFacts rebuild,
      Rebuilder.Act act,
      RunOptions options,
      Consumer<WorkspaceRebuilds> watch)
      throws InterruptedException {
    String question = rebuild.number() + "\n" + act;
    boolean[] done = new boolean[1];
    new Handing(
            site.data(),
            who ->
                new Question(
                    Question.Kind.REBUILD, String.join("\n", rebuild.pipeline(), who, question)),
            () -> watch.accept(this))
        .toTheEnd(
            () -> !done[0],
            () -> new OutsideException("the run has another text of " + rebuild.pipeline()),
            () -> {
              here(rebuild, act, options);
              done[0] = true;
            });
  }

  private void here(RebuildFacts rebuild, Rebuilder.Act act, RunOptions options)
      throws InterruptedException {
    Rebuild known = one(rebuild.pipeline(), rebuild.number());
    try (Lanes lanes = Lanes.of(options);
        Rebuilder rebuilder =
            new Rebuilder(
                () -> scene,
                site.state(),
                lanes,
                options,
                RunListener.NONE,
                name -> false,
                (name, stopped, work) -> work.work())) {
      rebuilder.run(known, act);
    }
  }

  /**
   * Compares the tables of a rebuild with those that they are built for, or were.
   *
   * @throws OutsideException if a store cannot be asked, or a table is not there any more
   */
  public List<TableComparison> compare(RebuildFacts facts) {
    WorkspaceState state = site.state();
    Rebuild rebuild = one(facts.pipeline(), facts.number());
    boolean open = rebuild.phase().isOpen();
    Map<SourcePartition, Long> reached =
        open ? Rebuilding.tally(state, rebuild).positions(rebuild.pipeline()) : Map.of();
    boolean behind = open && !Rebuilding.left(state, rebuild).isEmpty();
    List<TableComparison> all = new ArrayList<>();
    for (RebuildFacts.Shadow each : facts.tables()) {
      Table table = Optional.ofNullable(scene.definition().tables().get(each.name())).orElseThrow();
      String before = open ? each.name() : each.kept().orElseThrow();
      String after = open ? each.shadow() : each.name();
      all.add(
          new RebuildComparison(sql -> workspace.query(each.store(), sql), table, before, after)
              .compare(columns(table, before), columns(table, after), reached, behind));
    }
    return all;
  }

  private Schema columns(Table table, String name) {
    return WorkspaceTables.live(site.folder(), scene.definition(), connectors, table.store(), name)
        .orElseThrow(
            () ->
                new OutsideException(
                    "there is no table " + name + " in " + table.store() + " to compare"));
  }
}

package io.wexrun.project;

import io.wexrun.core.connect.Refusals;
import io.wexrun.core.dead.DeadLetter;
import io.wexrun.core.diagnose.Diagnostic;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.diagnose.MistakesException;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.diagnose.Severity;
import io.wexrun.core.intake.Choice;
import io.wexrun.core.look.Look;
import io.wexrun.core.path.PathFields;
import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.core.run.RunListener;
import io.wexrun.core.run.RunOptions;
import io.wexrun.core.run.Setback;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.shape.BlockTrial;
import io.wexrun.core.shape.RecordTrial;
import io.wexrun.core.shape.Shaper;
import io.wexrun.core.tally.Counts;
import io.wexrun.core.tally.Tally;
import io.wexrun.core.target.Answer;
import io.wexrun.core.target.Comparing;
import io.wexrun.core.target.QueryBounds;
import io.wexrun.core.target.Querying;
import io.wexrun.project.ask.AskedRun;
import io.wexrun.project.ask.Asking;
import io.wexrun.project.ask.Question;
import io.wexrun.project.check.TryOut;
import io.wexrun.project.definition.WorkspaceDefinition;
import io.wexrun.project.draft.CaseFile;
import io.wexrun.project.facts.DeadFilter;
import io.wexrun.project.facts.FileDifference;
import io.wexrun.project.facts.Finding;
import io.wexrun.project.facts.PlannedFile;
import io.wexrun.project.open.Connectors;
import io.wexrun.project.open.Ends;
import io.wexrun.project.open.Snapshot;
import io.wexrun.project.open.Stores;
import io.wexrun.project.open.WorkspaceSite;
import io.wexrun.project.read.DefinitionPlaces;
import io.wexrun.project.read.DefinitionText;
import io.wexrun.project.read.WorkspaceReader;
import io.wexrun.project.run.Adoption;
import io.wexrun.project.run.Compiling;
import io.wexrun.project.run.Feeding;
import io.wexrun.project.run.KeptReferences;
import io.wexrun.project.run.Member;
import io.wexrun.project.run.Setbacks;
import io.wexrun.queue.ends.Queues;
import io.wexrun.state.WorkspaceState;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.util.ArrayList;
import java.util.Collections;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeMap;
import java.util.function.Predicate;
import java.util.stream.Stream;

/**
 * A workspace: a folder with its stores, queues, tables and pipelines, and the state in {@code
 * .wexrun/}. Everything that the command does, it does through this class.
 *
 * <pre>{@code
 * try (Workspace workspace = Workspace.open(Path.of("tram-demo"))) {
 *   try (WorkspaceRun run = workspace.run(RunOptions.untilDrained(true))) {
 *     run.await();
 *   }
 *   System.out.println(workspace.tally("gate-load"));
 * }
 * }</pre>
 *
 * <p>Opening a workspace opens nothing else: queues, stores and state are opened when they are
 * first used, and closed with the workspace. For several threads.
 */
public final class Workspace implements AutoCloseable {
  /** What other processes may ask of a store while pipelines load into it. */
  private static final QueryBounds WHILE_RUNNING =
      new QueryBounds(Duration.ofSeconds(60), 100_000, 32L << 20);

  private final Path folder;
  private final Optional<Map<String, String>> parameters;
  private final Connectors connectors;
  private final WorkspaceSite site;
  private final Stores stores;
  private volatile Scene now;

  /**
   * A workspace.
   *
   * @param parameters with which its files were read; empty if it was made in Java
   */
  private Workspace(
      Path folder,
      Scene.Read read,
      Connectors connectors,
      Optional<Map<String, String>> parameters) {
    this.folder = folder;
    this.connectors = connectors;
    this.parameters = parameters;
    Scene.Read whole = read.completed(folder, connectors);
    this.site = new WorkspaceSite(folder, whole.definition(), connectors);
    this.stores = new Stores(site, whole.definition(), connectors);
    this.now = Scene.of(whole, site, stores, connectors);
  }

  /** The nearest folder with a {@code wexrun.yaml}, from {@code start} upwards. */
  public static Optional<Path> find(Path start) {
    for (Path at = start.toAbsolutePath().normalize(); at != null; at = at.getParent()) {
      if (Files.isRegularFile(at.resolve(WorkspaceReader.FILE))) {
        return Optional.of(at);
      }
    }
    return Optional.empty();
  }

  /**
   * Reads the files of a workspace. Mistakes in them are told by {@link #check}, and stop a run.
   *
   * @throws OutsideException if there is no {@code wexrun.yaml} in the folder, or it cannot be read
   */
  public static Workspace open(Path folder) {
    return open(folder, Map.of());
  }

  /**
   * Like {@link #open(Path)}, with values for the pipelines' parameters.
   *
   * @param parameters values by the parameters' names; a parameter that no pipeline has is a
   *     mistake
   */
  public static Workspace open(Path folder, Map<String, String> parameters) {
    Path whole = folder.toAbsolutePath().normalize();
    if (!Files.isRegularFile(whole.resolve(WorkspaceReader.FILE))) {
      throw new OutsideException(
          "there is no workspace in " + whole + ": it has no " + WorkspaceReader.FILE);
    }
    Connectors connectors = new Connectors(whole);
    Map<String, String> kept = Map.copyOf(parameters);
    return new Workspace(
        whole, Scene.Read.of(whole, connectors, kept), connectors, Optional.of(kept));
  }

  /** Begins a workspace that is defined in Java; the folder holds its state, and is made. */
  public static WorkspaceBuilder in(Path folder) {
    return new WorkspaceBuilder(folder);
  }

  /** A workspace of a definition made in Java. */
  static Workspace of(Path folder, WorkspaceDefinition definition) {
    return new Workspace(
        folder,
        new Scene.Read(definition, new DefinitionPlaces(), List.of()),
        new Connectors(folder),
        Optional.empty());
  }

  /** The folder. */
  public Path folder() {
    return folder;
  }

  /** The folder of its state; it need not be there yet. */
  public Path data() {
    return site.data();
  }

  /** What the workspace consists of. */
  public WorkspaceDefinition definition() {
    return now.definition();
  }

  /** Everything that is wrong or doubtful, as far as it can be known before a run. */
  public List<Diagnostic> check() {
    Diagnostics diagnostics = Diagnostics.of("workspace");
    now.compilation().compile(diagnostics);
    for (String name : undefined()) {
      Optional<String> other =
          now.definition().pipelines().stream()
              .filter(p -> wasRenamed(name, p))
              .map(Pipeline::name)
              .findFirst();
      now.places()
          .ofWorkspace(diagnostics)
          .warning(
              "undefined-pipeline",
              KeyPath.ROOT,
              "the tally knows pipeline " + name + ", which is not defined any more",
              Optional.of(
                  "if it was renamed, 'wexrun adopt "
                      + name
                      + " "
                      + other.orElse("NEW")
                      + "' lets the new one go on where it was, instead of loading everything"
                      + " again"));
    }
    return now.compilation().inOrder(diagnostics);
  }

  /**
   * The parts of expressions that have no columnar form and run row by row, by pipeline: right, but
   * slower than the rest. Empty for a workspace with mistakes.
   */
  public Map<String, List<String>> rowByRow() {
    Diagnostics diagnostics = Diagnostics.of("workspace");
    Map<String, List<String>> parts = new TreeMap<>();
    Map<String, Shaper> shapers = now.compilation().compile(diagnostics);
    if (diagnostics.errors() == 0) {
      shapers.forEach((name, shaper) -> parts.put(name, shaper.onLibrary()));
    }
    parts.values().removeIf(List::isEmpty);
    return parts;
  }

  /** The names of the stores that can be {@linkplain #query asked}. */
  public List<String> answering() {
    return stores.answering();
  }

  /**
   * The store that is asked if none is named: the only one that {@linkplain #answering answers}; of
   * several, the only one that is not a folder of files.
   */
  public Optional<String> asked() {
    List<String> all = answering();
    List<String> databases = all.stream().filter(name -> !stores.files(name)).toList();
    return all.size() == 1
        ? Optional.of(all.get(0))
        : databases.size() == 1 ? Optional.of(databases.get(0)) : Optional.empty();
  }

  /** The tables of this workspace. */
  public WorkspaceTables tables() {
    return new WorkspaceTables(
        now.definition(), stores, site.data(), site.stateIfAny().map(WorkspaceState::texts));
  }

  /** The tables of this workspace that are folders of files. */
  public WorkspaceFiles files() {
    return new WorkspaceFiles(now.definition(), stores, site);
  }

  /** The stores of this workspace to which rows are sent. */
  public WorkspaceDeliveries deliveries() {
    return new WorkspaceDeliveries(stores);
  }

  /**
   * What a person should know of the workspace who is called when something does not work: rights,
   * room, clock, runs, books, stores, queues, sources. Changes nothing.
   */
  public List<Finding> doctor() {
    return new WorkspaceDoctor(this, site, now.ends()).look();
  }

  /** The runs of this workspace that go on, in whatever process. */
  public WorkspaceRuns runs() {
    return new WorkspaceRuns(site);
  }

  /**
   * Runs pipelines side by side, in this process.
   *
   * @param names which ones; none means all
   * @return a run that has started
   * @throws MistakesException if the workspace has mistakes, with all of them
   * @throws OutsideException if something that all pipelines need is held by another process, or
   *     missing; what only one of them needs stops only that one
   * @throws IllegalArgumentException if there is no pipeline of a name
   */
  public WorkspaceRun run(RunOptions options, String... names) {
    return run(options, RunListener.NONE, names);
  }

  /**
   * Like {@link #run(RunOptions, String...)}.
   *
   * @param listener is told what happens
   */
  public WorkspaceRun run(RunOptions options, RunListener listener, String... names) {
    List<Pipeline> pipelines = new ArrayList<>();
    for (String name : names) {
      pipelines.add(known(name));
    }
    Diagnostics diagnostics = Diagnostics.of("workspace");
    Map<String, Snapshot> looksUp = new HashMap<>();
    Map<String, Shaper> shapers = now.compilation().compile(diagnostics, looksUp);
    List<Diagnostic> mistakes = now.compilation().inOrder(diagnostics);
    now.compilation().requireRead();
    if (mistakes.stream().anyMatch(Scene::isMistake)) {
      throw new MistakesException(mistakes);
    }
    List<Pipeline> all = names.length == 0 ? now.definition().pipelines() : pipelines;
    if (!options.asNew()) {
      requireNoneRenamed(all);
    }
    Map<String, Compiling.Compiled> compiled = new HashMap<>();
    if (mistakes.stream().noneMatch(Scene::isError)) {
      shapers.forEach(
          (name, shaper) ->
              compiled.put(
                  name,
                  now.compilation()
                      .with(
                          shaper,
                          looksUp.computeIfAbsent(
                              name, n -> now.compilation().references().now()))));
    } // Otherwise each is compiled when it is started, and waits until it can be.
    now.ends().passInQueues();
    KeptReferences.clear(site.data(), site.state().texts());
    WorkspaceRun run =
        WorkspaceRun.start(
            new Feeding(all, compiled, now.ends()),
            now.compilation().compiling(),
            site.state(),
            options,
            listener,
            Member.with(parameters.orElse(Map.of())));
    if (parameters.isPresent() && options.startsAgain()) {
      Rereading rereading =
          new Rereading(
              new Rereading.Parts(folder, parameters.get(), connectors, site, stores),
              run,
              Set.of(names),
              now.signatures(all, shapers));
      run.reloading(
          new Reloading(
              folder, WorkspaceReader.FILE, () -> rereading.reread(scene -> now = scene)));
    }
    run.beside(() -> now);
    return run.askedBy(
        () ->
            AskedRun.start(
                site.data(),
                (store, question) ->
                    store.isEmpty() ? run.answer(question) : answer(store, question)));
  }

  /**
   * Whether it can be said before what a run of a pipeline would take.
   *
   * @throws IllegalArgumentException if there is no pipeline of that name
   */
  public boolean plans(String pipeline) {
    return now.ends().chooses(known(pipeline));
  }

  /**
   * What a run of a pipeline would take, without opening any of it, and without a run.
   *
   * @throws MistakesException if the workspace has mistakes, or the choice, or the pipeline's
   *     intake is none of which something can be chosen
   * @throws OutsideException if what is there cannot be listed
   * @throws IllegalArgumentException if there is no pipeline of that name
   */
  public List<PlannedFile> plan(String pipeline, Choice choice) {
    Pipeline known = known(pipeline);
    PathFields fields = PathFields.of(known.intake());
    return now.ends().plan(known, choice, shaper(pipeline)).stream()
        .map(source -> new PlannedFile(source, fields.texts(source.name())))
        .toList();
  }

  /** Answers another process while pipelines run. */
  private Optional<Answer> answer(String store, Question question) {
    return stores
        .ifOpen(store)
        .map(
            open -> {
              boolean sql = question.kind() == Question.Kind.SQL;
              if (sql && open instanceof Querying querying) {
                return querying.query(question.text(), WHILE_RUNNING);
              }
              if (!sql && open instanceof Comparing comparing) {
                return AskedRun.answer(comparing, WorkspaceTables.table(question.text()));
              }
              throw OutsideException.lasting("store " + store + " does not answer queries");
            });
  }

  /**
   * Tries a pipeline on the first records of its intake. Writes nothing, and changes no progress.
   *
   * @param limit how many records at most
   * @throws MistakesException if the workspace has mistakes
   * @throws OutsideException if the intake cannot be read
   * @throws IllegalArgumentException if there is no pipeline of that name
   */
  public List<BlockTrial> tryOut(String pipeline, long limit) {
    Shaper shaper = shaper(pipeline);
    return tryOut().ofIntake(known(pipeline), shaper, limit);
  }

  /** Like {@link #tryOut(String, long)}, on the first records of a file. */
  public List<BlockTrial> tryOut(String pipeline, Path file, long limit) {
    return tryOut().ofFile(known(pipeline), file, shaper(pipeline), limit);
  }

  /**
   * How the records of a file differ from what a pipeline expects. Writes nothing.
   *
   * @param look what they are by themselves
   * @param limit how many records are tried at most
   * @throws MistakesException if the workspace has mistakes
   * @throws OutsideException if the file cannot be read
   * @throws IllegalArgumentException if there is no pipeline of that name
   */
  public FileDifference against(String pipeline, Path file, Look look, long limit) {
    Pipeline known = known(pipeline);
    Shaper shaper = shaperWithoutSource(pipeline);
    return Against.of(known, tryOut().ofFile(known, file, shaper, limit), look);
  }

  /** Like {@link #tryOut(String, long)}, on the lines of some bytes. */
  public List<BlockTrial> tryOut(String pipeline, byte[] lines, long limit) {
    return TryOut.ofBytes(lines, shaper(pipeline), limit);
  }

  /**
   * Keeps records just tried as cases in {@code cases/PIPELINE.yaml}: {@link #check} tells if the
   * pipeline ever makes something else of them.
   *
   * @return the file
   */
  public Path keepCases(String pipeline, List<RecordTrial> trials) {
    return CaseFile.add(folder, pipeline, trials, shaper(pipeline));
  }

  private TryOut tryOut() {
    return new TryOut(site, connectors);
  }

  private Pipeline known(String name) {
    return now.definition()
        .pipeline(name)
        .orElseThrow(() -> new IllegalArgumentException("there is no pipeline " + name));
  }

  /** A pipeline's shaper. */
  private Shaper shaper(String name) {
    return shaper(name, Set.of());
  }

  /** A pipeline's shaper, whatever has become of its source. */
  private Shaper shaperWithoutSource(String name) {
    return shaper(name, Set.of("missing-file", "missing-folder"));
  }

  private Shaper shaper(String name, Set<String> allowed) {
    known(name);
    Diagnostics diagnostics = Diagnostics.of("workspace");
    Shaper shaper = now.compilation().compile(diagnostics).get(name);
    List<Diagnostic> mistakes =
        now.compilation().inOrder(diagnostics).stream()
            .filter(d -> d.severity() == Severity.ERROR && !allowed.contains(d.code()))
            .toList();
    if (!mistakes.isEmpty()) {
      throw new MistakesException(mistakes);
    }
    return shaper;
  }

  /**
   * The fields behind each step of a pipeline, by the step's path, in order; as far as they are
   * known if there are mistakes.
   */
  public Map<String, Schema> fields(String pipeline) {
    known(pipeline);
    Shaper shaper = now.compilation().compile(Diagnostics.of("workspace")).get(pipeline);
    return shaper == null ? Map.of() : shaper.schemas();
  }

  /**
   * The books of a pipeline; all zero if it never ran. What waits in a channel on disk is held, and
   * has been taken.
   */
  public Tally tally(String pipeline) {
    long held = now.ends().held(pipeline);
    Tally books =
        site.stateIfAny()
            .map(state -> state.tally().tally(pipeline))
            .orElseGet(() -> new Tally(pipeline, Counts.NONE, 0, 0));
    Counts taken = new Counts(held, 0, 0, Map.of(), Map.of(), 0);
    return new Tally(
        pipeline,
        books.counts().plus(taken),
        held,
        books.lost(),
        books.revived(),
        books.sources(),
        books.newest());
  }

  /**
   * The targets that do not agree with the tally, of all pipelines: a run would stop at them. Opens
   * the stores that are there, and makes none; pipelines that run are passed over.
   */
  public List<Setback> setbacks() {
    List<Setback> all = new ArrayList<>();
    for (Pipeline pipeline : now.definition().pipelines()) {
      if (site.stateIfAny().map(state -> state.isHeld(pipeline.name())).orElse(false)) {
        continue; // Its run has looked, and must not find a store held by who only asks.
      }
      try {
        all.addAll(reconciliation(pipeline.name()).setbacks());
      } catch (OutsideException e) {
        continue; // Whoever holds the store has looked, and looks again at its next start.
      }
    }
    return all;
  }

  /**
   * What can be done where targets of a pipeline do not agree with the tally.
   *
   * @throws IllegalArgumentException if there is no pipeline of that name
   */
  public Reconciliation reconciliation(String pipeline) {
    return new Reconciliation(known(pipeline), new Setbacks(site, now.ends()), history());
  }

  /**
   * Why a pipeline cannot go on where another one was that is not defined any more; empty if it
   * can.
   *
   * @param from the name that is not defined any more
   * @param to the pipeline's name
   * @throws IllegalArgumentException if there is no pipeline of that name
   */
  public Optional<String> whyNotAdopt(String from, String to) {
    return new Adoption(site, now.ends()).whyNot(from, known(to));
  }

  /**
   * Lets a pipeline go on where another one was that is not defined any more: it was renamed. Its
   * books, positions and dead letters are the other one's from now on.
   *
   * @throws OutsideException if it cannot be done, or one of them runs
   * @throws IllegalArgumentException if there is no pipeline of that name
   */
  public void adopt(String from, String to) {
    Pipeline pipeline = known(to);
    history()
        .noting(
            "adopt",
            to,
            "goes on where " + from + " was",
            () -> {
              new Adoption(site, now.ends()).adopt(from, pipeline);
              return to;
            });
  }

  /** A pipeline under another name would load everything again. */
  private void requireNoneRenamed(List<Pipeline> pipelines) {
    Diagnostics diagnostics = Diagnostics.of("workspace");
    for (String before : undefined()) {
      for (Pipeline pipeline : pipelines) {
        if (wasRenamed(before, pipeline)) {
          diagnostics.error(
              "renamed-pipeline",
              KeyPath.ROOT,
              "pipeline "
                  + before
                  + " seems to be renamed to "
                  + pipeline.name()
                  + ", which has taken nothing yet and would load everything again",
              Optional.of(
                  "'wexrun adopt "
                      + before
                      + " "
                      + pipeline.name()
                      + "' lets it go on where it was; 'wexrun run --as-new' loads everything"));
        }
      }
    }
    diagnostics.orThrow();
  }

  /** Whether a pipeline that has never run takes what one took that is not defined any more. */
  private boolean wasRenamed(String before, Pipeline now) {
    Optional<WorkspaceState> state = site.stateIfAny();
    if (state.isEmpty() || !Setback.Known.of(now.name(), state.get().tally()).never()) {
      return false;
    }
    Diagnostics ignored = Diagnostics.of("pipeline " + before);
    return state
        .get()
        .texts()
        .current(before)
        .flatMap(text -> DefinitionText.read(before, text.text(), ignored))
        .filter(old -> old.intake().equals(now.intake()))
        .filter(old -> !Collections.disjoint(Ends.targetNames(old), Ends.targetNames(now)))
        .isPresent();
  }

  /** What the doors of this process have refused, since they were opened. */
  public Map<Refusals.Refusal, Long> refusals() {
    return site.sharedIfAny(Refusals.class).map(Refusals::counts).orElse(Map.of());
  }

  /** The pipelines that the tally knows and that are not defined any more. */
  public List<String> undefined() {
    return remembered().stream().filter(name -> !unreadable().contains(name)).toList();
  }

  /** The pipelines whose text has such mistakes that it was not read, as {@link #check} says. */
  public List<String> unreadable() {
    return now.places().unreadable();
  }

  /** All pipelines: those that are defined, and then those that only the tally knows. */
  public List<String> pipelineNames() {
    return Stream.concat(
            now.definition().pipelines().stream().map(Pipeline::name), remembered().stream())
        .toList();
  }

  private List<String> remembered() {
    List<String> names =
        new ArrayList<>(site.stateIfAny().map(s -> s.corrections().pipelines()).orElse(List.of()));
    now.definition().pipelines().forEach(pipeline -> names.remove(pipeline.name()));
    return names;
  }

  /** The books in parts, and how they are proven. */
  public WorkspaceBooks books() {
    return new WorkspaceBooks(this, now, site::stateIfAny);
  }

  /** The books of every pipeline; those that are not defined any more behind the others. */
  public List<Tally> tally() {
    return pipelineNames().stream().map(this::tally).toList();
  }

  /**
   * Reads a pipeline's dead letters, oldest first within each partition.
   *
   * @param reader takes each one; returns whether it wants another
   */
  public void deadLetters(String pipeline, Predicate<DeadLetter> reader) {
    dead().read(pipeline, DeadFilter.ALL, kept -> reader.test(kept.letter()));
  }

  /** The dead letters of this workspace, where they are kept. */
  public WorkspaceDead dead() {
    return new WorkspaceDead(queues(), site.folder(), this::shaperWithoutSource, site::stateIfAny);
  }

  /** From rows to records, and from records to what has become of them. */
  public WorkspaceTrace trace() {
    return new WorkspaceTrace(this, now, site.stateIfAny());
  }

  /** Replays of this workspace's dead letters. */
  public WorkspaceReplays replays() {
    return new WorkspaceReplays(site, queues(), now, history(), this::shaperWithoutSource);
  }

  /** Rebuilds of this workspace's pipelines. */
  public WorkspaceRebuilds rebuilds() {
    return new WorkspaceRebuilds(this, site, now, connectors, this::shaperWithoutSource);
  }

  /** All dead letters of a pipeline; for pipelines that have few. */
  public List<DeadLetter> deadLetters(String pipeline) {
    List<DeadLetter> letters = new ArrayList<>();
    deadLetters(pipeline, letters::add);
    return letters;
  }

  /** What people did with this workspace. */
  public WorkspaceHistory history() {
    return new WorkspaceHistory(site);
  }

  /** The queues of this workspace. */
  public WorkspaceQueues queues() {
    return new WorkspaceQueues(now.definition(), Queues.of(site), now.ends(), site, remembered());
  }

  /**
   * Asks a store, with a statement that only reads; if a run of another process has it open, that
   * run, which answers within its bounds.
   *
   * @throws OutsideException if another process holds the store, or if it does not take the query
   * @throws IllegalArgumentException if there is no store of that name
   */
  public Answer query(String store, String sql) {
    if (!now.definition().stores().containsKey(store)) {
      throw new IllegalArgumentException("there is no store " + store);
    }
    if (stores.ifOpen(store).isEmpty() && !stores.files(store)) { // Files may be read by anybody.
      Optional<Answer> asked = Asking.ask(site.data(), store, new Question(Question.Kind.SQL, sql));
      if (asked.isPresent()) {
        return asked.get();
      }
    }
    return stores.query(store).query(sql);
  }

  /**
   * Runs SQL in a store that may change what is there.
   *
   * @throws OutsideException if another process holds the store, or if it does not take the SQL
   * @throws IllegalArgumentException if there is no store of that name
   */
  public Answer change(String store, String sql) {
    if (!now.definition().stores().containsKey(store)) {
      throw new IllegalArgumentException("there is no store " + store);
    }
    return history().noting("change", store, sql, () -> stores.query(store).change(sql));
  }

  @Override
  public void close() {
    try {
      stores.close();
    } finally {
      site.close();
    }
  }
}

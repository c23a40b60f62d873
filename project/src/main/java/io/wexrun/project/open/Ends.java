package io.wexrun.project.open;

import io.wexrun.core.channel.Channel;
import io.wexrun.core.channel.Memory;
import io.wexrun.core.channel.MemoryChannel;
import io.wexrun.core.connect.ChannelConnector;
import io.wexrun.core.connect.IntakeConnector;
import io.wexrun.core.connect.IntakeOpening;
import io.wexrun.core.connect.PlannedSource;
import io.wexrun.core.connect.TargetConnector;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.diagnose.MistakesException;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.identity.Identity;
import io.wexrun.core.intake.Choice;
import io.wexrun.core.intake.Intake;
import io.wexrun.core.intake.KnownSource;
import io.wexrun.core.intake.Receiving;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.core.pipeline.Route;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.run.Setback;
import io.wexrun.core.run.TargetOpener;
import io.wexrun.core.shape.Shaper;
import io.wexrun.core.tally.KnownTarget;
import io.wexrun.core.tally.ReplaySource;
import io.wexrun.core.target.Standing;
import io.wexrun.core.target.Store;
import io.wexrun.core.target.Target;
import io.wexrun.project.definition.WorkspaceDefinition;
import io.wexrun.queue.Queue;
import io.wexrun.queue.ends.LettersIntake;
import io.wexrun.queue.ends.Queues;
import io.wexrun.state.Rebuilds.Rebuild;
import io.wexrun.state.Replays;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalLong;
import java.util.Set;
import java.util.TreeMap;
import java.util.TreeSet;
import java.util.concurrent.ConcurrentHashMap;
import java.util.function.BooleanSupplier;
import java.util.function.Consumer;
import java.util.function.Function;
import java.util.stream.Stream;

/** Opens what pipelines are connected to: intakes, channels and targets. For several threads. */
public final class Ends {
  /** The kind of target that keeps dead letters. */
  private static final Settings DEAD_LETTERS = new Settings("queue", Map.of());

  private final WorkspaceSite site;
  private final WorkspaceDefinition definition;
  private final Connectors connectors;
  private final Stores stores;

  /** The queues that lack what was read from them, with the targets that have it. */
  private final Map<String, List<Setback>> behind = new ConcurrentHashMap<>();

  /** The ends of a workspace's pipelines. */
  public Ends(
      WorkspaceSite site, WorkspaceDefinition definition, Connectors connectors, Stores stores) {
    this.site = site;
    this.definition = definition;
    this.connectors = connectors;
    this.stores = stores;
  }

  /**
   * The intake of a pipeline.
   *
   * @param notices takes what a user should know
   * @param writtenHere whether pipelines of this run write to what it reads
   * @param fed whether none of them is going to write any more
   */
  public Intake intake(
      Pipeline pipeline, Consumer<String> notices, boolean writtenHere, BooleanSupplier fed) {
    Settings settings = pipeline.intake();
    List<KnownSource> known = site.sources(pipeline.name());
    return connector(pipeline)
        .open(new IntakeOpening(settings, site, known, notices, writtenHere, fed));
  }

  /**
   * The intake of a pipeline, as if it had taken only so much yet.
   *
   * @param known what it has taken from, with where it goes on
   */
  public Intake again(Pipeline pipeline, List<KnownSource> known) {
    return connector(pipeline)
        .open(new IntakeOpening(pipeline.intake(), site, known, notice -> {}, false, () -> true));
  }

  /**
   * The intake of a pipeline, limited to a choice.
   *
   * @param receiving what it takes that cannot be read again
   * @param shaper tells what would die
   * @throws MistakesException if the pipeline's intake cannot be limited so
   */
  public Intake intake(
      Pipeline pipeline,
      Consumer<String> notices,
      boolean writtenHere,
      BooleanSupplier fed,
      Choice choice,
      Receiving receiving,
      Shaper shaper) {
    reads(pipeline.intake()).ifPresent(this::requireNotBehind);
    return connector(pipeline)
        .open(opening(pipeline, notices, writtenHere, fed, choice, receiving, shaper));
  }

  private IntakeOpening opening(
      Pipeline pipeline,
      Consumer<String> notices,
      boolean writtenHere,
      BooleanSupplier fed,
      Choice choice,
      Receiving receiving,
      Shaper shaper) {
    if (!choice.equals(Choice.ALL)) {
      requireChoice(pipeline);
    }
    return new IntakeOpening(
        pipeline.intake(),
        site,
        site.sources(pipeline.name()),
        notices,
        writtenHere,
        fed,
        choice,
        shaper::deaths,
        receiving);
  }

  /** Whether something of what a pipeline's intake has can be chosen. */
  public boolean chooses(Pipeline pipeline) {
    IntakeConnector connector = connector(pipeline);
    return connector != null && connector.chooses();
  }

  private void requireChoice(Pipeline pipeline) {
    if (!chooses(pipeline)) {
      Diagnostics diagnostics = Diagnostics.of("pipeline " + pipeline.name());
      diagnostics.error(
          "no-choice",
          KeyPath.ROOT,
          "its intake takes " + pipeline.intake().kind() + ", of which nothing can be chosen",
          Optional.of("name only pipelines whose intake is files, drop or archive"));
      diagnostics.orThrow();
    }
  }

  /**
   * What a run of a pipeline would take.
   *
   * @throws MistakesException if the pipeline's intake cannot be limited so
   */
  public List<PlannedSource> plan(Pipeline pipeline, Choice choice, Shaper shaper) {
    requireChoice(pipeline);
    return connector(pipeline)
        .plan(
            opening(pipeline, notice -> {}, false, () -> true, choice, Receiving.NOTHING, shaper));
  }

  /**
   * Dead letters of a pipeline as its intake.
   *
   * @param replay where they are
   * @param choosing which letters of their queue come, and as what
   */
  public Intake letters(
      Pipeline pipeline, Replays.Replay replay, Function<Queue, LettersIntake.Choosing> choosing) {
    List<LettersIntake.Part> parts =
        replay.parts().stream()
            .map(
                part ->
                    new LettersIntake.Part(
                        replay.source(part.partition()),
                        part.partition(),
                        part.from(),
                        part.until()))
            .toList();
    Queue queue = Queues.of(site).open(pipeline.deadLetters());
    return new LettersIntake(queue, parts, choosing.apply(queue));
  }

  private IntakeConnector connector(Pipeline pipeline) {
    return connectors.intakes().get(pipeline.intake().kind());
  }

  /** The target that an intake reads from, such as a queue; empty if it reads none. */
  public Optional<String> reads(Settings intake) {
    return Optional.ofNullable(connectors.intakes().get(intake.kind()))
        .flatMap(connector -> connector.reads(intake));
  }

  /** Whether the store of a table is there. */
  public boolean exists(Table table) {
    return stores.exists(table.store());
  }

  /** Whether a route may lead to a name: to a table, a queue, the dead letters, or to nothing. */
  public boolean isDefined(String target) {
    return definition.tables().containsKey(target)
        || definition.targets().containsKey(target)
        || target.equals(Route.DEAD)
        || target.equals(Route.DROP);
  }

  /** Opens the targets of a pipeline: tables, others, and its dead letters. */
  public TargetOpener targets(Pipeline pipeline) {
    return targets(pipeline, Map.of());
  }

  /** The tables that a rebuild makes, beside those in whose places they are to be. */
  public Shadows shadows(Rebuild rebuild, Map<String, Table> tables) {
    return new Shadows(
        rebuild,
        tables,
        new Shadows.Places(stores, Queues.of(site), definition),
        (queue, writer) ->
            connectors
                .targets()
                .get(DEAD_LETTERS.kind())
                .openForDeadLetters(queue, writer, DEAD_LETTERS, site));
  }

  /** Who a queue of dead letters is; empty if there is none. */
  public Optional<Identity> lettersIdentity(String letters) {
    Optional<Queue> queue = Queues.of(site).openToRead(letters);
    try {
      return queue.map(Queue::identity);
    } finally {
      queue.ifPresent(Queue::close);
    }
  }

  /** Whether the tables of a store can be put in the places of others. */
  public boolean swaps(Table table) {
    return stores.swaps(table.store());
  }

  /** The same, with some tables as they once were. */
  public TargetOpener targets(Pipeline pipeline, Map<String, Table> tables) {
    return (name, writer) -> {
      if (name.equals(Route.DEAD)) {
        return connectors
            .targets()
            .get(DEAD_LETTERS.kind())
            .openForDeadLetters(pipeline.deadLetters(), writer, DEAD_LETTERS, site);
      }
      return target(name, writer, tables.get(name));
    };
  }

  private Target target(String name, String writer, Table as) {
    Table table = as == null ? definition.tables().get(name) : as;
    if (table != null) {
      requireStore(table, writer);
      return stores.open(table.store()).target(writer, table);
    }
    requireNotBehind(name);
    Settings settings = definition.targets().get(name);
    TargetConnector connector = connectors.targets().get(settings.kind());
    return connector.open(name, writer, settings, site);
  }

  /** The dead letters of a pipeline belong to one of another name, which has none yet. */
  public void renameDeadLetters(String from, Pipeline to) {
    Path folder = site.data().resolve("queues").resolve("dead");
    Path target = folder.resolve(to.name());
    if (Files.isDirectory(folder.resolve(from)) && !Files.exists(target)) {
      try {
        Files.move(folder.resolve(from), target);
      } catch (IOException e) {
        throw new OutsideException(
            "cannot give the dead letters of " + from + " another name: " + e.getMessage(), e);
      }
    }
  }

  /** A store that rows were committed to is not made anew when it is missing. */
  private void requireStore(Table table, String writer) {
    if (stores.exists(table.store())) {
      return;
    }
    for (KnownTarget known : site.state().tally().targets(writer)) {
      if (known.name().equals(table.name())) {
        Setback.of(writer, known, Standing.ABSENT)
            .ifPresent(
                setback -> {
                  throw Setback.failure(List.of(setback));
                });
      }
    }
  }

  /**
   * How the targets of a pipeline stand, as far as that can be told without making or changing
   * anything.
   *
   * @throws io.wexrun.core.diagnose.OutsideException if a store is held by another process
   */
  public Map<String, Standing> standings(Pipeline pipeline) {
    Map<String, Standing> standings = new TreeMap<>();
    Set<String> names = targetNames(pipeline);
    names.add(Route.DEAD);
    site.stateIfAny()
        .ifPresent(s -> s.tally().targets(pipeline.name()).forEach(t -> names.add(t.name())));
    for (String name : names) {
      standing(pipeline, name).ifPresent(s -> standings.put(name, s));
    }
    return standings;
  }

  /**
   * Before queues are appended to: new records do not get positions that a target of a pipeline
   * that reads them has passed, also if the tally does not know of it yet. If pipelines fill such a
   * queue, they may append again what was read already; so neither they nor those that read it are
   * started.
   */
  public void passInQueues() {
    for (Pipeline pipeline : definition.pipelines()) {
      Optional<String> queue = reads(pipeline.intake());
      if (queue.isEmpty()) {
        continue;
      }
      if (isFilled(queue.get())) {
        List<Setback> ahead = ahead(pipeline);
        if (!ahead.isEmpty()) {
          behind.merge(
              queue.get(), ahead, (a, b) -> Stream.concat(a.stream(), b.stream()).toList());
        }
      } else {
        Queues.of(site).pass(queue.get(), reached(pipeline));
      }
    }
  }

  private boolean isFilled(String queue) {
    return definition.pipelines().stream().anyMatch(p -> targetNames(p).contains(queue));
  }

  /** Fails if the queue that is read or written lacks what was read from it. */
  private void requireNotBehind(String queue) {
    List<Setback> setbacks = behind.getOrDefault(queue, List.of());
    if (!setbacks.isEmpty()) {
      throw Setback.failure(setbacks);
    }
  }

  /**
   * The targets of a pipeline that have more than the queue which it reads and others fill, while
   * the tally has not: so it was put back together with the queue. If only the queue was, who fills
   * it knows that it lacks something.
   */
  public List<Setback> ahead(Pipeline pipeline) {
    Optional<String> queue = reads(pipeline.intake()).filter(this::isFilled);
    if (queue.isEmpty()) {
      return List.of();
    }
    Map<SourcePartition, Long> tally = site.positions(pipeline.name());
    List<Setback> ahead = new ArrayList<>();
    reachable(pipeline)
        .forEach(
            (target, standing) -> {
              Map<SourcePartition, Long> reached = ofIntake(standing);
              List<Setback.Gap> gaps = new ArrayList<>();
              Queues.of(site)
                  .endsBefore(queue.get(), reached)
                  .forEach(
                      (source, end) -> {
                        if (tally.getOrDefault(source, 0L) <= end) {
                          long has = reached.get(source);
                          gaps.add(new Setback.Gap(source, has, end, OptionalLong.empty()));
                        }
                      });
              if (!gaps.isEmpty()) {
                ahead.add(new Setback(pipeline.name(), target, Setback.Kind.AHEAD, gaps));
              }
            });
    return ahead;
  }

  /** New records of the queue that a pipeline reads stand behind all that its targets have. */
  public void acceptAhead(Pipeline pipeline) {
    reads(pipeline.intake()).ifPresent(queue -> Queues.of(site).pass(queue, reached(pipeline)));
  }

  private static Map<SourcePartition, Long> ofIntake(Standing standing) {
    Map<SourcePartition, Long> progress = new TreeMap<>(standing.progress());
    progress.keySet().removeIf(ReplaySource::is);
    return progress;
  }

  /** How far the targets of a pipeline have come with what its intake gives. */
  private Map<SourcePartition, Long> reached(Pipeline pipeline) {
    Map<SourcePartition, Long> reached = new TreeMap<>();
    reachable(pipeline)
        .values()
        .forEach(
            standing ->
                ofIntake(standing)
                    .forEach((source, position) -> reached.merge(source, position, Math::max)));
    return reached;
  }

  /** How targets stand that can be asked now, of a pipeline that the tally knows. */
  private Map<String, Standing> reachable(Pipeline pipeline) {
    boolean known =
        site.stateIfAny()
            .map(state -> !Setback.Known.of(pipeline.name(), state.tally()).never())
            .orElse(false);
    try {
      return known ? standings(pipeline) : Map.of();
    } catch (OutsideException e) {
      return Map.of(); // The pipeline cannot go on either: it tells why when it is started.
    }
  }

  /** Who has read what a target does not have any more; see {@link Queues#readBeyond}. */
  public List<String> readBeyond(String target) {
    Settings settings = definition.targets().get(target);
    if (settings == null || !settings.kind().equals(Settings.QUEUE)) {
      return List.of();
    }
    Map<String, List<KnownSource>> readers = new LinkedHashMap<>();
    site.readers(target)
        .forEach(
            (name, sources) -> {
              Map<SourcePartition, Long> reached =
                  definition.pipeline(name).map(this::reached).orElse(Map.of());
              readers.put(
                  name,
                  sources.stream()
                      .map(
                          source ->
                              new KnownSource(
                                  source.partition(),
                                  source.identity(),
                                  Math.max(
                                      source.position(),
                                      reached.getOrDefault(source.partition(), 0L))))
                      .toList());
            });
    return Queues.of(site).readBeyond(target, readers);
  }

  /** The names of the tables and queues that a pipeline's records may go to. */
  public static Set<String> targetNames(Pipeline pipeline) {
    Set<String> names = new TreeSet<>();
    pipeline.route().forEach(route -> names.addAll(route.to()));
    pipeline.dead().forEach(route -> names.addAll(route.to()));
    pipeline.kinds().forEach(kind -> kind.route().forEach(route -> names.addAll(route.to())));
    return names;
  }

  /** Lets the stores of a pipeline's tables try again at once, whatever they were asked. */
  public void retryNow(Pipeline pipeline) {
    for (String name : targetNames(pipeline)) {
      Optional.ofNullable(definition.tables().get(name))
          .flatMap(table -> stores.ifOpen(table.store()))
          .ifPresent(Store::retryNow);
    }
  }

  private Optional<Standing> standing(Pipeline pipeline, String name) {
    TargetConnector queues = connectors.targets().get(DEAD_LETTERS.kind());
    if (name.equals(Route.DEAD)) {
      return queues.standing(pipeline.deadLetters(), pipeline.name(), DEAD_LETTERS, site);
    }
    Table table = definition.tables().get(name);
    if (table != null) {
      return stores.exists(table.store())
          ? stores.open(table.store()).standing(pipeline.name(), table.name())
          : Optional.of(Standing.ABSENT);
    }
    Settings settings = definition.targets().get(name);
    return settings == null
        ? Optional.empty()
        : connectors.targets().get(settings.kind()).standing(name, pipeline.name(), settings, site);
  }

  /**
   * The channel of a pipeline.
   *
   * @param memory what blocks in memory are counted in
   */
  public Channel channel(Pipeline pipeline, Memory memory) {
    Map<SourcePartition, Long> positions = site.state().tally().positions(pipeline.name());
    ChannelConnector connector = connectors.channels().get(pipeline.channel().kind());
    return connector == null
        ? new MemoryChannel(memory.share(), positions)
        : connector.open(pipeline.name(), pipeline.channel(), site, positions);
  }

  /** The kinds of channels that a pipeline had and has no more. */
  public List<ChannelConnector> leftChannels(Pipeline pipeline) {
    return connectors.channels().values().stream()
        .filter(c -> !c.kind().equals(pipeline.channel().kind()))
        .filter(c -> c.exists(pipeline.name(), site))
        .toList();
  }

  /** Opens a channel that was left, or that another text of the pipeline filled. */
  public Channel openLeft(ChannelConnector connector, String pipeline) {
    return connector.openLeft(pipeline, site, site.state().tally().positions(pipeline));
  }

  /** Removes a channel that holds nothing. */
  public void remove(ChannelConnector connector, String pipeline) {
    connector.remove(pipeline, site);
  }

  /** The kinds of channels that hold records of a pipeline. */
  public List<ChannelConnector> holding(String pipeline) {
    return connectors.channels().values().stream().filter(c -> held(c, pipeline) > 0).toList();
  }

  /** How many records of a pipeline wait in channels that outlive a run. */
  public long held(String pipeline) {
    return connectors.channels().values().stream().mapToLong(c -> held(c, pipeline)).sum();
  }

  private long held(ChannelConnector connector, String pipeline) {
    return connector.exists(pipeline, site)
        ? connector.held(pipeline, site, site.positions(pipeline))
        : 0;
  }
}

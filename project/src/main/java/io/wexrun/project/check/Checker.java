package io.wexrun.project.check;

import io.wexrun.core.connect.ChannelConnector;
import io.wexrun.core.connect.Encryption;
import io.wexrun.core.connect.IntakeConnector;
import io.wexrun.core.connect.Site;
import io.wexrun.core.connect.StoreConnector;
import io.wexrun.core.connect.TargetConnector;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.pipeline.Drift;
import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.core.pipeline.Route;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.reference.References;
import io.wexrun.core.shape.Shaper;
import io.wexrun.core.target.Destination;
import io.wexrun.project.definition.WorkspaceDefinition;
import io.wexrun.project.open.Connectors;
import io.wexrun.project.open.WorkspaceKeys;
import io.wexrun.project.read.DefinitionPlaces;
import java.time.Duration;
import java.util.Comparator;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.function.Function;
import java.util.stream.Stream;

/**
 * Types a whole workspace: everything that can be known before a run. Opens nothing but the
 * reference tables and schemas that steps name.
 */
public final class Checker {
  private final Site site;
  private final WorkspaceDefinition definition;
  private final DefinitionPlaces places;
  private final Connectors connectors;
  private final Function<String, ? extends References> references;
  private final Diagnostics diagnostics;

  /**
   * A checker.
   *
   * @param references finds what the steps of a pipeline look up, by its name
   * @param diagnostics takes every mistake
   */
  public Checker(
      Site site,
      WorkspaceDefinition definition,
      DefinitionPlaces places,
      Connectors connectors,
      Function<String, ? extends References> references,
      Diagnostics diagnostics) {
    this.site = site;
    this.definition = definition;
    this.places = places;
    this.connectors = connectors;
    this.references = references;
    this.diagnostics = diagnostics;
  }

  /** Checks everything and compiles every pipeline. */
  public Map<String, Shaper> check() {
    checkWorkspace();
    Map<String, Shaper> shapers = new HashMap<>();
    for (Pipeline pipeline : definition.pipelines()) {
      int before = diagnostics.errors();
      Shaper shaper = compile(pipeline);
      shapers.put(pipeline.name(), shaper);
      if (diagnostics.errors() == before) {
        runCases(pipeline.name(), shaper);
      }
    }
    if (diagnostics.errors() == 0) {
      checkTakenAway();
    }
    return shapers;
  }

  /** What one pipeline moves or deletes, another one would miss. */
  private void checkTakenAway() {
    Map<String, String> takers = new HashMap<>();
    for (Pipeline pipeline : definition.pipelines()) {
      IntakeConnector connector = connectors.intakes().get(pipeline.intake().kind());
      if (connector == null) {
        continue;
      }
      Set<String> taken = connector.takesAway(pipeline.intake(), site);
      Optional<String> shared =
          taken.stream().filter(takers::containsKey).min(Comparator.naturalOrder());
      shared.ifPresent(
          name ->
              places
                  .ofPipeline(pipeline.name(), diagnostics)
                  .error(
                      "taken-twice",
                      KeyPath.ROOT.key("intake").key(connector.kind()),
                      "pipeline "
                          + takers.get(name)
                          + " also takes "
                          + name
                          + " away, so each of them would miss what the other one was quicker with",
                      Optional.of("let one pipeline take it into a queue, and both read that")));
      taken.forEach(name -> takers.putIfAbsent(name, pipeline.name()));
    }
  }

  private void runCases(String pipeline, Shaper shaper) {
    for (DefinitionPlaces.PlacedCase placed : places.cases(pipeline)) {
      Optional<String> difference = placed.expected().difference(shaper);
      difference.ifPresent(
          what ->
              placed
                  .file()
                  .at(diagnostics, placed.node())
                  .error(
                      "case-failed",
                      KeyPath.ROOT,
                      "the record is not treated as expected: " + what,
                      Optional.of("mend the pipeline, or the case if it should be so")));
    }
  }

  private void checkWorkspace() {
    Diagnostics at = places.ofWorkspace(diagnostics);
    checkReserved(at);
    checkKeys(at);
    KeyPath stores = KeyPath.ROOT.key("stores");
    definition.stores().forEach((name, settings) -> checkStore(settings, stores.key(name), at));
    for (Table table : definition.tables().values()) {
      KeyPath path = KeyPath.ROOT.key("tables").key(table.name());
      if (!definition.stores().containsKey(table.store())) {
        at.error(
            "unknown-store",
            path.key("in"),
            "there is no store '" + table.store() + "'",
            Diagnostics.nearestOrKnown(
                table.store(), List.copyOf(definition.stores().keySet()), k -> "there are " + k));
      }
      connector(table).ifPresent(store -> checkTable(table, store, path, at));
      Settings target = definition.targets().get(table.name());
      if (target != null) {
        at.error(
            "duplicate-name",
            path,
            "a "
                + target.kind()
                + " is also named '"
                + table.name()
                + "', so a route cannot tell them apart",
            Optional.of("rename one of them"));
      }
    }
    definition.targets().forEach((name, settings) -> checkTarget(name, settings, at));
  }

  private void checkKeys(Diagnostics at) {
    definition
        .keys()
        .forEach(
            (name, settings) -> {
              if (!WorkspaceKeys.KINDS.contains(settings.kind()) || settings.values().size() > 1) {
                at.error(
                    "bad-key",
                    KeyPath.ROOT.key("keys").key(name),
                    "a key says where its secret is, and nothing else",
                    Optional.of("write {env: VARIABLE}, {file: NAME} or {command: LINE}"));
              }
            });
    definition
        .encrypt()
        .ifPresent(name -> Encryption.check(name, site, KeyPath.ROOT.key(Encryption.KEY), at));
  }

  private void checkTable(Table table, StoreConnector store, KeyPath path, Diagnostics at) {
    Settings settings = definition.stores().get(table.store());
    store.check(table, settings, path, at);
    Optional<Drift> drift = table.details().drift();
    boolean adds = drift.map(Drift::policy).equals(Optional.of(Drift.Policy.ADD));
    if (adds && !store.addsColumns()) {
      at.error(
          "bad-value",
          path.key("drift"),
          "store '" + table.store() + "' does not add columns to a table",
          Optional.of("keep what is new in a column of its own: drift: {others: keep}"));
    }
    if (!table.details().sort().isEmpty() && !store.sorts(settings)) {
      at.warning(
          "unused-sort",
          path.key("sort"),
          "store '" + table.store() + "' does not keep rows in an order",
          Optional.of("folders of Parquet files do; a database sorts when it is asked"));
    }
  }

  /** Names that mean something in a route, or that queues of our own have. */
  private void checkReserved(Diagnostics at) {
    Map<String, String> reserved =
        Map.of(
            Route.DEAD,
            "'to: dead' sends records to the dead letters",
            Route.DROP,
            "'to: drop' drops records",
            "channel",
            "channels on disk are kept under it");
    for (String name : definition.tables().keySet()) {
      if (reserved.containsKey(name)) {
        reserved(at, KeyPath.ROOT.key("tables").key(name), name, reserved.get(name));
      }
    }
    definition
        .targets()
        .forEach(
            (name, settings) -> {
              if (reserved.containsKey(name)) {
                reserved(at, pathOf(name, settings), name, reserved.get(name));
              }
            });
  }

  private static void reserved(Diagnostics at, KeyPath path, String name, String why) {
    at.keyError(
        "reserved-name",
        path,
        "'" + name + "' cannot be a name here: " + why,
        Optional.of("choose another name"));
  }

  /** Where a target stands: in the section of its kind, if it does not name it. */
  private KeyPath pathOf(String name, Settings settings) {
    TargetConnector connector = connectors.targets().get(settings.kind());
    boolean named = connector == null || settings.values().containsKey(settings.kind());
    String section =
        named ? "targets" : connector.section().map(TargetConnector.Section::key).orElse("targets");
    return KeyPath.ROOT.key(section).key(name);
  }

  private void checkTarget(String name, Settings settings, Diagnostics at) {
    TargetConnector connector = connectors.targets().get(settings.kind());
    if (connector == null) {
      List<String> kinds = List.copyOf(connectors.targets().keySet());
      unknownKind("target", settings, kinds, KeyPath.ROOT.key("targets").key(name), at);
      return;
    }
    KeyPath path = pathOf(name, settings);
    checkKeys("a " + settings.kind(), settings, connector.keys(), path, at);
    connector.check(settings, site, path, at);
  }

  private void checkStore(Settings settings, KeyPath path, Diagnostics at) {
    StoreConnector connector = connectors.stores().get(settings.kind());
    if (connector == null) {
      unknownKind("store", settings, List.copyOf(connectors.stores().keySet()), path, at);
      return;
    }
    checkKeys("a " + settings.kind() + " store", settings, connector.keys(), path, at);
    connector.check(settings, site, path, at);
  }

  private static void unknownKind(
      String what, Settings settings, List<String> known, KeyPath path, Diagnostics at) {
    at.keyError(
        "unknown-" + what,
        path.key(settings.kind()),
        "there is no " + what + " of the kind '" + settings.kind() + "'",
        Diagnostics.nearestOrKnown(
            settings.kind(),
            known,
            k -> (known.size() == 1 ? "the only kind is " : "the kinds are ") + k));
  }

  private static void checkKeys(
      String what, Settings settings, List<String> known, KeyPath path, Diagnostics at) {
    for (String key : settings.unknown(known)) {
      at.keyError(
          "unknown-key",
          path.key(key),
          what + " has no key '" + key + "'",
          Diagnostics.nearestOrKnown(key, known, k -> "the keys are " + k));
    }
  }

  /** Compiles one pipeline; its mistakes go to the diagnostics. */
  public Shaper compile(Pipeline pipeline) {
    Diagnostics at = places.ofPipeline(pipeline.name(), diagnostics);
    checkIntake(pipeline, at);
    checkChannel(pipeline.channel(), at);
    new StartCheck(definition.pipelines(), this::chooses).check(pipeline, at);
    List<String> known =
        Stream.concat(definition.tables().keySet().stream(), definition.targets().keySet().stream())
            .toList();
    Shaper shaper =
        Shaper.compile(
            pipeline,
            connectors.steps().with(references.apply(pipeline.name())),
            this::destination,
            known,
            at);
    FlushCheck.check(pipeline.flush(), shaper.targets(), this::youngest, at);
    return shaper;
  }

  /** The connector of a table's store, if there is one. */
  private Optional<StoreConnector> connector(Table table) {
    return Optional.ofNullable(definition.stores().get(table.store()))
        .map(settings -> connectors.stores().get(settings.kind()));
  }

  /** How old rows should be at least when a table's store gets them. */
  private Duration youngest(String target) {
    return Optional.ofNullable(definition.tables().get(target))
        .flatMap(this::connector)
        .map(StoreConnector::youngest)
        .orElse(Duration.ZERO);
  }

  /** Whether it can be looked beforehand what a pipeline's intake has; so, if that is unknown. */
  private boolean chooses(Pipeline pipeline) {
    IntakeConnector connector = connectors.intakes().get(pipeline.intake().kind());
    return connector == null || connector.chooses();
  }

  private void checkIntake(Pipeline pipeline, Diagnostics at) {
    Settings intake = pipeline.intake();
    KeyPath path = KeyPath.ROOT.key("intake");
    if (intake.kind().isEmpty()) {
      return; // That it is missing was told when the file was read.
    }
    IntakeConnector connector = connectors.intakes().get(intake.kind());
    if (connector == null) {
      unknownKind("intake", intake, List.copyOf(connectors.intakes().keySet()), path, at);
      return;
    }
    checkKeys("the " + intake.kind() + " intake", intake, connector.keys(), path, at);
    connector.check(intake, site, path, at);
    if (connector.reads(intake).filter(pipeline.deadLetters()::equals).isPresent()) {
      at.error(
          "own-dead-letters",
          path.key(intake.kind()),
          "a pipeline does not take its own dead letters: those that die again would come for ever",
          Optional.of("take them in a pipeline of another name"));
    }
  }

  private void checkChannel(Settings channel, Diagnostics at) {
    if (channel.equals(Pipeline.IN_MEMORY)) {
      return;
    }
    KeyPath path = KeyPath.ROOT.key("channel");
    ChannelConnector connector = connectors.channels().get(channel.kind());
    if (connector == null) {
      unknownKind("channel", channel, List.copyOf(connectors.channels().keySet()), path, at);
      return;
    }
    checkKeys("a channel on " + channel.kind(), channel, connector.keys(), path, at);
    connector.check(channel, path, at);
  }

  private Optional<Destination> destination(String name) {
    if (definition.tables().containsKey(name)) {
      return Optional.of(new Destination.Rows(definition.tables().get(name)));
    }
    return Optional.ofNullable(definition.targets().get(name))
        .flatMap(
            settings ->
                Optional.ofNullable(connectors.targets().get(settings.kind()))
                    .map(connector -> connector.destination(settings)));
  }
}

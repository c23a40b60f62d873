package io.wexrun.project;

import io.wexrun.core.connect.IntakeConnector;
import io.wexrun.core.connect.StoreConnector;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.target.Destination;
import io.wexrun.core.shape.Shaper;
import io.wexrun.core.shape.Steps;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.stream.Stream;

/**
 * Types a whole workspace: everything that can be known before a run. Opens nothing but the
 * reference tables and schemas that steps name.
 */
final class Checker {
  /** The key of the intake that reads a queue, which every workspace can. */
  static final String QUEUE = "queue";

  static final List<String> QUEUE_KEYS = List.of(QUEUE, "start", "longest");

  private final Path folder;
  private final WorkspaceDefinition definition;
  private final DefinitionPlaces sources;
  private final Connectors connectors;
  private final Steps steps;
  private final Diagnostics diagnostics;

  Checker(
      Path folder,
      WorkspaceDefinition definition,
      DefinitionPlaces sources,
      Connectors connectors,
      Holdings holdings,
      Diagnostics diagnostics) {
    this.folder = folder;
    this.definition = definition;
    this.sources = sources;
    this.connectors = connectors;
    this.steps =
        connectors
            .steps()
            .with(new WorkspaceReferences(folder, definition, connectors.references(), holdings));
    this.diagnostics = diagnostics;
  }

  /** Checks everything and compiles every pipeline. */
  Map<String, Shaper> check() {
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
    return shapers;
  }

  private void runCases(String pipeline, Shaper shaper) {
    for (DefinitionPlaces.PlacedCase placed : sources.cases(pipeline)) {
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
    Diagnostics at = sources.ofWorkspace(diagnostics);
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
      if (definition.queues().containsKey(table.name())) {
        at.error(
            "duplicate-name",
            path,
            "a queue is also named '" + table.name() + "', so a route cannot tell them apart",
            Optional.of("rename one of them"));
      }
    }
  }

  private void checkStore(Settings settings, KeyPath path, Diagnostics at) {
    StoreConnector connector = connectors.stores().get(settings.kind());
    if (connector == null) {
      unknownKind("store", settings, List.copyOf(connectors.stores().keySet()), path, at);
      return;
    }
    checkKeys("a " + settings.kind() + " store", settings, connector.keys(), path, at);
    connector.check(settings, path, at);
  }

  private static void unknownKind(
      String what, Settings settings, List<String> known, KeyPath path, Diagnostics at) {
    at.keyError(
        "unknown-" + what,
        path.key(settings.kind()),
        "there is no " + what + " of the kind '" + settings.kind() + "'",
        Diagnostics.nearestOrKnown(settings.kind(), known, k -> "the kinds are " + k));
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
  Shaper compile(Pipeline pipeline) {
    Diagnostics at = sources.ofPipeline(pipeline.name(), diagnostics);
    checkIntake(pipeline.intake(), at);
    List<String> known =
        Stream.concat(definition.tables().keySet().stream(), definition.queues().keySet().stream())
            .toList();
    return Shaper.compile(pipeline, steps, this::destination, known, at);
  }

  private void checkIntake(Settings intake, Diagnostics at) {
    KeyPath path = KeyPath.ROOT.key("intake");
    if (intake.kind().isEmpty()) {
      return; // That it is missing was told when the file was read.
    }
    if (intake.kind().equals(QUEUE)) {
      checkKeys("a queue intake", intake, QUEUE_KEYS, path, at);
      checkQueueIntake(intake, path, at);
      return;
    }
    IntakeConnector connector = connectors.intakes().get(intake.kind());
    if (connector == null) {
      List<String> kinds = new ArrayList<>(connectors.intakes().keySet());
      kinds.add(QUEUE);
      unknownKind("intake", intake, kinds, path, at);
      return;
    }
    checkKeys("a " + intake.kind() + " intake", intake, connector.keys(), path, at);
    connector.check(intake, folder, path, at);
  }

  private void checkQueueIntake(Settings intake, KeyPath path, Diagnostics at) {
    if (!definition.queues().containsKey(intake.main())) {
      at.error(
          "unknown-queue",
          path.key(QUEUE),
          "there is no queue '" + intake.main() + "'",
          Diagnostics.nearestOrKnown(
              intake.main(), List.copyOf(definition.queues().keySet()), k -> "there are " + k));
    }
    String start = intake.text("start").orElse("oldest");
    if (!start.equals("oldest") && !start.equals("newest")) {
      at.error(
          "bad-value",
          path.key("start"),
          "'" + start + "' is neither oldest nor newest",
          Diagnostics.nearest(start, List.of("oldest", "newest")));
    }
  }

  private Optional<Destination> destination(String name) {
    if (definition.tables().containsKey(name)) {
      return Optional.of(new Destination.Rows(definition.tables().get(name)));
    }
    return definition.queues().containsKey(name)
        ? Optional.of(new Destination.Raw())
        : Optional.empty();
  }
}

package io.wexrun.project;

import io.wexrun.core.diagnose.Diagnostic;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.diagnose.Place;
import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.shape.Shaper;
import io.wexrun.project.check.Checker;
import io.wexrun.project.definition.WorkspaceDefinition;
import io.wexrun.project.open.Connectors;
import io.wexrun.project.open.Snapshot;
import io.wexrun.project.open.Stores;
import io.wexrun.project.open.WorkspaceReferences;
import io.wexrun.project.open.WorkspaceSite;
import io.wexrun.project.read.DefinitionPlaces;
import io.wexrun.project.read.StartedText;
import io.wexrun.project.run.Compiling;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/**
 * Checks and compiles the pipelines of a workspace, with what they look up. For several threads.
 */
final class Compilation {
  private final WorkspaceSite site;
  private final WorkspaceDefinition definition;
  private final DefinitionPlaces places;
  private final List<Diagnostic> readingMistakes;
  private final Connectors connectors;
  private final Stores stores;

  /**
   * Of a workspace.
   *
   * @param readingMistakes what was wrong with its files
   */
  Compilation(
      WorkspaceSite site,
      WorkspaceDefinition definition,
      DefinitionPlaces places,
      List<Diagnostic> readingMistakes,
      Connectors connectors,
      Stores stores) {
    this.site = site;
    this.definition = definition;
    this.places = places;
    this.readingMistakes = readingMistakes;
    this.connectors = connectors;
    this.stores = stores;
  }

  /** The mistakes of reading and of checking, in the order of their places. */
  List<Diagnostic> inOrder(Diagnostics checked) {
    List<Diagnostic> all = new ArrayList<>(readingMistakes);
    all.addAll(checked.all());
    all.sort(
        Comparator.comparing((Diagnostic d) -> d.place().map(Place::file).orElse(""))
            .reversed()
            .thenComparing(d -> d.place().map(Place::line).orElse(0))
            .thenComparing(d -> d.place().map(Place::column).orElse(0)));
    return all;
  }

  /**
   * Requires that the files could be read whole.
   *
   * @throws OutsideException if something that the files refer to is not there, such as the table
   *     that another one is like, and nothing is wrong with the files themselves
   */
  void requireRead() {
    if (readingMistakes.stream().noneMatch(Scene::isMistake)) {
      readingMistakes.stream()
          .filter(Scene::isError)
          .findFirst()
          .ifPresent(
              first -> {
                throw new OutsideException(first.render());
              });
    }
  }

  Map<String, Shaper> compile(Diagnostics diagnostics) {
    return compile(diagnostics, new HashMap<>());
  }

  /**
   * Checks and compiles all pipelines.
   *
   * @param looksUp takes what each one looks up
   */
  Map<String, Shaper> compile(Diagnostics diagnostics, Map<String, Snapshot> looksUp) {
    if (!places.hasWorkspace() && !readingMistakes.isEmpty()) {
      return Map.of(); // Every name would look unknown.
    }
    if (definition.pipelines().isEmpty() && readingMistakes.isEmpty()) {
      places
          .ofWorkspace(diagnostics)
          .warning(
              "no-pipeline",
              KeyPath.ROOT,
              "the workspace has no pipeline, so there is nothing to run",
              Optional.of("pipelines stand in pipelines/*.yaml"));
    }
    return checker(places, diagnostics, looksUp).check();
  }

  private Checker checker(
      DefinitionPlaces where, Diagnostics diagnostics, Map<String, Snapshot> looksUp) {
    return new Checker(
        site,
        definition,
        where,
        connectors,
        name -> looksUp.computeIfAbsent(name, n -> references().now()),
        diagnostics);
  }

  WorkspaceReferences references() {
    return new WorkspaceReferences(
        site.folder(), site.data(), definition, connectors.references(), stores);
  }

  /** Compiles pipelines while they run, and as they were. */
  Compiling compiling() {
    return new Compiling() {
      @Override
      public Started started(Pipeline pipeline, Instant now) {
        Optional<StartedText> text = places.start(pipeline.name());
        return text.isEmpty()
            ? new Started(pipeline, Map.of())
            : new Started(completed(text.get().at(now)), text.get().values(now));
      }

      @Override
      public Compiled now(Pipeline pipeline) {
        return compiled(pipeline, references().now(), definition);
      }

      @Override
      public Compiled asKept(
          Pipeline pipeline, Map<String, String> versions, Map<String, Table> tables) {
        return compiled(pipeline, references().asKept(versions), definition.with(tables));
      }
    };
  }

  private Pipeline completed(Pipeline pipeline) {
    return Completion.of(site.folder(), definition.withPipelines(List.of(pipeline)), connectors)
        .pipelines()
        .get(0);
  }

  /** A pipeline that is compiled, with what it depends on. */
  Compiling.Compiled with(Shaper shaper, Snapshot looksUp) {
    return with(shaper, looksUp, definition);
  }

  private static Compiling.Compiled with(
      Shaper shaper, Snapshot looksUp, WorkspaceDefinition whole) {
    Map<String, Table> tables = new LinkedHashMap<>();
    for (String target : shaper.targets()) {
      Optional.ofNullable(whole.tables().get(target)).ifPresent(table -> tables.put(target, table));
    }
    return new Compiling.Compiled(shaper, looksUp, tables);
  }

  /** Whether it is a file that is to be read: its pipeline takes the others, and waits for it. */
  private static boolean isMissingSource(Diagnostic found) {
    return found.code().equals("missing-file") && found.path().toString().startsWith("intake");
  }

  private Compiling.Compiled compiled(
      Pipeline pipeline, Snapshot looksUp, WorkspaceDefinition whole) {
    Diagnostics diagnostics = Diagnostics.of("pipeline " + pipeline.name());
    Checker checker =
        new Checker(site, whole, new DefinitionPlaces(), connectors, name -> looksUp, diagnostics);
    Shaper shaper = checker.compile(pipeline);
    diagnostics.all().stream()
        .filter(Scene::isError)
        .filter(d -> !isMissingSource(d))
        .findFirst()
        .ifPresent(
            first -> {
              throw new OutsideException(
                  first.message() + first.hint().map(hint -> ": " + hint).orElse(""));
            });
    return with(shaper, looksUp, whole);
  }
}

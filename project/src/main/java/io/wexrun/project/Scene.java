package io.wexrun.project;

import io.wexrun.core.diagnose.Diagnostic;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.diagnose.Severity;
import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.shape.Shaper;
import io.wexrun.project.definition.WorkspaceDefinition;
import io.wexrun.project.open.Connectors;
import io.wexrun.project.open.Ends;
import io.wexrun.project.open.Stores;
import io.wexrun.project.open.WorkspaceSite;
import io.wexrun.project.read.DefinitionPlaces;
import io.wexrun.project.read.DefinitionText;
import io.wexrun.project.read.WorkspaceReader;
import java.nio.file.Path;
import java.time.Instant;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Optional;
import java.util.stream.Stream;

/**
 * A workspace as its files say it at one time.
 *
 * @param places where in the files everything stands
 * @param compilation checks and compiles its pipelines
 * @param ends opens what they are connected to
 */
record Scene(
    WorkspaceDefinition definition, DefinitionPlaces places, Compilation compilation, Ends ends) {
  /**
   * What was read from files, or made in Java.
   *
   * @param mistakes what was wrong with the files
   */
  record Read(WorkspaceDefinition definition, DefinitionPlaces places, List<Diagnostic> mistakes) {
    /** What the files of a workspace say, with values for the pipelines' parameters. */
    static Read of(Path folder, Connectors connectors, Map<String, String> parameters) {
      Diagnostics diagnostics = Diagnostics.of("workspace");
      WorkspaceReader.Read read =
          WorkspaceReader.read(
              folder,
              connectors.sections(),
              connectors.columns(),
              (stores, store, table) ->
                  WorkspaceTables.live(folder, stores, connectors, store, table),
              parameters,
              diagnostics);
      return new Read(read.definition(), read.places(), diagnostics.all());
    }

    /** The same, with what need not be written. */
    Read completed(Path folder, Connectors connectors) {
      return new Read(Completion.of(folder, definition, connectors), places, mistakes);
    }
  }

  static Scene of(Read read, WorkspaceSite site, Stores stores, Connectors connectors) {
    return new Scene(
        read.definition(),
        read.places(),
        new Compilation(
            site, read.definition(), read.places(), read.mistakes(), connectors, stores),
        new Ends(site, read.definition(), connectors, stores));
  }

  static boolean isError(Diagnostic mistake) {
    return mistake.severity() == Severity.ERROR;
  }

  /** Whether it is a mistake of the text, which no waiting makes right. */
  static boolean isMistake(Diagnostic found) {
    return isError(found) && !found.isOutside();
  }

  /**
   * A pipeline whose start gives values, as if it were started at one time that is always the same.
   */
  private Pipeline atOneTime(Pipeline pipeline) {
    try {
      return compilation.compiling().started(pipeline, Instant.EPOCH).pipeline();
    } catch (OutsideException e) {
      return pipeline; // Its values fit at some times only.
    }
  }

  /**
   * For each of some pipelines everything that makes it what it is, but for what it looks up: if
   * that is the same, it need not be touched.
   *
   * @param shapers the compiled ones, by name; some may be missing
   */
  Map<String, String> signatures(List<Pipeline> pipelines, Map<String, Shaper> shapers) {
    Map<String, String> signatures = new HashMap<>();
    for (Pipeline pipeline : pipelines) {
      List<String> targets =
          Optional.ofNullable(shapers.get(pipeline.name()))
              .map(shaper -> List.copyOf(shaper.targets()))
              .orElse(List.of());
      List<Table> tables =
          targets.stream().map(definition.tables()::get).filter(Objects::nonNull).toList();
      StringBuilder text = new StringBuilder(DefinitionText.of(atOneTime(pipeline)));
      text.append(DefinitionText.of(tables));
      tables.stream()
          .map(table -> definition.stores().get(table.store()))
          .distinct()
          .forEach(text::append);
      Stream.concat(targets.stream(), ends.reads(pipeline.intake()).stream())
          .map(definition.targets()::get)
          .filter(Objects::nonNull)
          .forEach(text::append);
      text.append(pipeline.start()).append(pipeline.deaths());
      text.append(definition.encrypt()).append(definition.keys());
      signatures.put(pipeline.name(), text.toString());
    }
    return signatures;
  }
}

package io.wexrun.project;

import io.wexrun.core.connect.IntakeConnector;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.project.definition.WorkspaceDefinition;
import io.wexrun.project.open.Connectors;
import io.wexrun.project.open.WorkspaceSite;
import io.wexrun.project.read.DefinitionText;
import io.wexrun.queue.ends.Queues;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;

/**
 * Adds to a definition what files say of their own rows, and the queues of what is received, so
 * that they are part of it.
 */
final class Completion {
  private Completion() {}

  /** The definition with that among the settings of its intakes. */
  static WorkspaceDefinition of(
      Path folder, WorkspaceDefinition definition, Connectors connectors) {
    List<Pipeline> pipelines = new ArrayList<>();
    try (WorkspaceSite before = new WorkspaceSite(folder, definition, connectors)) {
      for (Pipeline pipeline : definition.pipelines()) {
        Settings intake = pipeline.intake();
        IntakeConnector connector = connectors.intakes().get(intake.kind());
        boolean unsaid =
            connector != null
                && connector.describes(intake)
                && !intake.values().containsKey(Settings.COLUMNS);
        Pipeline whole =
            unsaid
                ? pipeline.withIntake(
                    intake.with(Settings.COLUMNS, columns(pipeline, connector, before)))
                : pipeline;
        boolean own =
            connector != null
                && connector.receives()
                && !intake.values().containsKey(Settings.QUEUE);
        pipelines.add(
            own
                ? whole.withIntake(
                    whole.intake().with(Settings.QUEUE, Queues.RECEIVED + pipeline.name()))
                : whole);
      }
    }
    return definition.withPipelines(pipelines);
  }

  /** What the files say; if none is there any more, what they said when the pipeline ran last. */
  private static Object columns(Pipeline pipeline, IntakeConnector connector, WorkspaceSite site) {
    Map<String, Object> columns = connector.columns(pipeline.intake(), site);
    if (!columns.isEmpty()) {
      return columns;
    }
    return site.stateIfAny()
        .flatMap(state -> state.texts().current(pipeline.name()))
        .flatMap(kept -> DefinitionText.read(pipeline.name(), kept.text(), Diagnostics.of("kept")))
        .map(old -> old.intake().values().get(Settings.COLUMNS))
        .orElse(Map.of());
  }
}

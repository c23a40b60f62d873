package io.wexrun.cli;

import io.wexrun.project.WorkspaceRuns;
import io.wexrun.project.facts.PipelineStatus;
import java.util.Optional;
import picocli.CommandLine.Command;

@Command(
    name = "pause",
    mixinStandardHelpOptions = true,
    description = {
      "Let pipelines wait that run in another process: what they hold is flushed and accounted"
          + " for,",
      "and they take no more until they are resumed, or their run is started again."
    },
    footer = {
      "",
      "Exit codes: 0 paused; 2 no such pipeline; 3 some are in no run that goes on.",
      "",
      "Example: wexrun pause gate-load"
    })
final class PauseCommand extends ActCommand {
  PauseCommand(Terminal terminal) {
    super(terminal, "pause", "paused");
  }

  @Override
  Optional<PipelineStatus> ask(WorkspaceRuns runs, String pipeline) {
    return runs.pause(pipeline);
  }
}

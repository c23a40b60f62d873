package io.wexrun.cli;

import io.wexrun.project.WorkspaceRuns;
import io.wexrun.project.facts.PipelineStatus;
import java.util.Optional;
import picocli.CommandLine.Command;

@Command(
    name = "stop",
    mixinStandardHelpOptions = true,
    description = {
      "End pipelines that run in another process: what they hold is flushed and accounted for.",
      "The run goes on with the others, and ends when none is left."
    },
    footer = {
      "",
      "Exit codes: 0 stopped; 2 no such pipeline; 3 some are in no run that goes on.",
      "",
      "Example: wexrun stop gate-load"
    })
final class StopCommand extends ActCommand {
  StopCommand(Terminal terminal) {
    super(terminal, "stop", "stopped");
  }

  @Override
  Optional<PipelineStatus> ask(WorkspaceRuns runs, String pipeline) {
    return runs.stop(pipeline);
  }
}

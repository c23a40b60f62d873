package io.wexrun.cli;

import io.wexrun.project.WorkspaceRuns;
import io.wexrun.project.facts.PipelineStatus;
import java.util.Optional;
import picocli.CommandLine.Command;

@Command(
    name = "resume",
    mixinStandardHelpOptions = true,
    description = {
      "Let pipelines go on that were paused, where they stopped; one that has failed and waits",
      "is started at once."
    },
    footer = {
      "",
      "Exit codes: 0 resumed; 2 no such pipeline; 3 some are in no run that goes on.",
      "",
      "Example: wexrun resume gate-load"
    })
final class ResumeCommand extends ActCommand {
  ResumeCommand(Terminal terminal) {
    super(terminal, "resume", "resumed");
  }

  @Override
  Optional<PipelineStatus> ask(WorkspaceRuns runs, String pipeline) {
    return runs.resume(pipeline);
  }
}

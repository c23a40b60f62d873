package io.wexrun.cli;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.project.Workspace;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import picocli.CommandLine.Spec;

@Command(
    name = "adopt",
    mixinStandardHelpOptions = true,
    description = {
      "Let a renamed pipeline go on where it was under its old name.",
      "Its books, positions and dead letters become those of the new name; without it the new name",
      "takes everything from the start. Without --yes nothing is changed."
    },
    footer = {
      "",
      "Exit codes: 0 done, or it can be done; 2 no such pipeline; 3 it cannot be done, or one of",
      "  them runs.",
      "",
      "Example: wexrun adopt --workspace tram-demo gates-load gate-load"
    })
final class AdoptCommand implements Callable<Integer> {
  private final Terminal terminal;

  @Mixin private WorkspaceOption workspaceOption;
  @Mixin private ParameterOption parameterOption;
  @Spec private CommandSpec spec;

  @Parameters(
      index = "0",
      paramLabel = "OLD",
      description = "The name that is not defined any more.")
  private String from;

  @Parameters(index = "1", paramLabel = "NEW", description = "The pipeline that goes on.")
  private String to;

  @Option(names = "--yes", description = "Do it, not only say whether it can be done.")
  private boolean yes;

  AdoptCommand(Terminal terminal) {
    this.terminal = terminal;
  }

  @Override
  public Integer call() {
    try (Workspace workspace = workspaceOption.open(parameterOption.values())) {
      NamesGiven.pipelines(workspace, to, spec);
      NamesGiven.known("undefined pipeline", from, workspace.undefined(), spec);
      if (yes) {
        workspace.adopt(from, to);
      }
      Optional<String> why = yes ? Optional.empty() : workspace.whyNotAdopt(from, to);
      if (why.isPresent()) {
        throw new OutsideException(to + " cannot go on where " + from + " was: " + why.get());
      }
      if (workspaceOption.json()) {
        Map<String, Object> facts = new LinkedHashMap<>();
        facts.put("from", from);
        facts.put("to", to);
        facts.put("done", yes);
        terminal.json(facts);
      } else {
        terminal.say(
            to
                + (yes ? " goes on where " : " can go on where ")
                + from
                + " was"
                + (yes ? "" : "; nothing was changed, add --yes to do it"));
      }
      return ExitCode.DONE;
    }
  }
}

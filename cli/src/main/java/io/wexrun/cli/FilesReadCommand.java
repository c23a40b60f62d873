package io.wexrun.cli;

import io.wexrun.core.diagnose.Counted;
import io.wexrun.core.target.Answer;
import io.wexrun.project.Workspace;
import java.nio.file.Path;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Option;
import picocli.CommandLine.ParameterException;
import picocli.CommandLine.Parameters;
import picocli.CommandLine.Spec;

@Command(
    name = "read",
    mixinStandardHelpOptions = true,
    description = {
      "Show the first rows of a file of a table: Parquet, NDJSON or CSV, compressed or not.",
      "One that is encrypted is read with the workspace's keys. With --json, a row is a line."
    },
    footer = {
      "",
      "Exit codes: 0 done; 3 there is no such file, or it cannot be read.",
      "",
      "Example: wexrun files read archive/position_files/*/*/*.parquet --rows 5"
    })
final class FilesReadCommand implements Callable<Integer> {
  private final Terminal terminal;

  @Mixin private WorkspaceOption workspaceOption;
  @Spec private CommandSpec spec;

  @Parameters(index = "0", paramLabel = "FILE", description = "Which file.")
  private Path file;

  @Option(
      names = "--rows",
      paramLabel = "N",
      defaultValue = "10",
      description = "How many rows at most (${DEFAULT-VALUE}).")
  private int rows;

  FilesReadCommand(Terminal terminal) {
    this.terminal = terminal;
  }

  @Override
  public Integer call() {
    if (rows < 1) {
      throw new ParameterException(spec.commandLine(), "--rows is at least 1");
    }
    try (Workspace workspace = workspaceOption.open()) {
      Answer answer = workspace.files().read(terminal.at(file), rows);
      if (workspaceOption.json()) {
        for (Map<String, Object> row : SqlCommand.rows(answer)) {
          terminal.json(row);
        }
      } else if (answer.rows().isEmpty()) {
        terminal.say(file + " has no rows");
      } else {
        SqlCommand.show(answer, terminal);
        terminal.say(Counted.of(answer.rows().size(), "row"));
      }
      return ExitCode.DONE;
    }
  }
}

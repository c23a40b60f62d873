package io.wexrun.cli;

import io.wexrun.project.Workspace;
import io.wexrun.project.check.FileForms;
import java.nio.file.Path;
import java.util.Locale;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

@Command(
    name = "schema",
    mixinStandardHelpOptions = true,
    description = {
      "Write the JSON Schema of pipeline files or of wexrun.yaml, for editors.",
      "They complete and check YAML by it. Steps, intakes and stores of the workspace's plugins"
          + " are",
      "in it."
    },
    footer = {
      "",
      "Exit codes: 0 written.",
      "",
      "Example: wexrun schema pipeline --workspace tram-demo"
    })
final class SchemaCommand implements Callable<Integer> {
  private final Terminal terminal;

  /** The files that have a schema. */
  enum What {
    PIPELINE,
    WORKSPACE;

    @Override
    public String toString() {
      return name().toLowerCase(Locale.ROOT);
    }
  }

  @Parameters(
      index = "0",
      arity = "0..1",
      paramLabel = "FILE",
      defaultValue = "pipeline",
      description = "Which files: ${COMPLETION-CANDIDATES} (default ${DEFAULT-VALUE}).")
  private What what;

  @Option(
      names = {"-w", "--workspace"},
      paramLabel = "FOLDER",
      description = "The workspace whose plugins count; without it, the nearest one, if any.")
  private Path folder;

  @Option(names = "--json", description = "Write it on one line if it is piped.")
  private boolean json;

  SchemaCommand(Terminal terminal) {
    this.terminal = terminal;
  }

  @Override
  public Integer call() {
    Path here = terminal.here();
    Path workspace = folder != null ? terminal.at(folder) : Workspace.find(here).orElse(here);
    Map<String, Object> schema =
        what == What.PIPELINE ? FileForms.pipeline(workspace) : FileForms.workspace(workspace);
    if (json) {
      terminal.json(schema);
    } else {
      terminal.pretty(schema);
    }
    return ExitCode.DONE;
  }
}

package io.wexrun.cli;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.project.Workspace;
import java.nio.file.Path;
import java.util.Map;
import java.util.Optional;
import picocli.CommandLine.Option;

/** The options of every command that works in a workspace. */
final class WorkspaceOption {
  @Option(
      names = {"-w", "--workspace"},
      paramLabel = "FOLDER",
      description = "The workspace; without it, the nearest folder upwards with a wexrun.yaml.")
  private Path folder;

  @Option(names = "--json", description = "Write the same facts as JSON.")
  private boolean json;

  private final Terminal terminal;

  WorkspaceOption(Terminal terminal) {
    this.terminal = terminal;
  }

  boolean json() {
    return json;
  }

  /** The folder that was named. */
  Optional<Path> folder() {
    return Optional.ofNullable(folder).map(terminal::at);
  }

  Workspace open() {
    return open(Map.of());
  }

  /** Opens the workspace with values of parameters. */
  Workspace open(Map<String, String> parameters) {
    if (folder != null) {
      return Workspace.open(terminal.at(folder), parameters);
    }
    Path here = terminal.here();
    return Workspace.open(
        Workspace.find(here)
            .orElseThrow(
                () ->
                    new OutsideException(
                        "there is no workspace here: neither "
                            + here
                            + " nor a folder above it has"
                            + " a wexrun.yaml. Go to one, give one with --workspace, or make one"
                            + " with 'wexrun demo'")),
        parameters);
  }
}

package io.wexrun.cli;

import io.wexrun.core.pipeline.Sizes;
import io.wexrun.network.access.Tokens;
import io.wexrun.project.Workspace;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Option;
import picocli.CommandLine.ParameterException;
import picocli.CommandLine.Parameters;
import picocli.CommandLine.Spec;

@Command(
    name = "add",
    mixinStandardHelpOptions = true,
    description = {
      "Make a token, and write its secret, once: a sender shows it as Authorization: Bearer"
          + " SECRET.",
      "Only the secret goes to standard output, so that it can be sent to a file or a vault."
    },
    footer = {
      "",
      "Exit codes: 0 done; 2 wrong command line; 3 there is one of the name, or no workspace.",
      "",
      "Example: wexrun token add depot-south --append received/depot-door --rate 5000"
    })
final class TokenAddCommand implements Callable<Integer> {
  private final Terminal terminal;

  @Mixin private WorkspaceOption workspaceOption;
  @Spec private CommandSpec spec;

  @Parameters(index = "0", paramLabel = "NAME", description = "Who is going to have it.")
  private String name;

  @Option(
      names = "--append",
      paramLabel = "QUEUE",
      description =
          "A queue that its holder may append to; may be repeated. Without it, all. A pipeline"
              + " that names no queue receives into received/PIPELINE.")
  private List<String> append = List.of();

  @Option(
      names = "--rate",
      paramLabel = "RECORDS",
      defaultValue = "0",
      description = "So many records a second at most. Without it, any number.")
  private long rate;

  @Option(
      names = "--most",
      paramLabel = "SIZE",
      description = "The largest request, such as 1MB. Without it, what the intake takes.")
  private String most;

  @Option(
      names = "--figures",
      description =
          "Its holder may read the figures of a run; and append only where --append says.")
  private boolean figures;

  TokenAddCommand(Terminal terminal) {
    this.terminal = terminal;
  }

  @Override
  public Integer call() {
    Optional<Long> bytes = most == null ? Optional.of(0L) : Sizes.bytes(most).filter(n -> n > 0);
    if (bytes.isEmpty() || rate < 0) {
      throw new ParameterException(
          spec.commandLine(), "--rate is a number of records, and --most a size such as 1MB");
    }
    if (!name.matches("[A-Za-z0-9][A-Za-z0-9_.-]{0,99}")) {
      throw new ParameterException(
          spec.commandLine(),
          "'" + name + "' is not a name: use letters, digits, '.', '-' and '_'");
    }
    try (Workspace workspace = workspaceOption.open()) {
      for (String queue : append) {
        NamesGiven.known("queue", queue, workspace.queues().received(), spec);
      }
      List<String> queues = append.isEmpty() && !figures ? List.of("*") : append;
      Tokens.Made made = new Tokens(workspace.data()).add(name, queues, figures, rate, bytes.get());
      workspace.history().note("add token", name, TokenCommand.rights(made.token()));
      if (workspaceOption.json()) {
        Map<String, Object> facts = new LinkedHashMap<>(TokenCommand.facts(made.token()));
        facts.put("secret", made.secret());
        terminal.json(facts);
      } else {
        terminal.out.println(made.secret());
        terminal.flush();
        terminal.say("this is shown only now; wexrun token revoke " + name + " takes it back");
      }
      return ExitCode.DONE;
    }
  }
}

package io.wexrun.cli;

import io.wexrun.network.access.Token;
import io.wexrun.network.access.Tokens;
import io.wexrun.project.Workspace;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Parameters;
import picocli.CommandLine.Spec;

@Command(
    name = "revoke",
    mixinStandardHelpOptions = true,
    description = "Take a token back: within a second nobody gets in with it any more.",
    footer = {
      "",
      "Exit codes: 0 revoked; 2 there is no such token; 3 no workspace.",
      "",
      "Example: wexrun token revoke depot-south"
    })
final class TokenRevokeCommand implements Callable<Integer> {
  private final Terminal terminal;

  @Mixin private WorkspaceOption workspaceOption;
  @Spec private CommandSpec spec;

  @Parameters(index = "0", paramLabel = "NAME", description = "Which token.")
  private String name;

  TokenRevokeCommand(Terminal terminal) {
    this.terminal = terminal;
  }

  @Override
  public Integer call() {
    try (Workspace workspace = workspaceOption.open()) {
      Tokens tokens = new Tokens(workspace.data());
      NamesGiven.known("token", name, tokens.all().stream().map(Token::name).toList(), spec);
      boolean revoked = tokens.revoke(name);
      workspace.history().note("revoke token", name, "");
      if (workspaceOption.json()) {
        terminal.json(Map.of("name", name, "revoked", revoked));
      } else {
        terminal.say("revoked token " + name);
      }
      return ExitCode.DONE;
    }
  }
}

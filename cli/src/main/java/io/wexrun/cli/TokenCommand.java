package io.wexrun.cli;

import io.wexrun.core.diagnose.Counted;
import io.wexrun.core.pipeline.Sizes;
import io.wexrun.network.access.Token;
import io.wexrun.network.access.Tokens;
import io.wexrun.project.Workspace;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;

@Command(
    name = "token",
    mixinStandardHelpOptions = true,
    description = {
      "Show the tokens with which senders may append to queues; their secrets are kept nowhere.",
      "The commands below make and revoke them; a run that goes on knows it within a second."
    },
    subcommands = {TokenAddCommand.class, TokenRevokeCommand.class},
    footer = {"", "Exit codes: 0 done; 3 no workspace.", "", "Example: wexrun token"})
final class TokenCommand implements Callable<Integer> {
  private final Terminal terminal;

  @Mixin private WorkspaceOption workspaceOption;

  TokenCommand(Terminal terminal) {
    this.terminal = terminal;
  }

  @Override
  public Integer call() {
    try (Workspace workspace = workspaceOption.open()) {
      List<Token> tokens = new Tokens(workspace.data()).all();
      if (workspaceOption.json()) {
        terminal.json(Map.of("tokens", tokens.stream().map(TokenCommand::facts).toList()));
        return ExitCode.DONE;
      }
      List<List<String>> rows = new ArrayList<>();
      for (Token token : tokens) {
        rows.add(
            List.of(
                token.name(),
                rights(token),
                token.rate() == 0 ? "" : Counted.number(token.rate()),
                token.most() == 0 ? "" : Sizes.show(token.most()),
                token.made().toString()));
      }
      if (rows.isEmpty()) {
        terminal.say("there are no tokens: wexrun token add NAME makes one");
      } else {
        terminal.table(
            List.of("token", "may", "records/s", "largest request", "made"),
            List.of(false, false, true, true, false),
            rows);
      }
      terminal.flush();
      return ExitCode.DONE;
    }
  }

  /** What its holder may do, in words. */
  static String rights(Token token) {
    String append =
        token.append().isEmpty()
            ? ""
            : token.append().contains("*")
                ? "append to all queues"
                : "append to " + String.join(", ", token.append());
    String figures = token.figures() ? "read figures" : "";
    return append + (append.isEmpty() || figures.isEmpty() ? "" : "; ") + figures;
  }

  /** What may be known of a token. */
  static Map<String, Object> facts(Token token) {
    Map<String, Object> facts = new LinkedHashMap<>();
    facts.put("name", token.name());
    facts.put("append", token.append());
    facts.put("figures", token.figures());
    facts.put("rate", token.rate());
    facts.put("most", token.most());
    facts.put("made", token.made().toString());
    return facts;
  }
}

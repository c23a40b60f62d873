package io.wexrun.cli;

import io.wexrun.project.Workspace;
import io.wexrun.project.facts.Finding;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;

@Command(
    name = "doctor",
    mixinStandardHelpOptions = true,
    description = {
      "Look at a workspace as somebody does who is called when something does not work: rights,",
      "room on the disk, clock, files, runs, books, stores, queues, deliveries and sources.",
      "Changes nothing, and says what to do."
    },
    footer = {
      "",
      "Exit codes: 0 nothing is wrong, though something may be doubtful; 1 something is wrong;",
      "  3 no workspace.",
      "",
      "Example: wexrun doctor"
    })
final class DoctorCommand implements Callable<Integer> {
  private final Terminal terminal;

  @Mixin private WorkspaceOption workspaceOption;

  DoctorCommand(Terminal terminal) {
    this.terminal = terminal;
  }

  @Override
  public Integer call() {
    try (Workspace workspace = workspaceOption.open()) {
      List<Finding> findings = workspace.doctor();
      if (workspaceOption.json()) {
        terminal.json(Map.of("findings", findings.stream().map(DoctorCommand::facts).toList()));
      } else {
        findings.forEach(this::show);
        terminal.flush();
      }
      boolean wrong = findings.stream().anyMatch(f -> f.kind() == Finding.Kind.WRONG);
      return wrong ? ExitCode.MISTAKES : ExitCode.DONE;
    }
  }

  private static Map<String, Object> facts(Finding finding) {
    Map<String, Object> facts = new LinkedHashMap<>();
    facts.put("kind", finding.kind().name().toLowerCase(Locale.ROOT));
    facts.put("subject", finding.subject());
    facts.put("what", finding.what());
    facts.put("then", finding.then());
    return facts;
  }

  private void show(Finding finding) {
    Terminal.Style style =
        switch (finding.kind()) {
          case WRONG -> Terminal.Style.BAD;
          case DOUBTFUL -> Terminal.Style.WARNING;
          case GOOD -> Terminal.Style.GOOD;
        };
    String word = finding.kind().name().toLowerCase(Locale.ROOT);
    terminal.out.println(
        terminal.style(style, String.format("%-8s", word))
            + "  "
            + terminal.style(Terminal.Style.BOLD, String.format("%-10s", finding.subject()))
            + "  "
            + finding.what());
    if (!finding.then().isEmpty()) {
      terminal.out.println(" ".repeat(22) + terminal.style(Terminal.Style.DIM, finding.then()));
    }
  }
}

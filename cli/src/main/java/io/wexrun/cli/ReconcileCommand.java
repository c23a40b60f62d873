package io.wexrun.cli;

import io.wexrun.core.diagnose.Counted;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.run.Setback;
import io.wexrun.project.Reconciliation;
import io.wexrun.project.Workspace;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalLong;
import java.util.concurrent.Callable;
import picocli.CommandLine.ArgGroup;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Option;
import picocli.CommandLine.ParameterException;
import picocli.CommandLine.Parameters;
import picocli.CommandLine.Spec;

@Command(
    name = "reconcile",
    mixinStandardHelpOptions = true,
    description = {
      "Say where targets and the tally do not agree, and settle it.",
      "That happens when a table is dropped, a store is removed or put back from a backup, or the",
      "state in .wexrun is removed. Runs stop then, since going on would lose or double records.",
      "Without --yes nothing is changed."
    },
    footer = {
      "",
      "Exit codes: 0 all agrees, or it is settled; 2 no such pipeline; 3 a store or the pipeline"
          + " is",
      "  held by another process, or a source does not have it any more; 4 something does not"
          + " agree.",
      "",
      "Example: wexrun reconcile --workspace tram-demo"
    })
final class ReconcileCommand implements Callable<Integer> {
  /** What it means to accept rows that nobody knows where they come from. */
  private static final Map<Setback.Kind, String> MORE =
      Map.of(
          Setback.Kind.REPLAYED,
          "these rows stay. Their dead letters are there again: replay only those of which the"
              + " table has no row, or their rows are loaded twice",
          Setback.Kind.AHEAD,
          "these rows stay, and new records of the queue get positions behind theirs. What the"
              + " pipelines that fill it append again is loaded again");

  private final Terminal terminal;

  @Mixin private WorkspaceOption workspaceOption;
  @Mixin private ParameterOption parameterOption;
  @Spec private CommandSpec spec;

  @Parameters(
      index = "0",
      arity = "0..1",
      paramLabel = "PIPELINE",
      description = "Which pipeline; without a name, all.")
  private String pipeline;

  /** What is done about it. */
  private static final class Choice {
    @Option(
        names = "--again",
        description = "The next run takes again from the sources what is missing.")
    private boolean again;

    @Option(
        names = "--accept",
        description = "What is missing is lost, and the tally counts it so.")
    private boolean accept;
  }

  @ArgGroup(exclusive = true)
  private Choice choice = new Choice();

  @Option(
      names = "--reread",
      description =
          "With --again: also if that appends records to a queue whose readers have read them, and"
              + " then read them a second time.")
  private boolean reread;

  @Option(names = "--yes", description = "Do it, not only say what would be done.")
  private boolean yes;

  ReconcileCommand(Terminal terminal) {
    this.terminal = terminal;
  }

  @Override
  public Integer call() {
    try (Workspace workspace = workspaceOption.open(parameterOption.values())) {
      if (yes && !choice.again && !choice.accept) {
        throw new ParameterException(spec.commandLine(), "--yes to what? Say --again or --accept");
      }
      List<Map<String, Object>> facts = new ArrayList<>();
      boolean open = false;
      for (String name : NamesGiven.pipelines(workspace, pipeline, spec)) {
        Reconciliation reconciliation = workspace.reconciliation(name);
        List<Setback> setbacks = reconciliation.setbacks();
        if (setbacks.isEmpty() && !(choice.accept && yes && pipeline != null)) {
          continue;
        }
        facts.add(facts(reconciliation, setbacks));
        if (!workspaceOption.json()) {
          show(reconciliation, setbacks);
        }
        open |= !settle(reconciliation);
      }
      if (workspaceOption.json()) {
        terminal.json(Map.of("pipelines", facts));
      } else if (facts.isEmpty()) {
        terminal.say("targets and tally agree");
      }
      return open ? ExitCode.UNBALANCED : ExitCode.DONE;
    }
  }

  /** Does what was chosen; false if nothing was. */
  private boolean settle(Reconciliation reconciliation) {
    if (!yes) {
      return false;
    }
    String name = reconciliation.pipeline();
    if (choice.again) {
      List<String> rereading = reconciliation.rereading();
      if (!rereading.isEmpty() && !reread) {
        throw new OutsideException(name + " takes nothing again: " + twice(rereading));
      }
      reconciliation.takeAgain();
      terminal.say(name + ": the next run takes again what is missing, then it goes on");
    } else {
      reconciliation.accept();
      terminal.say(name + ": settled; the tally shows as lost what is missing, and runs go on");
    }
    return true;
  }

  private static String twice(List<String> rereading) {
    return String.join("; ", rereading)
        + ", and would read these records a second time. Accept the loss, since they were read; or"
        + " put a newer copy of the queue back; or say --again --reread";
  }

  private void show(Reconciliation reconciliation, List<Setback> setbacks) {
    Optional<String> forgottenWhy =
        setbacks.isEmpty() ? Optional.empty() : reconciliation.whyNotAgain();
    List<String> rereading = reread ? List.of() : reconciliation.rereading();
    Optional<String> whyNot =
        forgottenWhy.isPresent() || rereading.isEmpty()
            ? forgottenWhy
            : Optional.of(twice(rereading));
    for (Setback setback : setbacks) {
      terminal.out.println(setback);
      if (yes) {
        continue;
      }
      OptionalLong lost = reconciliation.lost(setback);
      boolean forgotten = setback.kind() == Setback.Kind.FORGOTTEN;
      terminal.out.println(
          "  --accept: "
              + (forgotten && forgottenWhy.isPresent()
                  ? "not possible: " + forgottenWhy.get()
                  : forgotten
                      ? "these rows count for what they are; what the sources have is taken from"
                          + " its start, and rows that are there by their positions are passed"
                          + " over"
                      : MORE.containsKey(setback.kind())
                          ? MORE.get(setback.kind())
                          : (lost.isPresent()
                                  ? Counted.of(lost.getAsLong(), "row")
                                      + (lost.getAsLong() == 1 ? " counts" : " count")
                                  : "what is missing counts (how much, the target cannot tell)")
                              + " as lost from now on"));
    }
    if (!setbacks.isEmpty() && !yes) {
      terminal.out.println(
          "  --again:  "
              + whyNot
                  .map(why -> "not possible: " + why)
                  .orElse(
                      "the sources have it; the next run of "
                          + reconciliation.pipeline()
                          + " takes it again, into "
                          + String.join(
                              " and ", setbacks.stream().map(Setback::target).distinct().toList())
                          + " alone"));
    }
    terminal.flush();
    if (!yes && !setbacks.isEmpty()) {
      terminal.say(
          "nothing was changed; 'wexrun reconcile "
              + reconciliation.pipeline()
              + " --again --yes' or '--accept --yes' does it");
    }
  }

  private static Map<String, Object> facts(Reconciliation reconciliation, List<Setback> setbacks) {
    Map<String, Object> facts = new LinkedHashMap<>();
    facts.put("pipeline", reconciliation.pipeline());
    facts.put("targets", setbacks.stream().map(s -> facts(reconciliation, s)).toList());
    reconciliation.whyNotAgain().ifPresent(why -> facts.put("whyNotAgain", why));
    facts.put("readTwice", reconciliation.rereading());
    return facts;
  }

  private static Map<String, Object> facts(Reconciliation reconciliation, Setback setback) {
    Map<String, Object> facts = facts(setback);
    reconciliation.lost(setback).ifPresent(lost -> facts.put("lostIfAccepted", lost));
    return facts;
  }

  /** A target that does not agree with the tally, for machines. */
  static Map<String, Object> facts(Setback setback) {
    Map<String, Object> facts = new LinkedHashMap<>();
    facts.put("pipeline", setback.pipeline());
    facts.put("target", setback.target());
    facts.put("what", setback.kind().name().toLowerCase(java.util.Locale.ROOT));
    List<Map<String, Object>> gaps = new ArrayList<>();
    for (Setback.Gap gap : setback.gaps()) {
      Map<String, Object> fact = new LinkedHashMap<>();
      fact.put("source", gap.source().name());
      fact.put("has", gap.has());
      fact.put("had", gap.had());
      gaps.add(fact);
    }
    facts.put("sources", gaps);
    facts.put("text", setback.toString());
    return facts;
  }
}

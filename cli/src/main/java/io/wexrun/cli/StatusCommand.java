package io.wexrun.cli;

import io.wexrun.core.diagnose.Counted;
import io.wexrun.core.run.Progress;
import io.wexrun.project.Workspace;
import io.wexrun.project.facts.PipelineStatus;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import picocli.CommandLine.Spec;

@Command(
    name = "status",
    mixinStandardHelpOptions = true,
    description = {
      "Show how the pipelines stand that run in other processes of this workspace: what each does,",
      "since when, what it has done since its run began, and why it does not run if it does not."
    },
    footer = {
      "",
      "Exit codes: 0 all that were asked for run; 2 no such pipeline; 3 some do not run.",
      "",
      "Example: wexrun status"
    })
final class StatusCommand implements Callable<Integer> {
  private final Terminal terminal;

  @Mixin private WorkspaceOption workspaceOption;
  @Spec private CommandSpec spec;

  @Parameters(
      arity = "0..*",
      paramLabel = "PIPELINE",
      description =
          "Which pipelines: names, patterns such as 'gate-*', or tag:WORD. Without one, all.")
  private List<String> names = List.of();

  @Option(
      names = "--verbose",
      description = "Also show what each step and target did, and how long it took.")
  private boolean verbose;

  StatusCommand(Terminal terminal) {
    this.terminal = terminal;
  }

  @Override
  public Integer call() {
    try (Workspace workspace = workspaceOption.open()) {
      List<String> wanted = NamesGiven.chosen(workspace, names, spec);
      Map<String, PipelineStatus> running = new LinkedHashMap<>();
      workspace.runs().status().forEach(each -> running.put(each.pipeline(), each));
      List<PipelineStatus> shown =
          running.values().stream()
              .filter(each -> names.isEmpty() || wanted.contains(each.pipeline()))
              .toList();
      List<String> still = wanted.stream().filter(name -> !running.containsKey(name)).toList();
      if (workspaceOption.json()) {
        Map<String, Object> facts = new LinkedHashMap<>();
        facts.put("pipelines", shown.stream().map(StatusCommand::facts).toList());
        facts.put("not-running", still);
        terminal.json(facts);
      } else {
        show(shown, terminal);
        if (verbose) {
          shown.forEach(each -> WorkView.show(each.pipeline(), each.work(), terminal));
        }
        if (!still.isEmpty()) {
          terminal.say(
              (running.isEmpty() ? "nothing runs here: " : "not in any run: ")
                  + String.join(", ", still));
        }
      }
      boolean all = still.isEmpty() && shown.stream().allMatch(StatusCommand::isWell);
      return all ? ExitCode.DONE : ExitCode.OUTSIDE;
    }
  }

  private static boolean isWell(PipelineStatus each) {
    return each.state() == PipelineStatus.State.RUNNING
        || each.state() == PipelineStatus.State.SLEEPING;
  }

  static Map<String, Object> facts(PipelineStatus each) {
    Map<String, Object> facts = new LinkedHashMap<>();
    facts.put("pipeline", each.pipeline());
    facts.put("state", each.state().name().toLowerCase(Locale.ROOT));
    facts.put("since", each.since().toString());
    each.why().ifPresent(why -> facts.put("why", why));
    each.next().ifPresent(next -> facts.put("next", next.toString()));
    facts.put("failures", each.failures());
    Progress done = each.progress();
    facts.put("taken", done.taken());
    facts.put("loaded", done.loaded());
    facts.put("dead", done.dead());
    facts.put("dropped", done.dropped());
    facts.put("held", done.held());
    facts.put("bytes", done.bytes());
    facts.put("rate", Math.round(each.rate() * 10) / 10.0);
    facts.putAll(WorkView.facts(each));
    return facts;
  }

  /** Writes how pipelines stand as a table, and below it why some do not run. */
  static void show(List<PipelineStatus> all, Terminal terminal) {
    if (all.isEmpty()) {
      return;
    }
    List<List<String>> rows = new ArrayList<>();
    for (PipelineStatus each : all) {
      Progress done = each.progress();
      rows.add(
          List.of(
              each.pipeline(),
              styled(each.state(), terminal),
              ago(each.since()),
              Counted.number(done.taken()),
              Counted.number(done.loaded()),
              Counted.number(done.dead()),
              Counted.number(done.held()),
              WorkView.oldest(each.situation()).orElse("·"),
              WorkView.behind(each.situation()).orElse("·"),
              Counted.number(Math.round(each.rate()))));
    }
    terminal.table(
        List.of(
            "pipeline",
            "state",
            "for",
            "taken",
            "loaded",
            "dead",
            "held",
            "oldest",
            "behind",
            "records/s"),
        List.of(false, false, true, true, true, true, true, true, true, true),
        rows);
    for (PipelineStatus each : all) {
      if (each.state() == PipelineStatus.State.SLEEPING && each.why().isEmpty()) {
        terminal.out.println(
            terminal.style(Terminal.Style.BOLD, each.pipeline())
                + each.next()
                    .map(n -> " is started in " + until(n))
                    .orElse(" is started after others"));
      }
      each.why()
          .ifPresent(
              why ->
                  terminal.out.println(
                      terminal.style(Terminal.Style.BOLD, each.pipeline())
                          + " "
                          + why
                          + each.next().map(n -> "; started again in " + until(n)).orElse("")));
    }
    terminal.flush();
  }

  private static String styled(PipelineStatus.State state, Terminal terminal) {
    String word = state.name().toLowerCase(Locale.ROOT);
    return switch (state) {
      case RUNNING -> terminal.style(Terminal.Style.GOOD, word);
      case FAILED, WAITING -> terminal.style(Terminal.Style.BAD, word);
      default -> word;
    };
  }

  private static String ago(Instant since) {
    return time(Duration.between(since, Instant.now()));
  }

  private static String until(Instant next) {
    return time(Duration.between(Instant.now(), next));
  }

  /** A time in its largest unit, or two. */
  static String time(Duration time) {
    long seconds = Math.max(0, time.toSeconds());
    if (seconds < 60) {
      return seconds + " s";
    } else if (seconds < 3600) {
      return seconds / 60 + " min " + seconds % 60 + " s";
    } else if (seconds < 86_400) {
      return seconds / 3600 + " h " + seconds / 60 % 60 + " min";
    }
    return seconds / 86_400 + " d " + seconds / 3600 % 24 + " h";
  }
}

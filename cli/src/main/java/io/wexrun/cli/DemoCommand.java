package io.wexrun.cli;

import io.wexrun.cli.demo.DemoWorkspace;
import io.wexrun.core.diagnose.Counted;
import io.wexrun.core.run.RunOptions;
import io.wexrun.core.tally.Tally;
import io.wexrun.project.Workspace;
import io.wexrun.project.WorkspaceRun;
import java.nio.file.Path;
import java.util.List;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

@Command(
    name = "demo",
    mixinStandardHelpOptions = true,
    description = {
      "Make a workspace with made-up data of Ostrel Trams, and run it to the end.",
      "Run it again in the same folder: nothing is taken twice."
    },
    footer = {
      "",
      "Exit codes: 0 done, and the books balance; 3 the outside world failed; 4 they do not.",
      "",
      "Example: wexrun demo tram-demo"
    })
final class DemoCommand implements Callable<Integer> {
  private static final String ROWS =
      "select time, gate, stop, level, card, result, ms, slow, note from scans"
          + " order by time, card limit 3";
  private static final String RESULTS =
      "select result, count(*) as scans, round(avg(ms), 1) as average_ms,"
          + " count(*) filter (where slow) as slow from scans group by result order by result";

  private final Terminal terminal;

  @Parameters(
      arity = "0..1",
      paramLabel = "FOLDER",
      defaultValue = "tram-demo",
      description = "Where to make it (default ${DEFAULT-VALUE}).")
  private Path folder;

  @Option(names = "--json", description = "Write the books as JSON.")
  private boolean json;

  DemoCommand(Terminal terminal) {
    this.terminal = terminal;
  }

  @Override
  public Integer call() throws InterruptedException {
    boolean made = DemoWorkspace.make(terminal.at(folder));
    if (made) {
      terminal.say(
          "made "
              + folder
              + ": a workspace with "
              + Counted.number(DemoWorkspace.records())
              + " records of gate readers, vehicles, ticket machines and depots in "
              + DemoWorkspace.files()
              + " files");
    }
    try (Workspace workspace = Workspace.open(terminal.at(folder))) {
      long before = Watch.taken(workspace);
      terminal.say("running gate-intake (files to queue), gate-load (queue to tables) and others");
      Stopper stopper = new Stopper(terminal);
      Watch watch = new Watch(terminal);
      try (WorkspaceRun run = workspace.run(RunOptions.untilDrained(true), watch)) {
        stopper.watch(run);
        watch.over(run);
      } finally {
        stopper.done();
      }
      long taken = Watch.taken(workspace) - before;
      if (taken == 0) {
        terminal.say("nothing new: every line was taken before, and nothing was taken twice");
      }
      List<Tally> tallies = workspace.tally();
      if (json) {
        terminal.json(Map.of("pipelines", tallies.stream().map(TallyCommand::facts).toList()));
      } else {
        show(workspace, tallies);
      }
      boolean balanced = tallies.stream().allMatch(Tally::balanced);
      return balanced ? ExitCode.DONE : ExitCode.UNBALANCED;
    }
  }

  private void show(Workspace workspace, List<Tally> tallies) {
    heading("The books");
    TallyCommand.showTable(tallies, terminal);
    heading("Dead letters: the most frequent reasons, with one example each");
    DeadCommand.overview(workspace, 10, terminal);
    heading("Three rows of table scans");
    SqlCommand.show(workspace.query("warehouse", ROWS), terminal);
    heading("Scans by result");
    SqlCommand.show(workspace.query("warehouse", RESULTS), terminal);
    terminal.out.println();
    terminal.out.flush();
    terminal.say(
        "go on: cd " + folder + " and try 'wexrun dead gate-load --list', 'wexrun queue',");
    terminal.say("  or 'wexrun sql \"select stop, count(*) from faults group by stop\"'");
  }

  private void heading(String text) {
    terminal.out.println();
    terminal.out.println(terminal.style(Terminal.Style.PLACE, text));
  }
}

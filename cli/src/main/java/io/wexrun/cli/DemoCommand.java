package io.wexrun.cli;

import io.wexrun.cli.demo.DemoServer;
import io.wexrun.cli.demo.DemoWorkspace;
import io.wexrun.core.diagnose.Counted;
import io.wexrun.core.run.RunOptions;
import io.wexrun.core.tally.Tally;
import io.wexrun.project.Workspace;
import io.wexrun.project.WorkspaceRun;
import java.nio.file.Path;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.Callable;
import java.util.concurrent.CountDownLatch;
import picocli.CommandLine.Command;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Option;
import picocli.CommandLine.ParameterException;
import picocli.CommandLine.Parameters;
import picocli.CommandLine.Spec;

@Command(
    name = "demo",
    mixinStandardHelpOptions = true,
    description = {
      "Make a workspace with made-up data of Ostrel Trams, and run it to the end.",
      "Run it again in the same folder: nothing is taken twice.",
      "With --postgres its tables are in a PostgreSQL server, which is started for it",
      "and runs until you press Ctrl-C; with --url in one that is there, as the user",
      "of the environment variables PGUSER and PGPASSWORD."
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

  @Spec private CommandSpec spec;

  @Parameters(
      arity = "0..1",
      paramLabel = "FOLDER",
      defaultValue = "tram-demo",
      description = "Where to make it (default ${DEFAULT-VALUE}).")
  private Path folder;

  @Option(names = "--postgres", description = "Load into a PostgreSQL server.")
  private boolean postgres;

  @Option(
      names = "--url",
      paramLabel = "URL",
      description = "The server's database, such as jdbc:postgresql://localhost/depot.")
  private String url;

  @Option(names = "--json", description = "Write the books as JSON.")
  private boolean json;

  DemoCommand(Terminal terminal) {
    this.terminal = terminal;
  }

  @Override
  public Integer call() throws InterruptedException {
    if (url != null && !url.startsWith("jdbc:postgresql:")) {
      throw new ParameterException(
          spec.commandLine(),
          "'" + url + "' is not a URL of a PostgreSQL database: jdbc:postgresql://HOST/DATABASE");
    }
    if (url != null) {
      return run(Optional.of(server(url)));
    }
    if (!postgres) {
      return run(Optional.empty());
    }
    terminal.say("starting a PostgreSQL server");
    try (DemoServer server = DemoServer.start(terminal.at(folder))) {
      int exit =
          run(Optional.of("{postgres: '" + server.url() + "', user: " + server.user() + "}"));
      terminal.say(
          "the server is at "
              + server.url()
              + " (user "
              + server.user()
              + ") until you press Ctrl-C; its data stay in "
              + folder.resolve(".postgres"));
      new CountDownLatch(1).await(); // Until the process is ended, which stops the server.
      return exit;
    }
  }

  private static String server(String url) {
    StringBuilder settings = new StringBuilder("{postgres: '" + url + "'");
    Map<String, String> environment = System.getenv();
    if (environment.containsKey("PGUSER")) {
      settings.append(", user: '${env:PGUSER}'");
    }
    if (environment.containsKey("PGPASSWORD")) {
      settings.append(", password: '${env:PGPASSWORD}'");
    }
    return settings.append('}').toString();
  }

  private int run(Optional<String> server) throws InterruptedException {
    boolean made = DemoWorkspace.make(terminal.at(folder), server);
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
      Stopper stopper = new Stopper(terminal, Stopper.FLUSHING);
      Watch watch = new Watch(terminal);
      try (WorkspaceRun run = workspace.run(RunOptions.untilDrained(true), watch)) {
        stopper.watch(run::stop);
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
        terminal.json(
            Map.of(
                "pipelines",
                tallies.stream().map(tally -> TallyCommand.facts(tally, workspace)).toList()));
      } else {
        show(workspace, tallies);
      }
      boolean balanced = tallies.stream().allMatch(Tally::balanced);
      return balanced ? ExitCode.DONE : ExitCode.UNBALANCED;
    }
  }

  private void show(Workspace workspace, List<Tally> tallies) {
    heading("The books");
    TallyCommand.showTable(tallies, workspace, terminal);
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

package io.wexrun.cli;

import io.wexrun.core.diagnose.MistakesException;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.state.Hold;
import java.util.Optional;
import picocli.CommandLine;
import picocli.CommandLine.Command;
import picocli.CommandLine.Help.Ansi;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.ParameterException;
import picocli.CommandLine.Spec;

/** The {@code wexrun} command. */
@Command(
    name = "wexrun",
    mixinStandardHelpOptions = true,
    version = "wexrun 0.1.0-SNAPSHOT",
    description = "Log records into analytical tables, every one accounted for.",
    subcommands = {
      DemoCommand.class,
      FeedCommand.class,
      LookCommand.class,
      CheckCommand.class,
      TryCommand.class,
      RunCommand.class,
      RunsCommand.class,
      DoctorCommand.class,
      StatusCommand.class,
      PauseCommand.class,
      ResumeCommand.class,
      StopCommand.class,
      TallyCommand.class,
      ReconcileCommand.class,
      AdoptCommand.class,
      DeadCommand.class,
      ReplayCommand.class,
      RebuildCommand.class,
      TraceCommand.class,
      QueueCommand.class,
      TokenCommand.class,
      ResendCommand.class,
      CollectCommand.class,
      FilesCommand.class,
      SqlCommand.class,
      TableCommand.class,
      HistoryCommand.class,
      SchemaCommand.class,
      CommandLine.HelpCommand.class
    },
    footer = {
      "",
      "Exit codes: 0 done; 1 the workspace has mistakes; 2 wrong command line;",
      "  3 the outside world failed (a disk is full, a file is held or missing);",
      "  4 the books do not balance, or a queue is damaged; 5 a bug in Wexrun.",
      "",
      "Example: wexrun demo"
    })
public final class Main implements Runnable {
  /** What libraries log below a warning is not for users. */
  private static final String LOG_LEVEL = "org.slf4j.simpleLogger.defaultLogLevel";

  @Spec private CommandSpec spec;

  private Main() {}

  /** Runs the command and ends the process with its exit code. */
  public static void main(String[] args) {
    // Warnings of the library are lines like the others.
    System.setProperty("java.util.logging.SimpleFormatter.format", "wexrun: %5$s%6$s%n");
    System.setProperty(Hold.COMMAND_PROPERTY, ("wexrun " + String.join(" ", args)).strip());
    // A client that asks for a new handshake over and over would keep a core busy.
    System.setProperty("jdk.tls.rejectClientInitiatedRenegotiation", "true");
    if (System.getProperty(LOG_LEVEL) == null) {
      System.setProperty(LOG_LEVEL, "warn");
    }
    Terminal terminal = Terminal.ofProcess();
    int code = run(terminal, args);
    terminal.exitCode().complete(code);
    System.exit(code);
  }

  /** Runs the command as if it were called at a terminal; returns its exit code. */
  static int run(Terminal terminal, String... args) {
    CommandLine command = new CommandLine(new Main(), new Commands(terminal));
    command.setColorScheme(
        CommandLine.Help.defaultColorScheme(terminal.colour() ? Ansi.ON : Ansi.OFF));
    command.setUsageHelpAutoWidth(false).setUsageHelpWidth(80);
    command.setCaseInsensitiveEnumValuesAllowed(true);
    command.setOut(terminal.helpTo(terminal.out));
    command.setErr(terminal.helpTo(terminal.err));
    command.setExecutionExceptionHandler((failure, line, result) -> tell(failure, terminal));
    command.setParameterExceptionHandler((wrong, line) -> tell(wrong, terminal));
    int code = execute(command, args, terminal);
    terminal.flush();
    return code;
  }

  private static int execute(CommandLine command, String[] args, Terminal terminal) {
    try {
      return command.execute(args);
    } catch (Error e) {
      return tell(e, terminal);
    }
  }

  /** Tells a failure as its kind deserves. */
  private static int tell(Throwable failure, Terminal terminal) {
    terminal.out.flush();
    if (failure instanceof MistakesException mistakes) {
      CheckCommand.tell(mistakes.diagnostics(), terminal, terminal.err);
      return ExitCode.MISTAKES;
    }
    if (failure instanceof OutsideException) {
      terminal.say(terminal.styleErr(Terminal.Style.BAD, "wexrun: ") + failure.getMessage());
      return ExitCode.OUTSIDE;
    }
    if (failure instanceof ParameterException wrong) {
      terminal.say(terminal.styleErr(Terminal.Style.BAD, "wexrun: ") + wrong.getMessage());
      CommandLine.UnmatchedArgumentException.printSuggestions(wrong, terminal.helpTo(terminal.err));
      String name = wrong.getCommandLine().getCommandSpec().qualifiedName();
      terminal.say("'" + name + " --help' says more");
      return ExitCode.USAGE;
    }
    Optional<String> plugin = plugin(failure);
    if (plugin.isPresent()) {
      terminal.say(
          terminal.styleErr(Terminal.Style.BAD, "wexrun: ")
              + "plugin "
              + plugin.get()
              + " failed: "
              + deepest(failure)
              + " ("
              + failure.getMessage()
              + "). Ask who wrote it; its jar is in the workspace's plugins folder");
      return ExitCode.OUTSIDE;
    }
    terminal.say("wexrun: a bug: please report it with what follows");
    failure.printStackTrace(terminal.err);
    return ExitCode.BUG;
  }

  private static Throwable deepest(Throwable failure) {
    Throwable deepest = failure;
    while (deepest.getCause() != null) {
      deepest = deepest.getCause();
    }
    return deepest;
  }

  /** The class of a plugin in which something failed, if it was in one. */
  private static Optional<String> plugin(Throwable failure) {
    for (Throwable each = failure; each != null; each = each.getCause()) {
      for (StackTraceElement frame : each.getStackTrace()) {
        if ("plugins".equals(frame.getClassLoaderName())) {
          return Optional.of(frame.getClassName());
        }
      }
    }
    return Optional.empty();
  }

  /** Makes commands with the terminal that they write to. */
  private record Commands(Terminal terminal) implements CommandLine.IFactory {
    @Override
    public <K> K create(Class<K> type) throws Exception {
      try {
        return type.getDeclaredConstructor(Terminal.class).newInstance(terminal);
      } catch (NoSuchMethodException e) {
        return CommandLine.defaultFactory().create(type);
      }
    }
  }

  @Override
  public void run() {
    spec.commandLine().usage(spec.commandLine().getOut());
  }
}

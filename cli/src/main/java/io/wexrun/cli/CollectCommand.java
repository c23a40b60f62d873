package io.wexrun.cli;

import io.wexrun.core.diagnose.Counted;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.pipeline.Sizes;
import io.wexrun.network.collector.Collector;
import io.wexrun.network.collector.Manners;
import io.wexrun.network.door.Address;
import java.io.BufferedWriter;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.time.LocalTime;
import java.time.temporal.ChronoUnit;
import java.util.Map;
import java.util.Optional;
import java.util.TreeMap;
import java.util.concurrent.Callable;
import java.util.concurrent.CountDownLatch;
import java.util.concurrent.TimeUnit;
import java.util.regex.Pattern;
import java.util.regex.PatternSyntaxException;
import picocli.CommandLine.Command;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Option;
import picocli.CommandLine.ParameterException;
import picocli.CommandLine.Parameters;
import picocli.CommandLine.Spec;

@Command(
    name = "collect",
    mixinStandardHelpOptions = true,
    description = {
      "Take rows that are delivered over HTTP, until interrupted: a stand-in for trying what a",
      "pipeline does when its receiver is busy, loses answers, refuses rows or confirms late.",
      "Rows come to http://ADDRESS/TABLE. It keeps nothing, unless --into says where."
    },
    footer = {
      "",
      "Exit codes: 0 interrupted; 2 wrong command line; 3 the address is taken.",
      "",
      "Example: wexrun collect 8500 --busy 0.1 --for 1s"
    })
final class CollectCommand implements Callable<Integer> {
  private static final long LOOK_MILLIS = 1000;

  private final Terminal terminal;
  private final Map<String, long[]> counts = new TreeMap<>();
  private final Map<String, Long> taken = new TreeMap<>();

  @Spec private CommandSpec spec;

  @Parameters(
      index = "0",
      arity = "0..1",
      paramLabel = "ADDRESS",
      defaultValue = "8500",
      description = "A port of this machine, or HOST:PORT (${DEFAULT-VALUE}).")
  private String address;

  @Option(
      names = "--token",
      paramLabel = "TOKEN",
      description = "Only who shows it as a bearer token may post.")
  private String token;

  @Option(
      names = "--client",
      paramLabel = "NAME:SECRET",
      description = "A client that gets a token at /token, as OAuth 2.0 says.")
  private String client;

  @Option(
      names = "--busy",
      paramLabel = "SHARE",
      defaultValue = "0",
      description = "The share of posts that must come again later, 0 to 1.")
  private double busy;

  @Option(
      names = "--lose",
      paramLabel = "SHARE",
      defaultValue = "0",
      description = "The share of posts that are taken without saying so, 0 to 1.")
  private double lost;

  @Option(
      names = "--refuse",
      paramLabel = "PATTERN",
      description = "Rows in which this is found are refused.")
  private String refused;

  @Option(
      names = "--whole",
      description = "A post with such a row is refused whole, without saying which row it is.")
  private boolean whole;

  @Option(
      names = "--confirm-after",
      paramLabel = "TIME",
      description = "So much later it says, when asked, that rows are safe.")
  private String confirms;

  @Option(names = "--forget", description = "Take a post that comes again as a new one.")
  private boolean forgets;

  @Option(
      names = "--into",
      paramLabel = "FOLDER",
      description = "Append the rows there, a file for each table.")
  private Path into;

  @Option(names = "--for", paramLabel = "TIME", description = "End by itself after this time.")
  private String time;

  @Option(names = "--json", description = "Write at the end, as JSON, what was taken.")
  private boolean json;

  CollectCommand(Terminal terminal) {
    this.terminal = terminal;
  }

  private void require(boolean holds, String otherwise) {
    if (!holds) {
      throw new ParameterException(spec.commandLine(), otherwise);
    }
  }

  private Manners manners() {
    require(busy >= 0 && busy <= 1, "--busy is a share from 0 to 1");
    require(lost >= 0 && lost <= 1, "--lose is a share from 0 to 1");
    Manners manners = Manners.GOOD.withBusy(busy).withLost(lost).withRepeats(!forgets);
    manners = token == null ? manners : manners.withToken(token);
    manners = client == null ? manners : manners.withClient(client);
    manners = whole ? manners.withWhole() : manners;
    if (refused != null) {
      try {
        manners = manners.withRefused(Pattern.compile(refused));
      } catch (PatternSyntaxException e) {
        require(false, "--refuse is a regular expression: " + e.getDescription());
      }
    }
    if (confirms != null) {
      require(Sizes.duration(confirms).isPresent(), "--confirm-after is a time such as 2s");
      manners = manners.withConfirms(Sizes.duration(confirms).orElseThrow());
    }
    return manners;
  }

  @Override
  public Integer call() throws InterruptedException {
    Manners manners = manners();
    Optional<Address> at = Address.read(address);
    require(at.isPresent(), "'" + address + "' is not an address: write a port, or HOST:PORT");
    require(time == null || Sizes.duration(time).isPresent(), "--for is a time such as 10s");
    long until =
        time == null
            ? Long.MAX_VALUE
            : System.nanoTime() + Sizes.duration(time).orElseThrow().toNanos();
    CountDownLatch stop = new CountDownLatch(1);
    Stopper stopper = new Stopper(terminal, "stopping");
    stopper.watch(stop::countDown);
    try (Collector collector = new Collector(at.get(), manners, this::took)) {
      terminal.say("taking rows at http://" + at.get().host() + ":" + collector.port() + "/TABLE");
      while (System.nanoTime() < until && !stop.await(waiting(until), TimeUnit.MILLISECONDS)) {
        tell();
      }
    }
    stopper.done();
    tell();
    if (json) {
      terminal.json(Map.of("taken", taken));
    }
    return ExitCode.DONE;
  }

  private static long waiting(long until) {
    return until == Long.MAX_VALUE
        ? LOOK_MILLIS
        : Math.max(1, Math.min(LOOK_MILLIS, (until - System.nanoTime()) / 1_000_000));
  }

  private void took(Collector.Taken post) {
    synchronized (counts) {
      long[] all = counts.computeIfAbsent(post.table(), t -> new long[5]);
      this.taken.merge(post.table(), (long) post.rows().size(), Long::sum);
      all[0]++;
      all[1] += post.rows().size();
      all[2] += post.refused();
      all[3] += post.repeated() ? 1 : 0;
      all[4] += post.status() >= 400 && post.refused() == 0 ? 1 : 0;
    }
    if (into == null || post.rows().isEmpty()) {
      return;
    }
    Path file = terminal.at(into).resolve(post.table().replaceAll("[^A-Za-z0-9._-]", "_") + ".txt");
    try {
      Files.createDirectories(file.getParent());
      try (BufferedWriter out =
          Files.newBufferedWriter(
              file, StandardCharsets.UTF_8, StandardOpenOption.CREATE, StandardOpenOption.APPEND)) {
        for (String row : post.rows()) {
          out.write(row);
          out.write('\n');
        }
      }
    } catch (IOException e) {
      throw new OutsideException("cannot write " + file + ": " + e.getMessage(), e);
    }
  }

  /** Says what has come since it was said last. */
  private void tell() {
    synchronized (counts) {
      counts.forEach(
          (table, all) ->
              say(
                  LocalTime.now().truncatedTo(ChronoUnit.SECONDS)
                      + " "
                      + table
                      + ": "
                      + Counted.of(all[0], "post")
                      + ", took "
                      + Counted.of(all[1], "row")
                      + more(all[2], "refused", "row")
                      + more(all[3], "came again", "post")
                      + more(all[4], "sent away", "post")));
      counts.clear();
    }
    terminal.flush();
  }

  private void say(String text) {
    if (json) {
      terminal.say(text); // Standard output is for the facts.
    } else {
      terminal.out.println(text);
    }
  }

  private static String more(long number, String what, String noun) {
    return number == 0 ? "" : "; " + Counted.of(number, noun) + " " + what;
  }
}

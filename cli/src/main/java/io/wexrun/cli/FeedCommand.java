package io.wexrun.cli;

import io.wexrun.cli.demo.Feed;
import java.io.BufferedOutputStream;
import java.io.IOException;
import java.io.OutputStream;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.util.concurrent.Callable;
import picocli.CommandLine;
import picocli.CommandLine.Command;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Option;
import picocli.CommandLine.Spec;

@Command(
    name = "feed",
    mixinStandardHelpOptions = true,
    description = "Write made-up records of Ostrel Trams: of gate readers, vehicles and others.",
    footer = {
      "",
      "Equal seeds give equal lines. A file is appended to.",
      "Exit codes: 0 done; 2 a number out of range; 3 the file cannot be written.",
      "",
      "Example: wexrun feed --count 1000 --rate 100 --out tram-demo/incoming/gates/live.log"
    })
final class FeedCommand implements Callable<Integer> {
  private final Terminal terminal;

  @Spec private CommandSpec spec;

  @Option(
      names = "--what",
      paramLabel = "KIND",
      defaultValue = "gates",
      description = "gates, vehicles, tickets, depots or events (default ${DEFAULT-VALUE}).")
  private Feed.Kind what;

  @Option(
      names = "--count",
      paramLabel = "N",
      defaultValue = "1000",
      description = "How many lines (default ${DEFAULT-VALUE}).")
  private long count;

  @Option(
      names = "--rate",
      paramLabel = "N",
      description = "How many lines a second; without it, as fast as it goes.")
  private long rate;

  @Option(
      names = "--spoil",
      paramLabel = "SHARE",
      defaultValue = "0.015",
      description = "The share of spoiled lines, 0 to 1 (default ${DEFAULT-VALUE}).")
  private double spoil;

  @Option(
      names = "--seed",
      paramLabel = "N",
      defaultValue = "1",
      description = "The seed (default ${DEFAULT-VALUE}).")
  private long seed;

  @Option(
      names = "--out",
      paramLabel = "FILE",
      description = "The file to append to; without it, standard output.")
  private Path file;

  @Option(names = "--json", description = "Say what was written as JSON; needs --out.")
  private boolean json;

  FeedCommand(Terminal terminal) {
    this.terminal = terminal;
  }

  @Override
  public Integer call() throws InterruptedException {
    require(count >= 0, "--count is 0 or more");
    require(rate >= 0, "--rate is more than 0");
    require(spoil >= 0 && spoil <= 1, "--spoil is a share from 0 to 1");
    require(!json || file != null, "--json needs --out, because the lines go to standard output");
    try (OutputStream out = open()) {
      write(out);
    } catch (IOException e) {
      if (file == null && String.valueOf(e.getMessage()).contains("Broken pipe")) {
        return ExitCode.DONE; // Whoever reads has enough.
      }
      terminal.say(
          "wexrun: cannot write " + (file == null ? "the lines" : file) + ": " + e.getMessage());
      return ExitCode.OUTSIDE;
    }
    if (json) {
      terminal.json("file", file.toString(), "lines", count);
    }
    return ExitCode.DONE;
  }

  private void require(boolean holds, String otherwise) {
    if (!holds) {
      throw new CommandLine.ParameterException(spec.commandLine(), otherwise);
    }
  }

  private OutputStream open() throws IOException {
    OutputStream raw =
        file == null
            ? terminal.out
            : Files.newOutputStream(
                terminal.at(file), StandardOpenOption.CREATE, StandardOpenOption.APPEND);
    return new BufferedOutputStream(raw, 1 << 18);
  }

  private void write(OutputStream out) throws IOException, InterruptedException {
    Feed feed = what.feed(seed, spoil);
    if (file == null || Files.size(terminal.at(file)) == 0) {
      feed.writeHeader(out);
    }
    long start = System.nanoTime();
    for (long written = 0; written < count; written++) {
      feed.writeNext(out);
      if (rate > 0) {
        long due = start + (written + 1) * 1_000_000_000L / rate;
        long early = due - System.nanoTime();
        if (early > 2_000_000) {
          out.flush();
          Thread.sleep(early / 1_000_000);
        }
      }
    }
  }
}

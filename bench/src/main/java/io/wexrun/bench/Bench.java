package io.wexrun.bench;

import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.concurrent.Callable;
import picocli.CommandLine;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;

/** Runs every workload with its comparisons in turn, and reports. */
@Command(
    name = "bench/run",
    mixinStandardHelpOptions = true,
    description = "Measures Wexrun against what a user would write or use instead.",
    footer = {"", "Example: bench/run --quick"})
public final class Bench implements Callable<Integer> {
  @Option(names = "--quick", description = "Smaller data and fewer rounds: about five minutes.")
  private boolean quick;

  @Option(
      names = "--lines",
      split = ",",
      paramLabel = "N",
      description = "Lines of the direct load (default 5000000,20000000; quick 2000000).")
  private List<Long> lines = List.of();

  @Option(
      names = "--growth",
      split = ",",
      paramLabel = "N",
      description = "Lines of the growth row (default 1000000,5000000,20000000,80000000).")
  private List<Long> growth = List.of();

  @Option(names = "--rounds", paramLabel = "N", description = "Rounds (default 5; quick 3).")
  private int rounds;

  @Option(names = "--folder", description = "Where data are made and kept (default: temporary).")
  private Path folder;

  @Option(
      names = "--only",
      split = ",",
      paramLabel = "ROW",
      description =
          "Only these: direct, queue, rollup, origin, replay, folder, server, stores, growth,"
              + " lanes, loops, start, appends, files, network, delivery, many, opening (needs 13"
              + " GB).")
  private List<String> only = List.of();

  @Option(
      names = "--out",
      description = "Where table, JSON and chart are written (default ${DEFAULT-VALUE}).")
  private Path out = Path.of("bench/target/results");

  private Bench() {}

  /** Runs the benchmark. */
  public static void main(String[] args) {
    System.exit(new CommandLine(new Bench()).execute(args));
  }

  @Override
  public Integer call() throws Exception {
    Path data = folder == null ? Files.createTempDirectory("wexrun-bench") : folder;
    GateData gates = new GateData(Files.createDirectories(data).toAbsolutePath());
    List<Long> sizes = lines.isEmpty() ? byDefault(2_000_000L, 5_000_000L, 20_000_000L) : lines;
    List<Long> steps =
        growth.isEmpty()
            ? quick
                ? List.of(500_000L, 2_000_000L, 4_000_000L)
                : List.of(1_000_000L, 5_000_000L, 20_000_000L, 80_000_000L)
            : growth;
    int times = rounds > 0 ? rounds : quick ? 3 : 5;
    Workloads workloads = new Workloads(gates, times, Bench::say);
    List<Figures> all = new ArrayList<>();
    if (wanted("direct")) {
      for (long size : sizes) {
        all.add(workloads.direct(size));
      }
    }
    if (wanted("queue")) {
      all.add(workloads.queue(sizes.get(0)));
    }
    if (wanted("rollup")) {
      all.add(workloads.rollup(sizes.get(0)));
    }
    if (wanted("origin")) {
      all.add(workloads.origin(sizes.get(0)));
    }
    if (wanted("replay")) {
      all.add(workloads.replay(sizes.get(0)));
    }
    if (wanted("folder")) {
      all.add(workloads.folder(sizes.get(0)));
    }
    if (wanted("server")) {
      all.add(workloads.server(sizes.get(0)));
    }
    if (wanted("stores")) {
      all.add(new StoreSpeed(data.toAbsolutePath(), times, Bench::say).measure());
    }
    if (wanted("growth")) {
      all.add(workloads.growth(steps));
    }
    if (wanted("lanes")) {
      all.add(workloads.lanes(sizes.get(sizes.size() - 1)));
    }
    if (wanted("loops")) {
      all.add(workloads.loops(quick));
    }
    if (wanted("start")) {
      all.add(workloads.start());
    }
    QueueSpeed queue = new QueueSpeed(data.resolve("appends"), Bench::say);
    if (wanted("appends")) {
      queue.measure();
    }
    if (wanted("network")) {
      new NetworkSpeed(data.resolve("network").toAbsolutePath(), quick, Bench::say).measure();
    }
    if (wanted("delivery")) {
      new DeliverySpeed(data.resolve("delivery").toAbsolutePath(), quick, Bench::say).measure();
    }
    if (wanted("many")) {
      new ManySpeed(data.resolve("many").toAbsolutePath(), quick, times, Bench::say).measure();
    }
    if (wanted("files")) {
      new FileSpeed(data.resolve("files").toAbsolutePath(), quick, Bench::say).measure();
    }
    if (only.contains("opening")) {
      queue.opening();
    }
    new Report(all).write(out.toAbsolutePath());
    say("written to " + out.toAbsolutePath());
    return 0;
  }

  private List<Long> byDefault(long small, long... full) {
    List<Long> sizes = new ArrayList<>();
    if (quick) {
      sizes.add(small);
    } else {
      for (long size : full) {
        sizes.add(size);
      }
    }
    return sizes;
  }

  private boolean wanted(String row) {
    return only.isEmpty() || only.contains(row);
  }

  private static void say(String text) {
    System.err.println(text);
  }
}

package io.wexrun.bench;

import io.wexrun.cli.demo.DemoWorkspace;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.function.Consumer;
import org.openjdk.jmh.results.RunResult;
import org.openjdk.jmh.runner.Runner;
import org.openjdk.jmh.runner.RunnerException;
import org.openjdk.jmh.runner.options.OptionsBuilder;
import org.openjdk.jmh.runner.options.TimeValue;

/** The workloads, each with its comparison in the same round. */
final class Workloads {
  private static final String OURS = "wexrun";
  private static final String SQL = "one SQL statement";
  private static final String JAVA = "plain Java";

  private final GateData data;
  private final int rounds;
  private final Consumer<String> say;

  Workloads(GateData data, int rounds, Consumer<String> say) {
    this.data = data;
    this.rounds = rounds;
    this.say = say;
  }

  private Program.Run run(Figures figures, Program program)
      throws IOException, InterruptedException {
    Program.Run run = program.run();
    say.accept(
        String.format(
            Locale.ROOT,
            "%s: %s %.2f s (cpu %.2f s, peak %.0f MB)",
            figures.workload,
            program.name(),
            run.wall(),
            run.cpu(),
            run.peak()));
    figures.add(program.name(), run);
    return run;
  }

  private Program load(Path workspace) {
    return Program.wexrun(OURS, "run", "--once", "--workspace", workspace.toString());
  }

  /** File to table, against the database's own statement and plain Java. */
  Figures direct(long count) throws Exception {
    Figures figures = new Figures(String.format(Locale.ROOT, "%,d lines, file to table", count));
    Path lines = data.lines(count);
    Path warehouse = null;
    for (int round = 0; round < rounds; round++) {
      Path workspace = data.direct(lines);
      run(figures, load(workspace));
      Path bySql = data.database("sql");
      run(figures, Program.of(SQL, PlainSql.class, lines.toString(), bySql.toString()));
      Path byJava = data.database("java");
      run(figures, Program.of(JAVA, PlainJava.class, lines.toString(), byJava.toString()));
      warehouse = workspace.resolve("warehouse.db");
      String rows = GateData.digest(warehouse);
      requireSame(rows, GateData.digest(bySql), SQL);
      requireSame(rows, GateData.digest(byJava), JAVA);
      figures.add("insert floor", new Program.Run(data.insertFloor(warehouse), 0, 0));
    }
    figures.note("all three made the same rows: " + GateData.digest(warehouse));
    figures.finding("times as fast as one SQL statement", figures.ratio(OURS, SQL), 2);
    figures.finding("times as fast as plain Java", figures.ratio(OURS, JAVA), 8);
    figures.note(
        String.format(
            Locale.ROOT,
            "the database alone stores the ready rows in %.2f s of it",
            figures.wall("insert floor")));
    figures.note(
        String.format(
            Locale.ROOT,
            "from the raw lines, %.2f of the speed at which the database stores ready rows",
            figures.ratio(OURS, "insert floor")));
    return figures;
  }

  private static void requireSame(String ours, String theirs, String who) {
    if (!ours.equals(theirs)) {
      throw new IllegalStateException("not the same rows: " + ours + ", but " + who + " " + theirs);
    }
  }

  /** File to queue to table, both pipelines together, against the direct run. */
  Figures queue(long count) throws Exception {
    Figures figures =
        new Figures(
            String.format(Locale.ROOT, "%,d lines, through a queue of 4 partitions", count));
    Path lines = data.lines(count);
    for (int round = 0; round < rounds; round++) {
      Path queued = data.throughQueue(lines);
      Program both = load(queued);
      run(figures, both.named("through the queue"));
      String rows = GateData.digest(queued.resolve("warehouse.db"));
      Path direct = data.direct(lines);
      Program alone = load(direct);
      run(figures, alone.named("direct"));
      requireSame(GateData.digest(direct.resolve("warehouse.db")), rows, "the queue");
    }
    figures.finding("of the direct run's speed", figures.ratio("through the queue", "direct"), 0.6);
    return figures;
  }

  /** File to Parquet files, against the database's own statement and its writer alone. */
  Figures folder(long count) throws Exception {
    Figures figures = new Figures(String.format(Locale.ROOT, "%,d lines, file to Parquet", count));
    Path lines = data.lines(count);
    for (int round = 0; round < rounds; round++) {
      Path workspace = data.intoFolder(lines);
      run(figures, load(workspace));
      Path file = workspace.resolve("by-sql.parquet");
      run(figures, Program.of(SQL, PlainSql.class, lines.toString(), file.toString()));
      String ours =
          GateData.digestOf("read_parquet('" + workspace.resolve("out/gates") + "/**/*.parquet')");
      requireSame(ours, GateData.digestOf("read_parquet('" + file + "')"), SQL);
      figures.add("write floor", new Program.Run(GateData.rewrite(file), 0, 0));
    }
    figures.finding("times as fast as one SQL statement", figures.ratio(OURS, SQL), 2);
    figures.note(
        String.format(
            Locale.ROOT,
            "the database alone writes the ready rows in %.2f s of it",
            figures.wall("write floor")));
    return figures;
  }

  /** File to a table of a server, against the server's own copy from a file that is ready. */
  Figures server(long count) throws Exception {
    Figures figures =
        new Figures(String.format(Locale.ROOT, "%,d lines, file to PostgreSQL", count));
    Path lines = data.lines(count);
    try (ServerSpeed server = new ServerSpeed(data.folder().resolve("server-data"))) {
      for (int round = 0; round < rounds; round++) {
        server.clear();
        run(figures, load(data.intoServer(lines, server.url())));
        figures.add("its copy from a ready file", new Program.Run(server.copySeconds(), 0, 0));
      }
    }
    figures.finding(
        "of the speed of the server's own copy from a ready binary file, the start of the process"
            + " included",
        figures.ratio(OURS, "its copy from a ready file"),
        0.6);
    return figures;
  }

  /** File to table with a rollup beside it, against the run without it. */
  Figures rollup(long count) throws Exception {
    Figures figures =
        new Figures(String.format(Locale.ROOT, "%,d lines, with a rollup by hour and gate", count));
    Path lines = data.lines(count);
    for (int round = 0; round < rounds; round++) {
      run(figures, load(data.rolledUp(lines, "gate_hours")).named("with a rollup"));
      run(figures, load(data.rolledUp(lines, "gate_cards")).named("with distinct cards"));
      run(figures, load(data.direct(lines)).named("without"));
    }
    figures.finding("of the speed without it", figures.ratio("with a rollup", "without"), 1 / 1.15);
    figures.finding(
        "of the speed without it, counting distinct cards",
        figures.ratio("with distinct cards", "without"),
        1 / 1.15);
    return figures;
  }

  /** File to a table whose rows tell their origin, against the run without that. */
  Figures origin(long count) throws Exception {
    Figures figures =
        new Figures(String.format(Locale.ROOT, "%,d lines, with the origin of rows", count));
    Path lines = data.lines(count);
    List<Double> sizes = new ArrayList<>();
    for (int round = 0; round < rounds; round++) {
      Path with = data.withOrigin(lines);
      run(figures, load(with).named("with origin"));
      Path without = data.direct(lines);
      run(figures, load(without).named("without"));
      double size = GateData.size(with.resolve("warehouse.db"));
      sizes.add(size / GateData.size(without.resolve("warehouse.db")));
    }
    figures.finding("of the speed without it", figures.ratio("with origin", "without"), 1 / 1.08);
    figures.finding("of its size, the table without it has", 1 / Figures.median(sizes), 1 / 1.06);
    return figures;
  }

  /** Dead letters through the mended pipeline, against a run over the same lines. */
  Figures replay(long count) throws Exception {
    Figures figures = new Figures(String.format(Locale.ROOT, "%,d dead letters, replayed", count));
    Path lines = data.lines(count);
    for (int round = 0; round < rounds; round++) {
      Path spoiled = data.spoiled(lines);
      load(spoiled).run();
      GateData.mend(spoiled);
      run(figures, Program.wexrun("replay", "replay", "load", "--workspace", spoiled.toString()));
      Path direct = data.direct(lines);
      run(figures, load(direct).named("run"));
      String rows = GateData.digest(direct.resolve("warehouse.db"));
      requireSame(rows, GateData.digest(spoiled.resolve("warehouse.db")), "the replay");
    }
    figures.finding("of the speed of a run", figures.ratio("replay", "run"), 0.5);
    return figures;
  }

  /** More and more lines: the time per line should stay. */
  Figures growth(List<Long> counts) throws Exception {
    Figures figures = new Figures("cost as work grows");
    for (int round = 0; round < Math.min(rounds, 3); round++) {
      for (long count : counts) {
        Program program = load(data.direct(data.lines(count)));
        run(figures, program.named(name(count)));
      }
    }
    List<Double> perLine = new ArrayList<>();
    for (int i = 1; i < counts.size(); i++) {
      // The difference between two sizes leaves the start of the process out.
      double more = figures.wall(name(counts.get(i))) - figures.wall(name(counts.get(i - 1)));
      perLine.add(more / (counts.get(i) - counts.get(i - 1)) * 1e6);
    }
    figures.note(
        "µs for each line more, from size to size: "
            + perLine.stream().map(v -> String.format(Locale.ROOT, "%.3f", v)).toList());
    figures.note(
        String.format(
            Locale.ROOT,
            "peak memory %.0f MB at the least, %.0f MB at the most lines, with a heap of 512 MB",
            figures.peak(name(counts.get(0))),
            figures.peak(name(counts.get(counts.size() - 1)))));
    return figures;
  }

  private static String name(long count) {
    return String.format(Locale.ROOT, "%,d lines", count);
  }

  /** One lane against two, where shaping is the cost. */
  Figures lanes(long count) throws Exception {
    Figures figures =
        new Figures(String.format(Locale.ROOT, "%,d lines, shaped and dropped", count));
    Path lines = data.lines(count);
    for (int round = 0; round < rounds; round++) {
      for (int lane = 1; lane <= 2; lane++) {
        String workspace = data.shapeOnly(lines).toString();
        String name = lane + (lane == 1 ? " lane" : " lanes");
        String[] command = {"run", "--once", "--lanes", "" + lane, "--workspace", workspace};
        run(figures, Program.wexrun(name, command));
      }
    }
    figures.finding("times as fast with 2 lanes", figures.ratio("2 lanes", "1 lane"), 1.6);
    return figures;
  }

  /** The hot loops alone, on one core. */
  Figures loops(boolean quick) throws RunnerException {
    Figures figures = new Figures("hot loops, one core");
    var options =
        new OptionsBuilder()
            .include("io\\.wexrun\\.bench\\.(Loops|Parsers)")
            .forks(1)
            .jvmArgsAppend("-XX:+UseParallelGC") // As the launcher runs the command.
            .warmupIterations(quick ? 2 : 4)
            .measurementIterations(quick ? 3 : 6)
            .warmupTime(TimeValue.seconds(1))
            .measurementTime(TimeValue.seconds(1))
            .build();
    for (RunResult result : new Runner(options).run()) {
      String name = result.getParams().getBenchmark().replaceAll(".*\\.", "");
      // The least disturbed iteration: on a shared machine the mean tells of the neighbours.
      double nanos = result.getPrimaryResult().getStatistics().getMin();
      figures.add(name, new Program.Run(nanos, 0, 0));
    }
    figures.finding(
        "times as fast as java.util.regex, scanning alone",
        figures.ratio("templateScans", "regexMatches"),
        6);
    figures.note(
        String.format(
            Locale.ROOT,
            "from bytes to typed values, a template is %.1f times as fast as java.util.regex",
            figures.ratio("templateShapes", "regexShapes")));
    figures.finding(
        "times as fast as the library's runtime, expression",
        figures.ratio("expressionOverColumns", "expressionByLibrary"),
        20);
    figures.finding(
        "times as fast as a tree for each record, JSON",
        figures.ratio("jsonShapes", "jsonByTree"),
        1.5);
    figures.note(
        String.format(
            Locale.ROOT,
            "CSV is %.1f times as fast as split, pairs %.1f times",
            figures.ratio("csvShapes", "csvBySplit"),
            figures.ratio("pairsShape", "pairsBySplit")));
    figures.note("these rows are nanoseconds for each record, not seconds");
    return figures;
  }

  /** Start of the process, as the launcher starts it. */
  Figures start() throws Exception {
    Figures figures = new Figures("start of the command");
    Path demo = Files.createTempDirectory("wexrun-start");
    DemoWorkspace.make(demo);
    Path launcher = Path.of(System.getProperty("wexrun.launcher"));
    for (int round = 0; round < Math.max(5, rounds); round++) {
      start(figures, "wexrun --help", List.of(launcher.toString(), "--help"));
      start(
          figures,
          "wexrun check",
          List.of(launcher.toString(), "check", "--workspace", demo.toString()));
    }
    figures.finding("0.35 s / help", 0.35 / figures.wall("wexrun --help"), 1);
    figures.finding("0.8 s / check", 0.8 / figures.wall("wexrun check"), 1);
    return figures;
  }

  private static void start(Figures figures, String name, List<String> command)
      throws IOException, InterruptedException {
    long before = System.nanoTime();
    Process process = new ProcessBuilder(command).redirectErrorStream(true).start();
    process.getInputStream().readAllBytes();
    if (process.waitFor() != 0) {
      throw new IllegalStateException(name + " failed");
    }
    figures.add(name, new Program.Run((System.nanoTime() - before) / 1e9, 0, 0));
  }
}

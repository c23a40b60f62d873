package io.wexrun.bench;

import io.wexrun.cli.demo.GateLines;
import io.wexrun.contract.FolderSite;
import io.wexrun.core.connect.Site;
import io.wexrun.core.connect.StoreConnector;
import io.wexrun.core.framing.Lines;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.Route;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.shape.Shaper;
import io.wexrun.core.target.Flush;
import io.wexrun.core.target.Querying;
import io.wexrun.core.target.Staged;
import io.wexrun.core.target.Store;
import io.wexrun.core.target.Target;
import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.sql.Connection;
import java.sql.DriverManager;
import java.sql.Statement;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.Locale;
import java.util.ServiceLoader;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.function.Consumer;
import java.util.stream.Stream;

/**
 * How fast rows that are ready get into each store, against the store's own bulk command on the
 * same rows; in this process, with the heap that it has.
 */
final class StoreSpeed {
  private static final int LINES = 8000;
  private static final int BLOCKS = 250;
  private static final int IN_FLUSH = 62;
  private static final int SMALL_FLUSH = 25;

  private final Path folder;
  private final int rounds;
  private final Consumer<String> say;
  private final List<Flush> flushes = new ArrayList<>();
  private long rows;

  StoreSpeed(Path folder, int rounds, Consumer<String> say) {
    this.folder = folder;
    this.rounds = rounds;
    this.say = say;
  }

  /** Shapes two million lines, and keeps them as flushes of half a million rows. */
  private void prepare() throws IOException {
    GateLines lines = new GateLines(5, 0);
    Shaper shaper = Loops.shaper(Loops.TEMPLATE, Route.to("gates"));
    SourcePartition source = new SourcePartition("x");
    List<Flush.Part> parts = new ArrayList<>();
    long position = 0;
    for (int i = 0; i < BLOCKS; i++) {
      ByteArrayOutputStream out = new ByteArrayOutputStream();
      for (int line = 0; line < LINES; line++) {
        lines.writeNext(out);
      }
      byte[] data = out.toByteArray();
      long end = position + data.length;
      Block block = new Block(source, position, end, data, data.length, Lines.FRAMING);
      parts.add(new Flush.Part(source, position, end, shaper.shape(block).rows().get("gates")));
      position = end;
      if (parts.size() == IN_FLUSH || i == BLOCKS - 1) {
        flushes.add(new Flush(parts));
        parts = new ArrayList<>();
      }
    }
    rows = flushes.stream().mapToLong(Flush::rows).sum();
  }

  Figures measure() throws Exception {
    prepare();
    Figures figures =
        new Figures(String.format(Locale.ROOT, "%,d ready rows into each store", rows));
    try (ServerSpeed server = new ServerSpeed(folder.resolve("ready-server"))) {
      for (int round = 0; round <= rounds; round++) {
        Figures into = round == 0 ? new Figures("warming up") : figures;
        duckDb(into);
        parquet(into);
        server.clear();
        Settings settings = Settings.of("postgres", server.url()).with("user", "postgres");
        add(into, "PostgreSQL", load(settings));
        add(into, "PostgreSQL's copy", server.copySeconds());
        for (Refused refused : Refused.values()) {
          clear();
          add(into, "DuckDB" + refused, load(Settings.of("duckdb", "ready.db"), refused));
          server.clear();
          add(into, "PostgreSQL" + refused, load(settings, refused));
        }
      }
    }
    for (String store : List.of("DuckDB", "Parquet", "PostgreSQL")) {
      String own = store + (store.equals("PostgreSQL") ? "'s copy" : " by itself");
      figures.finding("of the speed of " + own + ", into " + store, figures.ratio(store, own), 0.6);
    }
    for (String store : List.of("DuckDB", "PostgreSQL")) {
      for (Refused refused : Refused.values()) {
        if (refused != Refused.NONE) {
          figures.finding(
              "of the speed without refused rows, into " + store + refused,
              figures.ratio(store + refused, store + Refused.NONE),
              refused.wanted);
        }
      }
    }
    return figures;
  }

  /** How many rows a table refuses by a check. */
  private enum Refused {
    NONE("true", 1),
    ONE_PERCENT("ms % 100 <> 7", 1 / 3.0),
    HALF("ms % 2 = 0", 0.1);

    private final String check;
    private final double wanted;

    Refused(String check, double wanted) {
      this.check = check;
      this.wanted = wanted;
    }

    @Override
    public String toString() {
      return ", refused by " + check;
    }
  }

  private void add(Figures figures, String name, double seconds) {
    say.accept(String.format(Locale.ROOT, "%s: %s %.2f s", figures.workload, name, seconds));
    figures.add(name, new Program.Run(seconds, 0, 0));
  }

  private void duckDb(Figures figures) throws Exception {
    clear();
    add(figures, "DuckDB", load(Settings.of("duckdb", "ready.db")));
    try (Connection connection =
            DriverManager.getConnection("jdbc:duckdb:" + folder.resolve("ready.db"));
        Statement statement = connection.createStatement()) {
      statement.execute("create temp table y as select * from gates");
      long start = System.nanoTime();
      statement.execute("create table x as select * from y");
      statement.execute("checkpoint");
      add(figures, "DuckDB by itself", (System.nanoTime() - start) / 1e9);
    }
  }

  private void parquet(Figures figures) throws Exception {
    clear();
    add(figures, "Parquet", load(Settings.of("folder", "ready").with("format", "parquet")));
    Path files = folder.resolve("ready/gates");
    try (Connection connection = DriverManager.getConnection("jdbc:duckdb:");
        Statement statement = connection.createStatement()) {
      statement.execute(
          "create temp table y as select * from read_parquet('" + files + "/**/*.parquet')");
      long start = System.nanoTime();
      statement.execute(
          "copy y to '" + folder.resolve("ready.parquet") + "' (format parquet, compression zstd)");
      add(figures, "Parquet by itself", (System.nanoTime() - start) / 1e9);
    }
  }

  /** Seconds from the first flush to the last one's commit, as a pipeline commits them. */
  private double load(Settings settings) throws Exception {
    return load(settings, flushes, store -> {});
  }

  /** Seconds for one flush of about 200,000 rows into a table with a check. */
  private double load(Settings settings, Refused refused) throws Exception {
    return load(
        settings,
        List.of(new Flush(flushes.get(0).parts().subList(0, SMALL_FLUSH))),
        store ->
            ((Querying) store)
                .change(
                    "create table gates (\"time\" timestamp with time zone not null, gate text,"
                        + " stop text, level text, event text, card text, result text, note text,"
                        + " ms integer check ("
                        + refused.check
                        + "))"));
  }

  private double load(Settings settings, List<Flush> flushes, Consumer<Store> before)
      throws Exception {
    Site site = new FolderSite(folder);
    StoreConnector connector =
        ServiceLoader.load(StoreConnector.class).stream()
            .map(ServiceLoader.Provider::get)
            .filter(c -> c.kind().equals(settings.kind()))
            .findFirst()
            .orElseThrow();
    Table table = Loops.gates();
    ExecutorService threads = Executors.newCachedThreadPool();
    try (Store store = connector.open("w", settings, site);
        Target target = opened(store, table, before)) {
      long start = System.nanoTime();
      List<CompletableFuture<Staged>> staged = new ArrayList<>();
      for (int i = 0; i < flushes.size() + target.parallelism() - 1; i++) {
        if (i < flushes.size()) {
          Flush flush = flushes.get(i);
          staged.add(CompletableFuture.supplyAsync(() -> target.stage(flush), threads));
        }
        if (i >= target.parallelism() - 1) {
          staged.get(i - target.parallelism() + 1).join().commit();
        }
      }
      return (System.nanoTime() - start) / 1e9;
    } finally {
      threads.shutdown();
    }
  }

  private static Target opened(Store store, Table table, Consumer<Store> before) {
    before.accept(store);
    return store.target("p", table);
  }

  private void clear() throws IOException {
    try (Stream<Path> all = Files.walk(folder)) {
      for (Path path : all.sorted(Comparator.reverseOrder()).toList()) {
        boolean ours = folder.relativize(path).toString().matches("ready(\\.db.*|\\.parquet|/.*|)");
        if (ours) {
          Files.delete(path);
        }
      }
    }
  }
}

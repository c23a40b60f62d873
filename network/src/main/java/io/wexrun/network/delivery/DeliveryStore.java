package io.wexrun.network.delivery;

import io.wexrun.core.diagnose.Failure;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.identity.Identity;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.target.Resending;
import io.wexrun.core.target.Standing;
import io.wexrun.core.target.Store;
import io.wexrun.core.target.Target;
import io.wexrun.queue.disk.RealDisk;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.time.Instant;
import java.time.ZoneId;
import java.time.format.DateTimeFormatter;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.function.Consumer;
import java.util.stream.Stream;

/** A receiver of rows: what is known of it stands in a folder of the workspace. */
final class DeliveryStore implements Store, Resending {
  private static final DateTimeFormatter SHOWN =
      DateTimeFormatter.ofPattern("yyyy-MM-dd HH:mm:ss xxx").withZone(ZoneId.systemDefault());

  /** Held while what was put aside is sent; no table has a folder of this name. */
  private static final String SENDING_LOCK = "%resend";

  private final String name;
  private final DeliverySettings settings;
  private final Path folder;
  private final Path workspace;
  private final Undelivered undelivered;
  private final ExecutorService threads;
  private Courier courier;
  private String asked = "";
  private long waitsUntil = System.nanoTime();

  /**
   * Opens a store.
   *
   * @param data where what is known of it stands
   * @param workspace the folder that relative names start from
   */
  DeliveryStore(String name, DeliverySettings settings, Path data, Path workspace) {
    this.name = name;
    this.settings = settings;
    this.folder = data;
    this.workspace = workspace;
    this.undelivered =
        new Undelivered(
            workspace.resolve(
                settings.aside().map(DeliverySettings.Aside::folder).orElse("undelivered")));
    this.threads =
        Executors.newFixedThreadPool(
            settings.parallel(),
            work -> {
              Thread thread = new Thread(work, "wexrun-deliver-" + name);
              thread.setDaemon(true);
              return thread;
            });
  }

  String name() {
    return name;
  }

  DeliverySettings settings() {
    return settings;
  }

  /**
   * The one that posts; made when it is first needed, so that the books can be read without it.
   *
   * @throws OutsideException if certificates cannot be used
   */
  synchronized Courier courier() {
    if (courier == null) {
      courier = new Courier(settings, workspace);
    }
    return courier;
  }

  Undelivered undelivered() {
    return undelivered;
  }

  /** Who sends posts. */
  ExecutorService threads() {
    return threads;
  }

  /** The receiver has asked to be left alone for a while, which is done for so long at most. */
  synchronized void waitFor(Duration time, String why) {
    Duration most = settings.longestWait();
    Duration wait = time.compareTo(most) < 0 ? time : most;
    Instant now = Instant.now(); // Only shown: the system's clock may be set meanwhile.
    waitsUntil = System.nanoTime() + wait.toNanos();
    asked =
        why
            + "; it asks to wait until "
            + SHOWN.format(now.plus(time))
            + (wait.equals(time) ? "" : ", and is tried again at " + SHOWN.format(now.plus(wait)))
            + " (Retry-After)";
  }

  @Override
  public synchronized void retryNow() {
    waitsUntil = System.nanoTime();
  }

  /** What the receiver said when it asked to be left alone, if that is still to be done. */
  synchronized Optional<Verdict.Later> asked() {
    Duration left = Duration.ofNanos(waitsUntil - System.nanoTime());
    return left.isNegative() || left.isZero()
        ? Optional.empty()
        : Optional.of(new Verdict.Later(asked, Optional.of(left)));
  }

  @Override
  public Identity identity() {
    try {
      return Ledger.identity(folder);
    } catch (IOException e) {
      throw failed("write", e);
    }
  }

  private OutsideException failed(String what, IOException e) {
    return new OutsideException("cannot " + what + " " + folder + ": " + Failure.told(e), e);
  }

  private Path of(String table) {
    return folder.resolve(Ledger.named(table));
  }

  Ledger ledger(String table, String writer) {
    return new Ledger(of(table).resolve(Ledger.named(writer)));
  }

  /** Who a table is. */
  Identity identity(String table) throws IOException {
    return Ledger.identity(of(table));
  }

  /**
   * How many rows of a ledger are put aside.
   *
   * @param content of the ledger of the table and the pipeline
   */
  Ledger.Aside aside(Ledger.Content content, String table, String pipeline) throws IOException {
    if (content.aside().isPresent()) {
      return content.aside().get();
    }
    // An earlier version did not count them: what is there is what there is.
    long waiting = rows(undelivered.waiting(name), table, pipeline);
    long refused = rows(undelivered.refused(name), table, pipeline);
    return new Ledger.Aside(waiting + refused, 0, refused, "");
  }

  private static long rows(List<Undelivered.Waiting> all, String table, String pipeline) {
    return all.stream()
        .filter(each -> each.table().equals(table) && each.pipeline().equals(pipeline))
        .mapToLong(Undelivered.Waiting::undelivered)
        .sum();
  }

  @Override
  public Target target(String writer, Table table) {
    identity();
    courier();
    try {
      return DeliveryTarget.open(
          this,
          ledger(table.name(), writer),
          new Way.Sender(writer, table.name(), identity(table.name()).text()),
          table,
          new Body(settings.form(), table.schema(), settings.row(), settings.envelope()));
    } catch (IOException e) {
      throw failed("open", e);
    }
  }

  @Override
  public Optional<Standing> standing(String writer, String table) {
    if (!Files.isDirectory(of(table))) {
      return Optional.of(Standing.ABSENT);
    }
    try {
      Map<SourcePartition, Long> progress = new HashMap<>();
      Map<SourcePartition, Long> rows = new HashMap<>();
      ledger(table, writer)
          .read()
          .sources()
          .forEach(
              (source, at) -> {
                progress.put(source, at.position());
                rows.put(source, at.rows());
              });
      return Optional.of(new Standing(Optional.of(Ledger.identity(of(table))), progress, rows));
    } catch (IOException e) {
      throw failed("read", e);
    }
  }

  static PutAside shown(Undelivered.Waiting waiting) {
    return new PutAside(
        waiting.table(),
        waiting.pipeline(),
        waiting.id(),
        waiting.undelivered(),
        waiting.body(),
        waiting.since(),
        waiting.why(),
        waiting.wasRefused());
  }

  @Override
  public List<PutAside> putAside() {
    try {
      return Stream.concat(undelivered.waiting(name).stream(), undelivered.refused(name).stream())
          .map(DeliveryStore::shown)
          .toList();
    } catch (IOException e) {
      throw failed("read what was put aside by", e);
    }
  }

  @Override
  public List<Resending.Outstanding> booked() {
    List<Resending.Outstanding> booked = new ArrayList<>();
    try {
      for (String table : tables(folder)) {
        for (String writer : tables(of(table))) {
          Ledger.Aside aside = aside(ledger(table, writer).read(), table, writer);
          booked.add(new Resending.Outstanding(table, writer, aside.waiting(), aside.refused()));
        }
      }
    } catch (IOException e) {
      throw failed("read", e);
    }
    return booked;
  }

  /** The names of the folders in a folder. */
  private static List<String> tables(Path folder) throws IOException {
    return new RealDisk()
        .list(folder).stream()
            .filter(each -> Files.isDirectory(folder.resolve(each)) && !each.equals(SENDING_LOCK))
            .map(Ledger::unnamed)
            .toList();
  }

  @Override
  public List<Resending.Outstanding> counted() {
    Map<List<String>, long[]> rows = new LinkedHashMap<>();
    try {
      for (Undelivered.Waiting each : undelivered.waiting(name)) {
        count(each, 0, rows);
      }
      for (Undelivered.Waiting each : undelivered.refused(name)) {
        count(each, 1, rows);
      }
    } catch (IOException e) {
      throw failed("read what was put aside by", e);
    }
    List<Resending.Outstanding> counted = new ArrayList<>();
    rows.forEach(
        (of, n) -> counted.add(new Resending.Outstanding(of.get(0), of.get(1), n[0], n[1])));
    return counted;
  }

  private void count(Undelivered.Waiting each, int place, Map<List<String>, long[]> rows)
      throws IOException {
    Ledger.Content content = ledger(each.table(), each.pipeline()).read();
    if (aside(content, each.table(), each.pipeline()).done().equals(each.name())) {
      return; // It is done, and a crash left its files.
    }
    undelivered.body(each); // Fails if it is not what was put aside.
    rows.computeIfAbsent(List.of(each.table(), each.pipeline()), of -> new long[2])[place] +=
        each.undelivered();
  }

  @Override
  public void resend(boolean refused, Consumer<Resent> told) {
    Resender resender = new Resender(this, undelivered);
    try {
      new Ledger(folder.resolve(SENDING_LOCK))
          .alone(
              () -> {
                for (Undelivered.Waiting each :
                    refused ? undelivered.refused(name) : undelivered.waiting(name)) {
                  resender.send(each).ifPresent(told);
                }
                return null;
              });
    } catch (IOException e) {
      throw failed("send what was put aside by", e);
    }
  }

  @Override
  public void close() {
    threads.shutdownNow();
  }

  @Override
  public String toString() {
    return "store " + name;
  }
}

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
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.time.Instant;
import java.time.ZoneId;
import java.time.format.DateTimeFormatter;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.TimeUnit;
import java.util.function.Consumer;

/** A receiver of rows: what is known of it stands in a folder of the workspace. */
final class DeliveryStore implements Store, Resending {
  private static final Duration LONGEST = Duration.ofDays(1);
  private static final DateTimeFormatter CLOCK =
      DateTimeFormatter.ofPattern("HH:mm:ss").withZone(ZoneId.systemDefault());

  private final String name;
  private final DeliverySettings settings;
  private final Path folder;
  private final Courier courier;
  private final Undelivered undelivered;
  private final ExecutorService threads;
  private Instant notBefore = Instant.MIN;
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
    this.courier = new Courier(settings, workspace);
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

  Courier courier() {
    return courier;
  }

  Undelivered undelivered() {
    return undelivered;
  }

  /** Who sends posts. */
  ExecutorService threads() {
    return threads;
  }

  /** The receiver has asked to be left alone for a while. */
  synchronized void waitFor(Duration time, String why) {
    // The system's clock may be set meanwhile; it is only told.
    notBefore = Instant.now().plus(time);
    long millis = Math.min(time.toMillis(), LONGEST.toMillis());
    waitsUntil = System.nanoTime() + TimeUnit.MILLISECONDS.toNanos(millis);
    asked = why;
  }

  /** What the receiver said when it asked to be left alone, if that is still to be done. */
  synchronized Optional<Verdict.Later> asked() {
    Duration left = Duration.ofNanos(waitsUntil - System.nanoTime());
    return left.isNegative() || left.isZero()
        ? Optional.empty()
        : Optional.of(
            new Verdict.Later(
                asked + "; it asks to wait until " + CLOCK.format(notBefore), Optional.of(left)));
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

  private Ledger ledger(String table, String writer) {
    return new Ledger(of(table).resolve(Ledger.named(writer)));
  }

  @Override
  public Target target(String writer, Table table) {
    identity();
    try {
      Identity of = Ledger.identity(of(table.name()));
      return DeliveryTarget.open(
          this,
          ledger(table.name(), writer),
          new Way.Sender(writer, table.name(), of.text()),
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

  private static PutAside shown(Undelivered.Waiting waiting) {
    return new PutAside(
        waiting.table(),
        waiting.pipeline(),
        waiting.id(),
        waiting.rows(),
        waiting.body(),
        waiting.since(),
        waiting.why());
  }

  @Override
  public List<PutAside> putAside() {
    try {
      return undelivered.all(name).stream().map(DeliveryStore::shown).toList();
    } catch (IOException e) {
      throw failed("read what was put aside by", e);
    }
  }

  @Override
  public void resend(Consumer<Resent> told) {
    try {
      for (Undelivered.Waiting each : undelivered.all(name)) {
        Verdict verdict =
            courier.post(
                courier.address(each.table()),
                each.id(),
                each.type(),
                each.encoding(),
                Files.readAllBytes(each.body()),
                each.rows());
        told.accept(resent(each, verdict));
      }
    } catch (IOException e) {
      throw failed("send what was put aside by", e);
    }
  }

  private Resent resent(Undelivered.Waiting each, Verdict verdict) throws IOException {
    PutAside shown = shown(each);
    if (verdict instanceof Verdict.Taken taken) {
      if (taken.refused().isEmpty()) {
        undelivered.remove(each);
        return new Resent(shown, 0, Optional.empty());
      }
      Map<Integer, String> rows = fromOne(taken.refused());
      Path kept = undelivered.refuse(each, rows, "the receiver took the other rows");
      return new Resent(shown, rows.size(), Optional.of(kept));
    }
    if (verdict instanceof Verdict.Later later) {
      throw new OutsideException(
          "cannot deliver " + each.body() + " to " + this + ": " + later.why());
    }
    String why =
        verdict instanceof Verdict.Refused refused
            ? refused.why()
            : ((Verdict.TooLarge) verdict).why();
    Map<Integer, String> rows =
        verdict instanceof Verdict.Refused refused ? fromOne(refused.named()) : Map.of();
    return new Resent(shown, each.rows(), Optional.of(undelivered.refuse(each, rows, why)));
  }

  private static Map<Integer, String> fromOne(Map<Integer, String> fromZero) {
    Map<Integer, String> rows = new java.util.TreeMap<>();
    fromZero.forEach((row, why) -> rows.put(row + 1, why));
    return rows;
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

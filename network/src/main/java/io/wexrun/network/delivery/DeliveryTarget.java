package io.wexrun.network.delivery;

import io.wexrun.core.batch.Rows;
import io.wexrun.core.diagnose.Failure;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.identity.Identity;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.target.Flush;
import io.wexrun.core.target.Receipt;
import io.wexrun.core.target.Refusal;
import io.wexrun.core.target.Staged;
import io.wexrun.core.target.Target;
import io.wexrun.queue.disk.RealDisk;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeMap;
import java.util.UUID;
import java.util.concurrent.ConcurrentHashMap;

/**
 * A table whose rows are posted to a receiver.
 *
 * <p><b>Once.</b> A flush is cut into posts, which are written to a file before the first of them
 * is sent; from then on these very posts are sent, under the same ids, until the receiver has said
 * what becomes of each row. Only then the ledger says how far the sources have got. So a crash
 * between the receiver's answer and the ledger makes it get a post again, under the same id.
 */
final class DeliveryTarget implements Target {
  private static final String SENDING = "sending";
  private static final String DECIDED = "sending.decided";
  private static final String STAGED = "staged-";

  /** What targets of this process have staged: none of it is left of a crash. */
  private static final Set<Path> IN_USE = ConcurrentHashMap.newKeySet();

  private final DeliveryStore store;
  private final Ledger ledger;
  private final Table table;
  private final Body body;
  private final Way way;
  private final Identity identity;
  private final String writer;
  private final Map<SourcePartition, Ledger.Reached> atOpening;
  private final Map<SourcePartition, Ledger.Reached> reached;
  private final List<Refusal> refused;
  private final Map<SourcePartition, Long> accounted = new HashMap<>();
  private final Set<Path> staged = new HashSet<>();

  private DeliveryTarget(
      DeliveryStore store, Ledger ledger, Way.Sender sender, Table table, Body body)
      throws IOException {
    this.store = store;
    this.ledger = ledger;
    this.table = table;
    this.body = body;
    this.identity = new Identity(sender.tableId());
    this.way = new Way(store, ledger, sender, body);
    Ledger.Content content = ledger.read();
    this.writer = sender.pipeline();
    this.reached = new HashMap<>(content.sources());
    this.refused = new ArrayList<>(content.refused());
    settle();
    this.atOpening = Map.copyOf(reached);
  }

  /**
   * Opens a table for a pipeline, and first brings to its end what was begun before a crash.
   *
   * @throws OutsideException if that cannot be done now
   */
  static DeliveryTarget open(
      DeliveryStore store, Ledger ledger, Way.Sender sender, Table table, Body body)
      throws IOException {
    return ledger.alone(
        () -> {
          for (String name : new RealDisk().list(ledger.file(""))) {
            Path left = ledger.file(name);
            if (name.startsWith(STAGED) && !IN_USE.contains(left)) {
              Files.delete(left);
            }
          }
          return new DeliveryTarget(store, ledger, sender, table, body);
        });
  }

  /** Ends the flush that is on its way, if there is one. Called alone. */
  private void settle() throws IOException {
    Path file = ledger.file(SENDING);
    if (!Files.exists(file)) {
      Files.deleteIfExists(ledger.file(DECIDED)); // A crash came between the two.
      return;
    }
    try (Outgoing outgoing = Outgoing.open(file)) {
      Decisions decisions = Decisions.read(ledger.file(DECIDED));
      if (!isPast(outgoing)) {
        way.send(outgoing, decisions);
        note(outgoing, decisions);
      }
    }
    Files.delete(file);
    Files.deleteIfExists(ledger.file(DECIDED));
  }

  /** Whether a flush is in the ledger: a crash came before its file was removed. */
  private boolean isPast(Outgoing outgoing) {
    return outgoing.ends().entrySet().stream()
        .allMatch(
            end -> {
              Ledger.Reached there = reached.get(end.getKey());
              return there != null && there.position() >= end.getValue();
            });
  }

  /** Writes into the ledger what became of a flush. */
  private List<Refusal> note(Outgoing outgoing, Decisions decisions) throws IOException {
    Map<SourcePartition, Long> taken = new HashMap<>();
    List<Refusal> fresh = new ArrayList<>();
    long aside = 0;
    for (int number = 0; number < outgoing.posts(); number++) {
      Post post = outgoing.post(number);
      for (Decisions.Part part : decisions.of(number)) {
        aside += part.fate() == Decisions.Fate.ASIDE ? part.to() - part.from() : 0;
        for (int row = part.from(); row < part.to(); row++) {
          SourcePartition source = post.source(row);
          if (part.fate() == Decisions.Fate.REFUSED) {
            fresh.add(
                new Refusal(source, post.positions()[row], post.rowOfRecord(row), part.why()));
          } else {
            taken.merge(source, 1L, Long::sum);
          }
        }
      }
    }
    Ledger.Content there = ledger.read(); // Another target of the pipeline may have gone on, too.
    Map<SourcePartition, Ledger.Reached> next = new HashMap<>(there.sources());
    outgoing
        .ends()
        .forEach(
            (source, end) -> {
              Ledger.Reached before = next.getOrDefault(source, new Ledger.Reached(0, 0));
              long rows = before.rows() + taken.getOrDefault(source, 0L);
              next.put(source, new Ledger.Reached(Math.max(before.position(), end), rows));
            });
    synchronized (refused) {
      refused.addAll(fresh);
      List<Refusal> all = new ArrayList<>(there.refused());
      all.removeIf(each -> each.position() < accounted.getOrDefault(each.source(), 0L));
      all.addAll(fresh);
      Ledger.Aside before = store.aside(there, table.name(), writer);
      ledger.write(new Ledger.Content(next, all, Optional.of(before.more(aside))));
    }
    outgoing.ends().keySet().forEach(source -> reached.put(source, next.get(source)));
    return fresh;
  }

  @Override
  public Map<SourcePartition, Long> progress() {
    Map<SourcePartition, Long> progress = new HashMap<>();
    atOpening.forEach((source, at) -> progress.put(source, at.position()));
    return progress;
  }

  @Override
  public Map<SourcePartition, Long> rows() {
    Map<SourcePartition, Long> rows = new HashMap<>();
    atOpening.forEach((source, at) -> rows.put(source, at.rows()));
    return rows;
  }

  @Override
  public Optional<Identity> identity() {
    return Optional.of(identity);
  }

  @Override
  public int parallelism() {
    return 2;
  }

  @Override
  public Staged stage(Flush flush) {
    Path file = ledger.file(STAGED + UUID.randomUUID());
    IN_USE.add(file);
    synchronized (staged) {
      staged.add(file);
    }
    Map<SourcePartition, Long> ends = new TreeMap<>(flush.progress());
    long fresh = 0;
    try (Outgoing.Writer out = new Outgoing.Writer(file, ends)) {
      DeliverySettings settings = store.settings();
      Cutter cutter = new Cutter(body, settings.mostRows(), settings.mostBytes(), out::add);
      for (Flush.Part part : flush.parts()) {
        Ledger.Reached done = atOpening.get(part.source());
        Rows rows = done == null ? part.rows() : part.rows().from(done.position());
        cutter.add(part.source(), rows);
        fresh += rows.count();
      }
      cutter.end();
      out.end();
    } catch (IOException e) {
      throw failed("write", e);
    }
    long written = fresh;
    return () -> commit(file, flush, written);
  }

  private OutsideException failed(String what, IOException e) {
    return new OutsideException(
        "cannot "
            + what
            + " rows of table "
            + table.name()
            + " for "
            + store
            + ": "
            + Failure.told(e),
        e);
  }

  private Receipt commit(Path file, Flush flush, long fresh) {
    List<Refusal> before = remembered(flush);
    try {
      List<Refusal> now =
          ledger.alone(
              () -> {
                requireNotPast(file, flush);
                if (fresh == 0) {
                  Files.delete(file);
                  return List.<Refusal>of();
                }
                new RealDisk().rename(file, ledger.file(SENDING));
                List<Refusal> refusals;
                try (Outgoing outgoing = Outgoing.open(ledger.file(SENDING))) {
                  Decisions decisions = Decisions.read(ledger.file(DECIDED));
                  way.send(outgoing, decisions);
                  refusals = note(outgoing, decisions);
                }
                Files.delete(ledger.file(SENDING));
                Files.deleteIfExists(ledger.file(DECIDED));
                return refusals;
              });
      IN_USE.remove(file);
      synchronized (staged) {
        staged.remove(file);
      }
      List<Refusal> all = inOrder(flush, before, now);
      return new Receipt(fresh - now.size(), flush.rows() - fresh - before.size(), all);
    } catch (IOException e) {
      throw failed("deliver", e);
    }
  }

  /** Refused rows of the flush that an earlier commit was told of. */
  private List<Refusal> remembered(Flush flush) {
    List<Refusal> found = new ArrayList<>();
    synchronized (refused) {
      for (Flush.Part part : flush.parts()) {
        Ledger.Reached done = atOpening.get(part.source());
        for (Refusal each : refused) {
          if (done != null
              && each.source().equals(part.source())
              && each.position() >= part.from()
              && each.position() < Math.min(part.end(), done.position())) {
            found.add(each);
          }
        }
      }
    }
    return found;
  }

  private static List<Refusal> inOrder(Flush flush, List<Refusal> before, List<Refusal> now) {
    if (before.isEmpty() || now.isEmpty()) {
      return before.isEmpty() ? now : before;
    }
    Map<Flush.Part, List<Refusal>> byPart = new LinkedHashMap<>();
    flush.parts().forEach(part -> byPart.put(part, new ArrayList<>()));
    for (List<Refusal> some : List.of(before, now)) {
      for (Refusal each : some) {
        byPart.entrySet().stream()
            .filter(
                e ->
                    e.getKey().source().equals(each.source())
                        && each.position() >= e.getKey().from()
                        && each.position() < e.getKey().end())
            .findFirst()
            .orElseThrow()
            .getValue()
            .add(each);
      }
    }
    return byPart.values().stream().flatMap(List::stream).toList();
  }

  /** Nobody else has gone on with the sources of the flush, nor has begun to. */
  private void requireNotPast(Path file, Flush flush) throws IOException {
    Map<SourcePartition, Ledger.Reached> there = ledger.read().sources();
    for (SourcePartition source : flush.progress().keySet()) {
      if (there.get(source) != null && !there.get(source).equals(reached.get(source))) {
        throw overtaken(source.toString());
      }
    }
    if (!Files.exists(file) || Files.exists(ledger.file(SENDING))) {
      throw overtaken("its rows");
    }
  }

  private OutsideException overtaken(String what) {
    return OutsideException.lasting(
        "another run has gone on with "
            + what
            + " in table "
            + table.name()
            + " of "
            + store
            + " since this one began. Stop one of them");
  }

  @Override
  public void accounted(Map<SourcePartition, Long> positions) {
    synchronized (refused) {
      refused.removeIf(each -> each.position() < positions.getOrDefault(each.source(), 0L));
      accounted.putAll(positions);
    }
  }

  @Override
  public void close() {
    synchronized (staged) {
      for (Path file : staged) {
        try {
          IN_USE.remove(file);
          Files.deleteIfExists(file);
        } catch (IOException e) {
          throw failed("remove staged", e);
        }
      }
      staged.clear();
    }
  }
}

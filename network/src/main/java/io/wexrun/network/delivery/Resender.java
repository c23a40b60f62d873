package io.wexrun.network.delivery;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.target.Resending.Resent;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.TreeMap;
import java.util.stream.Collectors;

/**
 * Sends posts again that were put aside, by the same means as those of a flush: rows that the
 * receiver refuses are kept, and the others are delivered. For one thread.
 *
 * <p>The ledger notes the outcome of a post before its files are removed, with its name, so that a
 * crash in between does not count it twice.
 */
final class Resender {
  private final DeliveryStore store;
  private final Undelivered undelivered;

  Resender(DeliveryStore store, Undelivered undelivered) {
    this.store = store;
    this.undelivered = undelivered;
  }

  /**
   * Sends a post.
   *
   * @return empty if it was done before a crash, so that only its files were left
   * @throws OutsideException if it cannot be sent now; it still waits
   */
  Optional<Resent> send(Undelivered.Waiting waiting) throws IOException {
    Ledger ledger = store.ledger(waiting.table(), waiting.pipeline());
    if (store
        .aside(ledger.read(), waiting.table(), waiting.pipeline())
        .done()
        .equals(waiting.name())) {
      undelivered.remove(waiting);
      return Optional.empty();
    }
    return Optional.of(
        waiting.cut().isPresent() ? sendRows(waiting, ledger) : sendWhole(waiting, ledger));
  }

  private Resent sendRows(Undelivered.Waiting waiting, Ledger ledger) throws IOException {
    Undelivered.Cut cut = waiting.cut().orElseThrow();
    Body.Form form = Body.Form.of(cut.form());
    if (form != store.settings().form()) {
      throw OutsideException.lasting(
          waiting.body()
              + " was put aside as "
              + form
              + ", and "
              + store
              + " sends "
              + store.settings().form()
              + " now: set 'body' of the store back until it is sent");
    }
    Post post = undelivered.post(waiting);
    String header = form == Body.Form.CSV ? undelivered.header(waiting) : "";
    Body body = Body.around(form, store.settings().envelope(), header);
    Way.Sender sender =
        new Way.Sender(waiting.pipeline(), waiting.table(), store.identity(waiting.table()).text());
    Decisions decisions = Decisions.read(undelivered.decided(waiting));
    new Way(store, ledger, sender, body).send(post, decisions);
    List<Post> refused = new ArrayList<>();
    Map<Integer, String> reasons = new TreeMap<>();
    for (Decisions.Part part : decisions.of(0)) {
      if (part.fate() == Decisions.Fate.REFUSED) {
        refused.add(post.part(part.from(), part.to()));
        for (int row = part.from(); row < part.to(); row++) {
          reasons.put(reasons.size() + 1, part.why());
        }
      }
    }
    Optional<Path> kept = Optional.empty();
    if (!refused.isEmpty()) {
      Post all = Post.joined(refused, body.between());
      String why = reasons.values().stream().distinct().limit(3).collect(Collectors.joining("; "));
      Body.Facts facts =
          new Body.Facts(
              all.rows(),
              all.id(sender.pipeline(), sender.tableId()),
              waiting.table(),
              waiting.pipeline());
      Undelivered.Head head = new Undelivered.Head(store.name(), facts, waiting.since(), why);
      kept =
          Optional.of(
              undelivered.refuse(
                  waiting, head, store.courier().content(body, all, facts), reasons));
    }
    return done(waiting, ledger, reasons.size(), kept);
  }

  /** A post of an earlier version cannot be cut: it is delivered, or kept, as a whole. */
  private Resent sendWhole(Undelivered.Waiting waiting, Ledger ledger) throws IOException {
    Verdict verdict =
        store
            .courier()
            .post(
                store.courier().address(waiting.table()),
                waiting.id(),
                waiting.type(),
                waiting.encoding(),
                undelivered.body(waiting),
                waiting.rows());
    if (verdict instanceof Verdict.Later later) {
      throw new OutsideException(
          "cannot deliver " + waiting.body() + " to " + store + ": " + later.why());
    }
    if (verdict instanceof Verdict.Taken taken) {
      Optional<Path> kept =
          taken.refused().isEmpty()
              ? Optional.empty()
              : Optional.of(
                  undelivered.refuseWhole(
                      waiting, fromOne(taken.refused()), Undelivered.OTHERS_TAKEN));
      return done(waiting, ledger, taken.refused().size(), kept);
    }
    Map<Integer, String> named =
        verdict instanceof Verdict.Refused refused ? fromOne(refused.named()) : Map.of();
    String why =
        verdict instanceof Verdict.Refused refused
            ? refused.why()
            : ((Verdict.TooLarge) verdict).why();
    return done(
        waiting, ledger, waiting.rows(), Optional.of(undelivered.refuseWhole(waiting, named, why)));
  }

  private static Map<Integer, String> fromOne(Map<Integer, String> fromZero) {
    Map<Integer, String> rows = new TreeMap<>();
    fromZero.forEach((row, why) -> rows.put(row + 1, why));
    return rows;
  }

  /** Notes the outcome, and removes what is not needed any more. */
  private Resent done(Undelivered.Waiting waiting, Ledger ledger, long refused, Optional<Path> kept)
      throws IOException {
    long rows = waiting.undelivered();
    boolean stays = kept.isPresent() && kept.get().equals(waiting.note());
    ledger.alone(
        () -> {
          Ledger.Content there = ledger.read();
          Ledger.Aside aside = store.aside(there, waiting.table(), waiting.pipeline());
          ledger.write(
              new Ledger.Content(
                  there.sources(),
                  there.refused(),
                  Optional.of(
                      new Ledger.Aside(
                          aside.put(),
                          aside.delivered() + rows - refused,
                          aside.refused() + refused - (waiting.wasRefused() ? rows : 0),
                          stays ? "" : waiting.name()))));
          return null;
        });
    if (stays) {
      Files.deleteIfExists(undelivered.decided(waiting));
    } else {
      undelivered.remove(waiting);
    }
    return new Resent(DeliveryStore.shown(waiting), rows - refused, refused, kept);
  }
}

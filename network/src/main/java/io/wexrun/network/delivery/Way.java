package io.wexrun.network.delivery;

import io.wexrun.core.diagnose.OutsideException;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.DateTimeException;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.TreeMap;
import java.util.concurrent.ExecutionException;
import java.util.concurrent.Future;

/**
 * Brings the posts of flushes to the other side, until something is decided on each row. For one
 * flush at a time, whose posts are sent by several threads.
 */
final class Way {
  /**
   * So long a post is tried again before its flush fails, and the run waits by itself; not longer
   * than an answer may take.
   */
  private static final Duration PATIENCE = Duration.ofSeconds(3);

  private static final long FIRST_PAUSE_MILLIS = 100;

  /** So often a post is cut to find the rows that are refused; then all that is left are. */
  private static final int MOST_CUTS = 64;

  private static final int MOST_LOST = 3;
  private static final String FAILING = "failing";

  private final DeliveryStore store;
  private final Ledger ledger;
  private final Sender sender;
  private final Body body;
  private final long patience;

  /**
   * Whose rows are sent.
   *
   * @param pipeline the one that sends
   * @param table the name of the table
   * @param tableId who the table is
   */
  record Sender(String pipeline, String table, String tableId) {}

  Way(DeliveryStore store, Ledger ledger, Sender sender, Body body) {
    Duration timeout = store.settings().timeout();
    this.patience = Math.min(PATIENCE.toNanos(), timeout.toNanos());
    this.store = store;
    this.ledger = ledger;
    this.sender = sender;
    this.body = body;
  }

  /** Something cannot be sent now. */
  private static final class LaterException extends Exception {
    private static final long serialVersionUID = 1;

    LaterException(String why) {
      super(why);
    }
  }

  /** One post of the flush, and what becomes of it. */
  private final class Sending {
    private final int number;
    private final Post post;
    private final Decisions decisions;
    private int cuts;

    Sending(int number, Post post, Decisions decisions) {
      this.number = number;
      this.post = post;
      this.decisions = decisions;
    }

    void work() throws IOException, LaterException {
      for (int[] range : decisions.open(number, post.rows())) {
        decide(range[0], range[1]);
      }
    }

    private void note(Decisions.Part part) throws IOException {
      decisions.add(number, part);
    }

    /** Sends rows until something is decided on each. */
    private void decide(int from, int to) throws IOException, LaterException {
      for (int lost = 0; ; lost++) {
        Optional<Decisions.Part> waiting = decisions.unconfirmed(number, from);
        if (waiting.isPresent() && safe(waiting.get())) {
          note(Decisions.Part.of(from, to, Decisions.Fate.TAKEN));
          return;
        }
        if (lost > MOST_LOST) {
          throw new LaterException("the receiver takes rows, and then says that they are lost");
        }
        Post part = post.part(from, to);
        Verdict verdict = ask(part);
        if (verdict instanceof Verdict.Taken taken) {
          if (taken(from, to, taken)) {
            return;
          }
        } else if (verdict instanceof Verdict.Refused refused) {
          refused(from, to, refused);
          return;
        } else if (verdict instanceof Verdict.TooLarge large) {
          halve(from, to, large.why(), false);
          return;
        }
      }
    }

    /** True if nothing more has to be done for these rows. */
    private boolean taken(int from, int to, Verdict.Taken taken)
        throws IOException, LaterException {
      List<int[]> ranges = without(from, to, taken.refused());
      if (taken.id().isEmpty()) {
        for (int[] range : ranges) {
          note(Decisions.Part.of(range[0], range[1], Decisions.Fate.TAKEN));
        }
        return true;
      }
      long now = System.currentTimeMillis();
      for (int[] range : ranges) {
        note(
            new Decisions.Part(
                range[0], range[1], Decisions.Fate.UNCONFIRMED, "", taken.id().get(), now));
      }
      if (ranges.size() == 1 && ranges.get(0)[0] == from && ranges.get(0)[1] == to) {
        return false;
      }
      for (int[] range : ranges) {
        decide(range[0], range[1]);
      }
      return true;
    }

    private void refused(int from, int to, Verdict.Refused refused)
        throws IOException, LaterException {
      if (refused.named().isEmpty()) {
        halve(from, to, refused.why(), true);
        return;
      }
      for (int[] range : without(from, to, refused.named())) {
        decide(range[0], range[1]);
      }
    }

    /** Notes the rows that are refused, and gives the ranges of the others. */
    private List<int[]> without(int from, int to, Map<Integer, String> named) throws IOException {
      List<int[]> others = new ArrayList<>();
      int at = from;
      for (Map.Entry<Integer, String> each : new TreeMap<>(named).entrySet()) {
        int row = from + each.getKey();
        if (row > at) {
          others.add(new int[] {at, row});
        }
        note(Decisions.Part.refused(row, row + 1, each.getValue()));
        at = row + 1;
      }
      if (at < to) {
        others.add(new int[] {at, to});
      }
      return others;
    }

    private void halve(int from, int to, String why, boolean refused)
        throws IOException, LaterException {
      int middle = post.middle(from, to);
      if (middle == from || refused && cuts++ >= MOST_CUTS) {
        note(Decisions.Part.refused(from, to, why));
        return;
      }
      decide(from, middle);
      decide(middle, to);
    }

    /** Whether rows that were taken are safe; not, if they must be sent again. */
    private boolean safe(Decisions.Part waiting) throws LaterException {
      DeliverySettings.Confirming confirming = store.settings().confirming().orElse(null);
      if (confirming == null) {
        return true; // Nobody asks any more.
      }
      long until = System.nanoTime() + 3 * patience;
      String why = "the receiver has not confirmed yet that rows are safe";
      while (System.currentTimeMillis() < waiting.since() + confirming.within().toMillis()) {
        try {
          switch (store.courier().ask(waiting.id(), sender.table())) {
            case SAFE -> {
              return true;
            }
            case LOST -> {
              return false;
            }
            default -> {}
          }
        } catch (IOException e) {
          why = e.getMessage();
        }
        if (System.nanoTime() > until) {
          throw new LaterException(why);
        }
        pause(confirming.every().toMillis());
      }
      return false;
    }
  }

  /** Posts rows, and again for a while, if the other side cannot take them now. */
  private Verdict ask(Post part) throws LaterException {
    long until = System.nanoTime() + patience;
    long pause = FIRST_PAUSE_MILLIS;
    while (true) {
      Optional<Verdict.Later> asked = store.asked();
      Verdict verdict =
          asked.isPresent()
              ? asked.get()
              : store
                  .courier()
                  .post(
                      body,
                      part,
                      new Body.Facts(
                          part.rows(),
                          part.id(sender.pipeline(), sender.tableId()),
                          sender.table(),
                          sender.pipeline()));
      if (!(verdict instanceof Verdict.Later)) {
        return verdict;
      }
      Verdict.Later later = (Verdict.Later) verdict;
      if (asked.isEmpty() && later.after().isPresent()) {
        store.waitFor(later.after().get(), later.why());
        later = store.asked().orElse(later);
      }
      long wait = later.after().map(Duration::toMillis).orElse(pause);
      if (wait > (until - System.nanoTime()) / 1_000_000) {
        throw new LaterException(later.why());
      }
      pause(wait);
      pause = 2 * pause;
    }
  }

  private static void pause(long millis) {
    try {
      Thread.sleep(millis);
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new OutsideException("sending was interrupted", e);
    }
  }

  /**
   * Sends one post that is not part of a flush any more, until something is decided on each row.
   *
   * @throws OutsideException if it cannot be sent now
   */
  void send(Post post, Decisions decisions) throws IOException {
    try {
      new Sending(0, post, decisions).work();
    } catch (LaterException e) {
      throw undeliverable(e.getMessage());
    }
  }

  private OutsideException undeliverable(String why) {
    return new OutsideException(
        "rows of table " + sender.table() + " cannot be delivered to " + store + ": " + why);
  }

  /**
   * Sends what nothing is decided on yet.
   *
   * @throws OutsideException if something cannot be sent now, and is not put aside either
   */
  void send(Outgoing outgoing, Decisions decisions) throws IOException {
    List<Future<?>> sending = new ArrayList<>();
    for (int number = 0; number < outgoing.posts(); number++) {
      int post = number;
      sending.add(
          store
              .threads()
              .submit(
                  () -> {
                    new Sending(post, outgoing.post(post), decisions).work();
                    return null;
                  }));
    }
    Optional<String> later = Optional.empty();
    Throwable failure = null;
    for (Future<?> each : sending) {
      try {
        each.get();
      } catch (ExecutionException e) {
        if (e.getCause() instanceof LaterException) {
          later = Optional.of(e.getCause().getMessage());
        } else {
          failure = e.getCause();
        }
      } catch (InterruptedException e) {
        Thread.currentThread().interrupt();
        throw new OutsideException("sending was interrupted", e);
      }
    }
    if (failure instanceof IOException io) {
      throw io;
    } else if (failure != null) {
      throw failure instanceof RuntimeException e ? e : new IllegalStateException(failure);
    }
    if (later.isPresent()) {
      failed(outgoing, decisions, later.get());
    } else {
      Files.deleteIfExists(ledger.file(FAILING));
    }
  }

  /** Puts aside what has failed for long. */
  private void failed(Outgoing outgoing, Decisions decisions, String why) throws IOException {
    Instant now = Instant.now();
    Instant since = failingSince(now);
    Optional<DeliverySettings.Aside> aside = store.settings().aside();
    if (aside.isEmpty() || since.plus(aside.get().after()).isAfter(now)) {
      throw undeliverable(why);
    }
    for (int number = 0; number < outgoing.posts(); number++) {
      Post post = outgoing.post(number);
      for (int[] range : decisions.open(number, post.rows())) {
        Post part = post.part(range[0], range[1]);
        String id = part.id(sender.pipeline(), sender.tableId());
        Body.Facts facts = new Body.Facts(part.rows(), id, sender.table(), sender.pipeline());
        store
            .undelivered()
            .put(
                new Undelivered.Head(store.name(), facts, since, why),
                store.courier().content(body, part, facts));
        decisions.add(number, Decisions.Part.of(range[0], range[1], Decisions.Fate.ASIDE));
      }
    }
  }

  /** Since when nothing could be delivered; from now on, if it is the first time. */
  private Instant failingSince(Instant now) throws IOException {
    Path file = ledger.file(FAILING);
    if (Files.exists(file)) {
      try {
        return Instant.parse(Files.readString(file));
      } catch (DateTimeException e) {
        // Torn by a crash: it begins anew.
      }
    }
    Files.writeString(file, now.toString());
    return now;
  }
}

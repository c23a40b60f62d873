package io.wexrun.network.http;

import io.wexrun.network.door.Inbox;
import io.wexrun.queue.Parcel;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.concurrent.CompletableFuture;

/** Takes the requests of one intake into its queue. For several threads. */
final class HttpReception implements Route.Taker {
  private static final int LONGEST_KEY = 255;

  private final Inbox inbox;
  private final Bodies bodies;
  private final Repeats repeats;
  private final Guard guard;
  private final Kept kept;

  /**
   * What is kept of a request, and how much of one is taken.
   *
   * @param headers the names of header fields that become headers of its records
   * @param peer whether the sender's address does
   * @param most how many bytes a body may have
   */
  record Kept(List<String> headers, boolean peer, int most) {}

  /**
   * What an intake takes.
   *
   * @param guard lets those in who may send
   */
  HttpReception(Inbox inbox, Bodies bodies, Repeats repeats, Guard guard, Kept kept) {
    this.inbox = inbox;
    this.bodies = bodies;
    this.repeats = repeats;
    this.guard = guard;
    this.kept = kept;
  }

  @Override
  public Set<String> origins() {
    return guard.origins();
  }

  @Override
  public int most() {
    return kept.most();
  }

  @Override
  public Optional<Answer> refuse(Request head, Optional<Long> length) {
    return guard.refuse(head, length.orElse(0L));
  }

  @Override
  public CompletableFuture<Answer> take(Request request) {
    try {
      return taken(request);
    } catch (RefusedException e) {
      return CompletableFuture.completedFuture(e.answer());
    }
  }

  private CompletableFuture<Answer> taken(Request request) throws RefusedException {
    Optional<Answer> refused = guard.refuse(request, request.body().length);
    if (refused.isPresent()) {
      throw new RefusedException(refused.get());
    }
    Optional<String> key = key(request);
    String digest = key.isPresent() ? Repeats.digest(request) : "";
    if (key.isPresent()) {
      Optional<CompletableFuture<Answer>> before = repeats.find(key.get(), digest);
      if (before.isPresent()) {
        return before.get();
      }
    }
    String encoding = String.join(",", request.headers().getAll("content-encoding"));
    byte[] plain = Unpacked.of(request.body(), encoding, kept.most());
    refused = guard.refuse(request, plain.length);
    if (refused.isPresent()) {
      throw new RefusedException(refused.get());
    }
    Body body = bodies.read(plain, request.headers());
    int count = body.records().count();
    if (count == 0) {
      return CompletableFuture.completedFuture(Answer.taken(0, false));
    }
    Optional<Answer> tooMuch = guard.count(request, count);
    if (tooMuch.isPresent()) {
      throw new RefusedException(tooMuch.get());
    }
    CompletableFuture<Answer> answer = new CompletableFuture<>();
    if (key.isPresent()) {
      Optional<CompletableFuture<Answer>> before = repeats.begin(key.get(), digest, count, answer);
      if (before.isPresent()) {
        return before.get();
      }
    }
    String mark = key.map(k -> Repeats.mark(k, digest, count)).orElse("");
    put(new Parcel(-1, body.records(), body.columns(), headers(request, body), mark), key, answer);
    return answer;
  }

  private void put(Parcel parcel, Optional<String> key, CompletableFuture<Answer> answer) {
    int count = parcel.records().count();
    Optional<CompletableFuture<Void>> stored;
    try {
      stored = inbox.put(parcel);
    } catch (IllegalArgumentException e) {
      fail(key, answer, tooLong(parcel));
      return;
    }
    if (stored.isEmpty()) {
      fail(
          key,
          answer,
          inbox.isShut()
              ? Answer.shut()
              : Exchange.tooMuch("the queue is full, or read too slowly"));
      return;
    }
    stored
        .get()
        .whenComplete(
            (nothing, failure) -> {
              if (failure == null) {
                answer.complete(Answer.taken(count, false));
              } else {
                fail(key, answer, guard.notStored(failure));
              }
            });
  }

  private void fail(Optional<String> key, CompletableFuture<Answer> answer, Answer why) {
    key.ifPresent(repeats::failed);
    answer.complete(why);
  }

  private Answer tooLong(Parcel parcel) {
    int number = 1;
    for (int i = 0; i < parcel.records().count(); i++) {
      int length = parcel.records().end(i) - parcel.records().start(i);
      if (length > inbox.longest() / 2) {
        number = i + 1;
        break;
      }
    }
    return Answer.problem(
        Answer.TOO_LARGE,
        "record " + number + " is longer than the " + inbox.longest() + " bytes of the queue",
        number);
  }

  private static Optional<String> key(Request request) throws RefusedException {
    Optional<String> written = request.header("idempotency-key");
    if (written.isEmpty()) {
      return written;
    }
    String key = written.get().strip().replaceFirst("^\"(.*)\"$", "$1");
    if (key.isEmpty() || key.length() > LONGEST_KEY) {
      throw new RefusedException(
          Answer.problem(Answer.BAD, "an Idempotency-Key has 1 to " + LONGEST_KEY + " characters"));
    }
    return Optional.of(key);
  }

  private Map<String, String> headers(Request request, Body body) {
    if (kept.headers().isEmpty() && !kept.peer() && request.values().isEmpty()) {
      return body.headers();
    }
    Map<String, String> headers = new LinkedHashMap<>(request.values());
    for (String name : kept.headers()) {
      request.header(name).ifPresent(value -> headers.put(name.toLowerCase(Locale.ROOT), value));
    }
    if (kept.peer()) {
      headers.put("peer", request.peer());
    }
    headers.putAll(body.headers());
    return headers;
  }
}

package io.wexrun.network.http;

import io.wexrun.queue.Queue;
import java.nio.charset.StandardCharsets;
import java.security.MessageDigest;
import java.security.NoSuchAlgorithmException;
import java.time.Duration;
import java.time.InstantSource;
import java.util.Base64;
import java.util.Iterator;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.CompletableFuture;

/**
 * Knows requests again by their {@code Idempotency-Key} (IETF draft "The Idempotency-Key HTTP
 * Header Field"), also after a restart: the key stands in the queue with the records that came with
 * it. For several threads.
 */
final class Repeats {
  /** So many are known at a time; older ones are forgotten before their time. */
  private static final int MOST = 500_000;

  private static final int DIGEST_BYTES = 12;

  private final Duration time;
  private final InstantSource clock;
  private final Map<String, Known> known = new LinkedHashMap<>();

  /**
   * A request that came.
   *
   * @param digest of its path and body
   * @param answer completes when it is stored; null if it was before
   */
  private record Known(
      String digest, long records, long millis, CompletableFuture<Answer> answer) {}

  /**
   * The requests that a queue knows.
   *
   * @param time for how long a request is known
   */
  Repeats(Queue queue, Duration time, InstantSource clock) {
    this.time = time;
    this.clock = clock;
    if (!time.isZero()) {
      queue
          .marks(clock.millis() - time.toMillis())
          .forEach(
              (mark, millis) -> {
                String[] parts = mark.split(" ", 3);
                if (parts.length == 3 && parts[1].matches("[0-9]{1,9}")) {
                  known.put(parts[2], new Known(parts[0], Long.parseLong(parts[1]), millis, null));
                }
              });
    }
  }

  /** What is kept with a request's records. */
  static String mark(String key, String digest, int records) {
    return digest + " " + records + " " + key;
  }

  /** What tells a request from others with its key. */
  static String digest(Request request) {
    try {
      MessageDigest sha = MessageDigest.getInstance("SHA-256");
      sha.update(request.path().getBytes(StandardCharsets.UTF_8));
      byte[] all = sha.digest(request.body());
      return Base64.getUrlEncoder()
          .withoutPadding()
          .encodeToString(java.util.Arrays.copyOf(all, DIGEST_BYTES));
    } catch (NoSuchAlgorithmException e) {
      throw new IllegalStateException("every Java has SHA-256", e);
    }
  }

  /** The answer of a request that came before; empty if none with its key did. */
  synchronized Optional<CompletableFuture<Answer>> find(String key, String digest) {
    forgetOld();
    Known before = known.get(key);
    if (before == null) {
      return Optional.empty();
    }
    if (!before.digest().equals(digest)) {
      return Optional.of(
          CompletableFuture.completedFuture(
              Answer.problem(
                  Answer.WRONG, "another request came with the Idempotency-Key " + key)));
    }
    long records = before.records();
    return Optional.of(
        before.answer() == null
            ? CompletableFuture.completedFuture(Answer.taken(records, true))
            : before
                .answer()
                .thenApply(
                    answer -> answer.status() == Answer.OK ? Answer.taken(records, true) : answer));
  }

  /** Another one with the key may be coming at the same time: only the first one counts. */
  synchronized Optional<CompletableFuture<Answer>> begin(
      String key, String digest, long records, CompletableFuture<Answer> answer) {
    Optional<CompletableFuture<Answer>> before = find(key, digest);
    if (before.isEmpty()) {
      known.put(key, new Known(digest, records, clock.millis(), answer));
    }
    return before;
  }

  /** A request was not stored: it may come again. */
  synchronized void failed(String key) {
    known.remove(key);
  }

  private void forgetOld() {
    long since = clock.millis() - time.toMillis();
    Iterator<Known> all = known.values().iterator();
    while (all.hasNext()) {
      if (all.next().millis() >= since && known.size() <= MOST) {
        return;
      }
      all.remove();
    }
  }
}

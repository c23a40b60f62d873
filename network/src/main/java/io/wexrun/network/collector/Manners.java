package io.wexrun.network.collector;

import java.time.Duration;
import java.util.Optional;
import java.util.regex.Pattern;

/**
 * How a collector treats those who post.
 *
 * @param token the bearer token that they must show; empty if anybody may post
 * @param client who may get such a token, as {@code NAME:SECRET} (RFC 6749, section 4.4)
 * @param busy the share of posts that it asks to send again later, 0 to 1
 * @param lost the share of posts that it takes without saying so, 0 to 1
 * @param refused rows with such a text in them are not taken
 * @param whole whether a post with such a row is refused whole
 * @param confirms after which time it says that rows which it took are safe; empty if at once
 * @param most how many bytes a body may have
 * @param repeats whether it knows posts again by their idempotency key, and takes them once
 */
public record Manners(
    Optional<String> token,
    Optional<String> client,
    double busy,
    double lost,
    Optional<Pattern> refused,
    boolean whole,
    Optional<Duration> confirms,
    int most,
    boolean repeats) {
  /** How many bytes a body may have where nothing else is said. */
  public static final int MOST = 64 << 20;

  /** Takes everything from anybody, once. */
  public static final Manners GOOD =
      new Manners(
          Optional.empty(),
          Optional.empty(),
          0,
          0,
          Optional.empty(),
          false,
          Optional.empty(),
          MOST,
          true);

  /** These, for those who show a token. */
  public Manners withToken(String shown) {
    return new Manners(
        Optional.of(shown), client, busy, lost, refused, whole, confirms, most, repeats);
  }

  /** These, for a client that may get a token. */
  public Manners withClient(String nameAndSecret) {
    return new Manners(
        token, Optional.of(nameAndSecret), busy, lost, refused, whole, confirms, most, repeats);
  }

  /** These, with a share of posts that must come again later. */
  public Manners withBusy(double share) {
    return new Manners(token, client, share, lost, refused, whole, confirms, most, repeats);
  }

  /** These, with a share of posts that are taken without saying so. */
  public Manners withLost(double share) {
    return new Manners(token, client, busy, share, refused, whole, confirms, most, repeats);
  }

  /** These, without rows that have a text in them. */
  public Manners withRefused(Pattern text) {
    return new Manners(
        token, client, busy, lost, Optional.of(text), whole, confirms, most, repeats);
  }

  /** These, and who posts a row that is refused has all of them refused. */
  public Manners withWhole() {
    return new Manners(token, client, busy, lost, refused, true, confirms, most, repeats);
  }

  /** These, with rows that are confirmed later. */
  public Manners withConfirms(Duration after) {
    return new Manners(
        token, client, busy, lost, refused, whole, Optional.of(after), most, repeats);
  }

  /** These, with bodies that are bounded. */
  public Manners withMost(int bytes) {
    return new Manners(token, client, busy, lost, refused, whole, confirms, bytes, repeats);
  }

  /** These, with repeats that are known or not. */
  public Manners withRepeats(boolean known) {
    return new Manners(token, client, busy, lost, refused, whole, confirms, most, known);
  }
}

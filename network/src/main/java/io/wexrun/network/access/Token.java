package io.wexrun.network.access;

import java.time.Instant;
import java.util.List;

/**
 * What the holder of a token may do.
 *
 * @param name who has it; one of a name
 * @param digest of the secret, SHA-256 in hexadecimal; the secret itself is kept nowhere
 * @param append the queues that may be appended to; {@code *} for all
 * @param figures whether the figures of a run may be read
 * @param rate how many records a second at most; 0 for any number
 * @param most how many bytes a request may have; 0 for as many as the intake takes
 * @param made when it was made
 */
public record Token(
    String name,
    String digest,
    List<String> append,
    boolean figures,
    long rate,
    long most,
    Instant made) {
  /** Copies the list. */
  public Token {
    append = List.copyOf(append);
  }

  /** Whether a queue may be appended to. */
  public boolean mayAppend(String queue) {
    return append.contains("*") || append.contains(queue);
  }
}

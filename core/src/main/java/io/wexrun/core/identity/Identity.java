package io.wexrun.core.identity;

import java.util.UUID;

/**
 * Who something is that has a name: a source partition, a queue, a store, a table. It is made with
 * the thing and ends with it: what is made anew under the same name has another identity, and what
 * is renamed keeps its own. So the state can tell the one it knows from another in its place.
 *
 * @param text what tells it from others of its kind, at most 200 characters; only who made it reads
 *     it
 */
public record Identity(String text) {
  /** Rejects a text that is empty or too long to be kept. */
  public Identity {
    if (text.isEmpty() || text.length() > 200) {
      throw new IllegalArgumentException("an identity has 1 to 200 characters: " + text);
    }
  }

  /** An identity that nothing else has (a random UUID, RFC 9562). */
  public static Identity fresh() {
    return new Identity(UUID.randomUUID().toString());
  }

  @Override
  public String toString() {
    return text;
  }
}

package io.wexrun.queue.log;

import java.nio.charset.StandardCharsets;
import java.util.Map;
import java.util.Optional;

/**
 * A record read from a queue.
 *
 * @param partition from 0
 * @param position its position in the partition, from 0
 * @param timeMillis when it was appended, in milliseconds since 1970-01-01T00:00:00Z
 * @param takenMillis when an intake first took it, in milliseconds since 1970-01-01T00:00:00Z;
 *     {@code timeMillis} for one that a producer appended
 * @param key its key, if it has one; not to be changed
 * @param headers names to values, in order; may be empty
 * @param sourceHeader the header of the source that it comes from, such as the line with a CSV
 *     file's names; empty if it has none; not to be changed
 * @param value its bytes; not to be changed
 */
public record QueueRecord(
    int partition,
    long position,
    long timeMillis,
    long takenMillis,
    Optional<byte[]> key,
    Map<String, String> headers,
    byte[] sourceHeader,
    byte[] value) {

  /** The value as text; what is not UTF-8 shows as replacement characters. */
  public String text() {
    return new String(value, StandardCharsets.UTF_8);
  }

  /** The key as text, or empty text if there is none. */
  public String keyText() {
    return key.map(k -> new String(k, StandardCharsets.UTF_8)).orElse("");
  }
}

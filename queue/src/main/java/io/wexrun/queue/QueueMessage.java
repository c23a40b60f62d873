package io.wexrun.queue;

import java.nio.charset.StandardCharsets;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalInt;
import java.util.OptionalLong;

/**
 * A record to append.
 *
 * @param value its bytes; not to be changed
 * @param key its key, if it has one: records with equal keys go to one partition, in order
 * @param headers names to values
 * @param partition where it goes, if that is chosen
 * @param number its number, by which a named producer's repetition is recognised
 */
public record QueueMessage(
    byte[] value,
    Optional<byte[]> key,
    Map<String, String> headers,
    OptionalInt partition,
    OptionalLong number) {

  /** A record without a key. */
  public static QueueMessage of(byte[] value) {
    return new QueueMessage(
        value, Optional.empty(), Map.of(), OptionalInt.empty(), OptionalLong.empty());
  }

  /** A record of a text without a key. */
  public static QueueMessage of(String text) {
    return of(text.getBytes(StandardCharsets.UTF_8));
  }

  /** This record with a key. */
  public QueueMessage key(byte[] bytes) {
    return new QueueMessage(value, Optional.of(bytes), headers, partition, number);
  }

  /** This record with a text as its key. */
  public QueueMessage key(String text) {
    return key(text.getBytes(StandardCharsets.UTF_8));
  }

  /** This record with one more header. */
  public QueueMessage header(String name, String text) {
    Map<String, String> more = new LinkedHashMap<>(headers);
    more.put(name, text);
    return new QueueMessage(value, key, more, partition, number);
  }

  /** This record in a partition that is chosen. */
  public QueueMessage to(int chosen) {
    return new QueueMessage(value, key, headers, OptionalInt.of(chosen), number);
  }

  /**
   * This record with a number, which must grow from record to record of a named producer: what the
   * queue has already is not appended again, also after a restart.
   */
  public QueueMessage number(long growing) {
    return new QueueMessage(value, key, headers, partition, OptionalLong.of(growing));
  }
}

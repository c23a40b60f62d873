package io.wexrun.queue.ends;

import io.wexrun.core.dead.DeadLetter;
import io.wexrun.core.dead.Reason;
import io.wexrun.queue.log.QueueRecord;
import java.util.LinkedHashMap;
import java.util.Map;

/**
 * Dead letters as records of a queue: the value is the original record, with its key and the header
 * of its source; the headers say why it died, and what headers it came with.
 */
public final class DeadLetters {
  /** What the names of the headers begin with that the record came with. */
  static final String ORIGINAL = "original-";

  private DeadLetters() {}

  /**
   * The dead letter that a record holds.
   *
   * @throws IllegalArgumentException if the record is none: it has no known {@code reason}
   */
  public static DeadLetter read(QueueRecord record) {
    Map<String, String> headers = record.headers();
    String code = headers.getOrDefault("reason", "");
    Reason reason =
        Reason.of(code)
            .orElseThrow(
                () ->
                    new IllegalArgumentException(
                        "record "
                            + record.position()
                            + " is not a dead letter: reason '"
                            + code
                            + "'"));
    Map<String, String> original = new LinkedHashMap<>();
    headers.forEach(
        (name, value) -> {
          if (name.startsWith(ORIGINAL)) {
            original.put(name.substring(ORIGINAL.length()), value);
          }
        });
    return new DeadLetter(
        new DeadLetter.Original(
            record.value(),
            headers.getOrDefault("source", ""),
            Long.parseLong(headers.getOrDefault("position", "-1")),
            record.sourceHeader(),
            record.takenMillis() * 1000,
            record.key(),
            original),
        new DeadLetter.Death(
            reason,
            headers.getOrDefault("step", ""),
            headers.getOrDefault("field", ""),
            headers.getOrDefault("detail", ""),
            headers.getOrDefault("version", "")));
  }
}

package io.wexrun.queue;

import io.wexrun.core.dead.DeadLetter;
import io.wexrun.core.dead.Reason;
import java.util.Map;

/**
 * Dead letters as records of a queue: the value is the original record, the headers say the rest.
 */
public final class DeadLetters {
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
                            + " is no dead letter: reason '"
                            + code
                            + "'"));
    return new DeadLetter(
        record.value(),
        headers.getOrDefault("source", ""),
        Long.parseLong(headers.getOrDefault("position", "-1")),
        reason,
        headers.getOrDefault("step", ""),
        headers.getOrDefault("field", ""),
        headers.getOrDefault("detail", ""));
  }
}

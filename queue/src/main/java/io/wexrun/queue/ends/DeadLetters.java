package io.wexrun.queue.ends;

import io.wexrun.core.dead.DeadLetter;
import io.wexrun.core.dead.Reason;
import io.wexrun.core.intake.Former;
import io.wexrun.queue.log.QueueRecord;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.Optional;

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
            number(headers, "position", -1),
            record.sourceHeader(),
            record.takenMillis() * 1000,
            number(headers, "written", 0),
            number(headers, "line", 0),
            headers.getOrDefault("member", ""),
            headers.getOrDefault("host", ""),
            record.key(),
            original),
        new DeadLetter.Death(
            reason,
            headers.getOrDefault("step", ""),
            headers.getOrDefault("field", ""),
            headers.getOrDefault("detail", ""),
            headers.getOrDefault("version", "")),
        new DeadLetter.Life(
            number(headers, "deaths", 1),
            number(headers, "died", record.timeMillis() * 1000),
            Optional.ofNullable(headers.get("part")).map(Former.Part::of)));
  }

  private static long number(Map<String, String> headers, String name, long otherwise) {
    String value = headers.get(name);
    return value == null ? otherwise : Long.parseLong(value);
  }
}

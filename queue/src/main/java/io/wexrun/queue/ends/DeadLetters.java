package io.wexrun.queue.ends;

import io.wexrun.core.dead.DeadLetter;
import io.wexrun.core.dead.Reason;
import io.wexrun.core.intake.Former;
import io.wexrun.queue.Queue;
import io.wexrun.queue.Reader;
import io.wexrun.queue.log.PackBuilder;
import io.wexrun.queue.log.PackHead;
import io.wexrun.queue.log.QueueRecord;
import java.time.Duration;
import java.util.Arrays;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.function.Predicate;

/**
 * Dead letters as records of a queue: the value is the original record, with its key and the header
 * of its source; the headers say why it died, and what headers it came with.
 */
public final class DeadLetters {
  /** So many letters are copied at once. */
  private static final int COPIED = 1000;

  /** Who appends what is copied. */
  private static final String COPIER = PackHead.PASSING + "copied";

  /** What the names of the headers begin with that the record came with. */
  static final String ORIGINAL = "original-";

  private DeadLetters() {}

  /**
   * The dead letter that a record holds.
   *
   * @throws IllegalArgumentException if the record is none: it has no known {@code reason}
   */
  public static DeadLetter read(QueueRecord record) {
    Read read = new Read();
    record.headers().forEach(read::header);
    Reason reason =
        Reason.of(read.reason)
            .orElseThrow(
                () ->
                    new IllegalArgumentException(
                        "record "
                            + record.position()
                            + " is not a dead letter: reason '"
                            + read.reason
                            + "'"));
    return new DeadLetter(
        new DeadLetter.Original(
            record.value(),
            read.source,
            read.position,
            record.sourceHeader(),
            record.takenMillis() * 1000,
            read.written,
            read.line,
            read.member,
            read.host,
            record.key(),
            read.original),
        new DeadLetter.Death(reason, read.step, read.field, read.detail, read.version),
        new DeadLetter.Life(
            read.deaths, read.died < 0 ? record.timeMillis() * 1000 : read.died, read.part));
  }

  /** What the headers of a letter say. */
  private static final class Read {
    private String reason = "";
    private String step = "";
    private String field = "";
    private String detail = "";
    private String version = "";
    private String source = "";
    private String member = "";
    private String host = "";
    private long position = -1;
    private long written;
    private long line;
    private long deaths = 1;
    private long died = -1;
    private Optional<Former.Part> part = Optional.empty();
    private Map<String, String> original = Map.of();

    void header(String name, String value) {
      switch (name) {
        case "reason" -> reason = value;
        case "step" -> step = value;
        case "field" -> field = value;
        case "detail" -> detail = value;
        case "version" -> version = value;
        case "source" -> source = value;
        case "member" -> member = value;
        case "host" -> host = value;
        case "position" -> position = Long.parseLong(value);
        case "written" -> written = Long.parseLong(value);
        case "line" -> line = Long.parseLong(value);
        case "deaths" -> deaths = Long.parseLong(value);
        case "died" -> died = Long.parseLong(value);
        case "part" -> part = Optional.of(Former.Part.of(value));
        default -> other(name, value);
      }
    }

    private void other(String name, String value) {
      if (name.startsWith(ORIGINAL)) {
        original = original.isEmpty() ? new LinkedHashMap<>() : original;
        original.put(name.substring(ORIGINAL.length()), value);
      }
    }
  }

  /**
   * Copies letters to another queue, which has no more partitions; each keeps what it says of
   * itself.
   *
   * @param which of them
   */
  public static void copy(Queue from, Queue to, Predicate<QueueRecord> which) {
    Reader reader = from.readFromOldest();
    List<QueueRecord> some = reader.poll(COPIED, Duration.ZERO);
    while (!some.isEmpty()) {
      PackBuilder pack = null;
      QueueRecord last = null;
      for (QueueRecord record : some) {
        if (!which.test(record)) {
          continue;
        }
        if (last != null
            && (last.partition() != record.partition()
                || !Arrays.equals(last.sourceHeader(), record.sourceHeader()))) {
          append(to, last, pack);
          pack = null;
        }
        if (pack == null) {
          PackHead head = new PackHead(COPIER, record.sourceHeader(), Map.of());
          pack = new PackBuilder(head, 64 << 10);
        }
        add(pack, record, to.options().clock().millis());
        last = record;
      }
      if (last != null) {
        append(to, last, pack);
      }
      some = reader.poll(COPIED, Duration.ZERO);
    }
    to.sync();
    to.appended();
  }

  private static void add(PackBuilder pack, QueueRecord record, long now) {
    byte[] key = record.key().orElse(null);
    Map<String, String> headers = new LinkedHashMap<>(record.headers());
    headers.putIfAbsent("died", Long.toString(record.timeMillis() * 1000));
    pack.add(
        key,
        0,
        key == null ? 0 : key.length,
        headers,
        record.value(),
        0,
        record.value().length,
        now,
        Math.max(0, now - record.takenMillis()));
  }

  private static void append(Queue to, QueueRecord last, PackBuilder pack) {
    pack.seal(to.options().codec());
    int partition = last.partition() % to.partitions();
    to.partition(partition).append(pack, to.partition(partition).end() + 1);
  }
}

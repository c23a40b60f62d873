package io.wexrun.queue.ends;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.LongVector;
import io.wexrun.core.batch.Rows;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.identity.Identity;
import io.wexrun.core.intake.Records;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.target.Flush;
import io.wexrun.core.target.Receipt;
import io.wexrun.core.target.Staged;
import io.wexrun.core.target.Target;
import io.wexrun.queue.Placement;
import io.wexrun.queue.Queue;
import io.wexrun.queue.log.PackBuilder;
import io.wexrun.queue.log.PackHead;
import java.util.ArrayDeque;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Deque;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalInt;
import java.util.Set;
import java.util.concurrent.ConcurrentHashMap;

/**
 * A queue as the target of a pipeline: appends the raw records, with the header of their source,
 * when they were first taken, and the key and headers with which they came. A column named {@code
 * key} is their key instead; every other column is a header.
 *
 * <p><b>Once.</b> Each source partition is a producer of its own, whose sequence is the position
 * after the block that a pack's records come from. So each partition of the queue knows how far it
 * has got with each source partition, whatever part of a flush was written before a crash.
 *
 * <p>Staged packs wait in memory, since what is appended can be read at once; those of a large
 * flush are not all made before it is committed.
 */
final class QueueTarget implements Target {
  private static final String KEY = "key";

  /** About so many bytes of packs are made before a flush is committed. */
  private static final int STAGED = 16 << 20;

  private final Queue queue;
  private final String prefix;
  private final List<String> common;
  private final String renamed;
  private final Map<SourcePartition, long[]> done = new ConcurrentHashMap<>();
  private final Map<SourcePartition, long[]> expected = new HashMap<>();

  /** A pack that is ready to be appended to a partition. */
  private record Ready(Flush.Part part, int partition, PackBuilder pack) {}

  private QueueTarget(Queue queue, String writer, List<String> common, String renamed) {
    this.queue = queue;
    this.prefix = writer + "|";
    this.common = common;
    this.renamed = renamed;
    for (int partition = 0; partition < queue.partitions(); partition++) {
      int number = partition;
      queue
          .partition(partition)
          .sequences(prefix)
          .forEach(
              (producer, end) -> {
                String source = producer.substring(prefix.length());
                of(done, new SourcePartition(source))[number] = end;
                of(expected, new SourcePartition(source))[number] = end;
              });
    }
  }

  /** A target for raw records. The queue stays open when the target is closed. */
  static QueueTarget ofRecords(Queue queue, String writer) {
    return new QueueTarget(queue, writer, List.of(), "");
  }

  /**
   * A target for dead letters: their columns are headers, and the headers with which the records
   * came have names that begin with {@link DeadLetters#ORIGINAL}.
   */
  static QueueTarget ofDeadLetters(Queue queue, String writer) {
    return new QueueTarget(
        queue, writer, List.of("source", "version", "member", "host"), DeadLetters.ORIGINAL);
  }

  /** Whether a producer is a source partition of one of some pipelines. */
  static boolean isOf(String producer, Set<String> pipelines) {
    int end = producer.indexOf('|');
    return end > 0 && pipelines.contains(producer.substring(0, end));
  }

  /** By partition of the queue, how far it has got with a source partition. */
  private long[] of(Map<SourcePartition, long[]> ends, SourcePartition source) {
    return ends.computeIfAbsent(
        source,
        s -> {
          long[] nothing = new long[queue.partitions()];
          Arrays.fill(nothing, Long.MIN_VALUE);
          return nothing;
        });
  }

  @Override
  public Map<SourcePartition, Long> progress() {
    Map<SourcePartition, Long> progress = new HashMap<>();
    done.forEach((source, ends) -> progress.put(source, Arrays.stream(ends).max().orElseThrow()));
    progress.values().removeIf(end -> end == Long.MIN_VALUE);
    return progress;
  }

  @Override
  public Optional<Identity> identity() {
    return Optional.of(queue.identity());
  }

  @Override
  public Staged stage(Flush flush) {
    Deque<Ready> ready = new ArrayDeque<>();
    Deque<Flush.Part> later = new ArrayDeque<>(flush.parts());
    for (long bytes = 0; bytes < STAGED && !later.isEmpty(); ) {
      for (Ready each : packs(later.remove())) {
        bytes += each.pack().data().length;
        ready.add(each);
      }
    }
    return () -> {
      long written = 0;
      while (!ready.isEmpty() || !later.isEmpty()) {
        if (ready.isEmpty()) {
          ready.addAll(packs(later.remove()));
        } else {
          written += append(ready.remove());
        }
      }
      queue.sync();
      queue.appended();
      return new Receipt(written, flush.rows() - written);
    };
  }

  private int append(Ready ready) {
    long[] ends = of(expected, ready.part().source());
    long end = ready.part().end();
    queue.partition(ready.partition()).appendAfter(ends[ready.partition()], ready.pack(), end);
    ends[ready.partition()] = end;
    return ready.pack().count();
  }

  /** The rows of a block as at most one pack for each partition. */
  private List<Ready> packs(Flush.Part part) {
    int partitions = queue.partitions();
    PackBuilder[] builders = new PackBuilder[partitions];
    long[] before = of(done, part.source());
    Rows rows = part.rows();
    Batch batch = rows.batch();
    Records records = batch.records();
    PackHead head = head(part);
    OptionalInt keyPlace = batch.schema().find(KEY);
    TextVector keys = keyPlace.isPresent() ? (TextVector) batch.column(keyPlace.getAsInt()) : null;
    boolean headed = batch.schema().size() > (keys == null ? 0 : 1) || records.enveloped();
    long now = queue.options().clock().millis();
    int salt = part.source().name().hashCode();
    for (int i = 0; i < rows.count(); i++) {
      int row = rows.row(i);
      int record = batch.record(row);
      long position = records.position(record);
      boolean routed = keys != null && !keys.absent(row);
      byte[] key = routed ? keys.data() : records.key(record).orElse(null);
      int from = routed ? keys.start(row) : 0;
      int to = routed ? keys.end(row) : key == null ? 0 : key.length;
      int place =
          key == null
              ? Placement.byNumber(position + salt, partitions)
              : Placement.byKey(key, from, to, partitions);
      if (position < before[place]) {
        continue;
      }
      if (builders[place] == null) {
        builders[place] = new PackBuilder(head, 64 << 10);
      }
      builders[place].add(
          key,
          from,
          to,
          headed ? headers(batch, row, records, record) : Map.of(),
          records.data(),
          records.start(record),
          records.end(record),
          now,
          age(records.taken(record), now));
    }
    List<Ready> ready = new ArrayList<>();
    for (int i = 0; i < builders.length; i++) {
      if (builders[i] != null) {
        builders[i].seal(queue.options().codec());
        builders[i].trim();
        ready.add(new Ready(part, i, builders[i]));
      }
    }
    return ready;
  }

  /** What the rows of a block have in common. */
  private PackHead head(Flush.Part part) {
    Batch batch = part.rows().batch();
    Map<String, String> headers = new LinkedHashMap<>();
    int row = part.rows().row(0);
    for (String name : common) {
      Vector column = batch.column(batch.schema().find(name).orElseThrow());
      if (!column.absent(row)) {
        headers.put(name, text(column, row));
      }
    }
    return new PackHead(prefix + part.source().name(), batch.records().header(), headers);
  }

  private static long age(long takenMicros, long nowMillis) {
    return takenMicros <= 0 ? 0 : Math.max(0, nowMillis - takenMicros / 1000);
  }

  private Map<String, String> headers(Batch batch, int row, Records records, int record) {
    Map<String, String> headers = new LinkedHashMap<>();
    for (int i = 0; i < batch.schema().size(); i++) {
      String name = batch.schema().column(i).name();
      Vector column = batch.column(i);
      if (!name.equals(KEY) && !common.contains(name) && !column.absent(row)) {
        headers.put(name, text(column, row));
      }
    }
    records.headers(record).forEach((name, value) -> headers.put(renamed + name, value));
    return headers;
  }

  private static String text(Vector column, int row) {
    return column instanceof TextVector text
        ? text.text(row)
        : Long.toString(((LongVector) column).get(row));
  }

  @Override
  public void close() {
    // The queue stays open; what is staged is only in memory.
  }
}

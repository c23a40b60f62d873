package io.wexrun.queue;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.LongVector;
import io.wexrun.core.batch.Rows;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.intake.Records;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.target.Flush;
import io.wexrun.core.target.Receipt;
import io.wexrun.core.target.Staged;
import io.wexrun.core.target.Target;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.OptionalInt;

/**
 * A queue as the target of a pipeline: appends the raw records. A column named {@code key} is their
 * key, every other column a header.
 *
 * <p><b>Once.</b> Each source partition is a producer of its own, whose sequence is the position
 * after the block that a pack's records come from. So each partition of the queue knows how far it
 * has got with each source partition, whatever part of a flush was written before a crash.
 */
public final class QueueTarget implements Target {
  private final Queue queue;
  private final String prefix;

  /** A target for one pipeline's records. The queue stays open when the target is closed. */
  public QueueTarget(Queue queue, String pipeline) {
    this.queue = queue;
    this.prefix = pipeline + "|";
  }

  @Override
  public Map<SourcePartition, Long> progress() {
    Map<SourcePartition, Long> progress = new HashMap<>();
    for (int partition = 0; partition < queue.partitions(); partition++) {
      queue
          .partition(partition)
          .sequences(prefix)
          .forEach(
              (producer, end) ->
                  progress.merge(
                      new SourcePartition(producer.substring(prefix.length())), end, Math::max));
    }
    return progress;
  }

  @Override
  public Staged stage(Flush flush) {
    long written = 0;
    for (Flush.Part part : flush.parts()) {
      written += append(part);
    }
    Receipt receipt = new Receipt(written, flush.rows() - written);
    return () -> {
      queue.sync();
      queue.appended();
      return receipt;
    };
  }

  /** Appends the rows of a block as at most one pack for each partition. */
  private long append(Flush.Part part) {
    String producer = prefix + part.source().name();
    int partitions = queue.partitions();
    PackBuilder[] builders = new PackBuilder[partitions];
    long[] done = new long[partitions];
    for (int i = 0; i < partitions; i++) {
      done[i] = queue.partition(i).sequence(producer);
    }
    Rows rows = part.rows();
    Batch batch = rows.batch();
    Records records = batch.records();
    OptionalInt keyPlace = batch.schema().find("key");
    TextVector keys = keyPlace.isPresent() ? (TextVector) batch.column(keyPlace.getAsInt()) : null;
    boolean headed = batch.schema().size() > (keys == null ? 0 : 1);
    long now = queue.options().clock().millis();
    int salt = part.source().name().hashCode();
    for (int i = 0; i < rows.count(); i++) {
      int row = rows.row(i);
      int record = batch.record(row);
      long position = records.position(record);
      boolean keyed = keys != null && !keys.absent(row);
      int to =
          keyed
              ? Placement.byKey(keys.data(), keys.start(row), keys.end(row), partitions)
              : Placement.byNumber(position + salt, partitions);
      if (position < done[to]) {
        continue;
      }
      if (builders[to] == null) {
        builders[to] = new PackBuilder(producer, 64 << 10);
      }
      builders[to].add(
          keyed ? keys.data() : null,
          keyed ? keys.start(row) : 0,
          keyed ? keys.end(row) : 0,
          headed ? headers(batch, row) : Map.of(),
          records.data(),
          records.start(record),
          records.end(record),
          now);
    }
    long written = 0;
    for (int i = 0; i < partitions; i++) {
      if (builders[i] == null) {
        continue;
      }
      builders[i].seal(queue.options().codec());
      if (!queue.partition(i).append(builders[i], part.end()).repeated()) {
        written += builders[i].count();
      }
    }
    return written;
  }

  private static Map<String, String> headers(Batch batch, int row) {
    Map<String, String> headers = new LinkedHashMap<>();
    for (int i = 0; i < batch.schema().size(); i++) {
      String name = batch.schema().column(i).name();
      Vector column = batch.column(i);
      if (!name.equals("key") && !column.absent(row)) {
        headers.put(
            name,
            column instanceof TextVector text
                ? text.text(row)
                : Long.toString(((LongVector) column).get(row)));
      }
    }
    return headers;
  }

  @Override
  public void close() {
    // What was appended and not synced is found, whole or not, when the queue is opened again.
  }
}

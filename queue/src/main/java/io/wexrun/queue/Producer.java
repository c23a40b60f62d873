package io.wexrun.queue;

import java.util.Map;
import java.util.concurrent.Executors;
import java.util.concurrent.ScheduledExecutorService;
import java.util.concurrent.TimeUnit;

/**
 * Appends records to a queue, many at a time: a pack is written when it is full or when its first
 * record has waited for the linger time. For several threads; records of one thread with one key
 * keep their order.
 *
 * <p>A record is acknowledged, and readable, when a {@link #flush()} called after its {@code
 * append} returns. A background write that fails throws at the next call.
 */
public final class Producer implements AutoCloseable {
  private final Queue queue;
  private final PackBuilder[] builders;
  private final ScheduledExecutorService linger;
  private int nextPartition;
  private boolean scheduled;
  private RuntimeException failure;

  Producer(Queue queue) {
    this.queue = queue;
    this.builders = new PackBuilder[queue.partitions()];
    for (int i = 0; i < builders.length; i++) {
      builders[i] = new PackBuilder("", 4096);
    }
    this.linger =
        Executors.newSingleThreadScheduledExecutor(
            work -> {
              Thread thread = new Thread(work, "wexrun-linger-" + queue.name());
              thread.setDaemon(true);
              return thread;
            });
  }

  /** Appends a record without a key; the partitions take turns. */
  public void append(byte[] value) {
    append(null, Map.of(), value);
  }

  /** Appends a record; those with equal keys go to one partition, in order. */
  public void append(byte[] key, byte[] value) {
    append(key, Map.of(), value);
  }

  /**
   * Appends a record.
   *
   * @param key null for none
   * @param headers names to values
   * @throws io.wexrun.core.diagnose.OutsideException if the disk fails
   */
  public synchronized void append(byte[] key, Map<String, String> headers, byte[] value) {
    throwFailure();
    int partition = nextPartition;
    if (key == null) {
      nextPartition = (nextPartition + 1) % builders.length;
    } else {
      partition = Placement.byKey(key, 0, key.length, builders.length);
    }
    PackBuilder builder = builders[partition];
    long now = queue.options().clock().millis();
    int keyEnd = key == null ? 0 : key.length;
    builder.add(key, 0, keyEnd, headers, value, 0, value.length, now);
    if (builder.bytes() >= queue.options().packBytes()) {
      write(partition);
    } else if (!scheduled) {
      scheduled = true;
      linger.schedule(this::lingered, queue.options().linger().toMillis(), TimeUnit.MILLISECONDS);
    }
  }

  private synchronized void lingered() {
    scheduled = false;
    try {
      flush();
    } catch (RuntimeException e) {
      failure = e;
    }
  }

  private void throwFailure() {
    if (failure != null) {
      RuntimeException thrown = failure;
      failure = null;
      throw thrown;
    }
  }

  private void write(int partition) {
    PackBuilder builder = builders[partition];
    if (builder.count() > 0) {
      queue.partition(partition).append(builder, 0);
      builder.clear();
    }
  }

  /** Writes what waits; when it returns, everything appended survives the loss of power. */
  public synchronized void flush() {
    throwFailure();
    for (int partition = 0; partition < builders.length; partition++) {
      write(partition);
    }
    queue.sync();
  }

  /** Flushes and ends. */
  @Override
  public void close() {
    linger.shutdownNow();
    flush();
  }
}

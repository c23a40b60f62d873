package io.wexrun.queue;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.intake.Records;
import io.wexrun.queue.log.PackBuilder;
import io.wexrun.queue.log.PackHead;
import java.time.Duration;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.UUID;
import java.util.concurrent.CompletableFuture;

/**
 * Appends records to a queue, many at a time: a pack is written when it is full or when its first
 * record has waited for the linger time, by a thread of the producer's own. For several threads;
 * records of one thread that go to one partition keep their order, and so do those with one key.
 *
 * <p>The future of an append completes with the record's place once it is stored as the queue's
 * {@link SyncPolicy} asks; and with the failure if it could not be stored, though it was tried
 * again with growing delays. A pack that is tried again is stored once. If one with numbered
 * records cannot be stored, the appends behind it to its partition fail too, so that no gap is left
 * behind larger numbers; a producer opened anew goes on there. A producer holds a bounded number of
 * bytes: an append waits for room, and then throws {@link QueueFullException}.
 */
public final class Producer implements AutoCloseable {
  private static final int SMALL = 4096;

  private final Queue queue;
  private final QueueOptions options;
  private final Duration linger;
  private final String name;
  private final PackBuilder[] builders;
  private final List<List<CompletableFuture<Appended>>> waiting = new ArrayList<>();

  /** By partition, what was appended last by this producer; done for one that appended nothing. */
  private final List<CompletableFuture<Appended>> latest = new ArrayList<>();

  private final long[] sequences;
  private final long[] firstWaits;
  private final PackWriter writer;
  private int nextPartition;
  private int lastBytes;
  private long held;
  private long appended;
  private Boolean numbered;
  private boolean closed;

  Producer(Queue queue, String named, Duration linger) {
    this.queue = queue;
    this.linger = linger;
    this.options = queue.options();
    this.name = named.isEmpty() ? PackHead.PASSING + UUID.randomUUID() : named;
    this.builders = new PackBuilder[queue.partitions()];
    this.sequences = new long[builders.length];
    this.firstWaits = new long[builders.length];
    for (int i = 0; i < builders.length; i++) {
      waiting.add(new ArrayList<>());
      latest.add(CompletableFuture.completedFuture(new Appended(i, -1, true)));
      sequences[i] = Math.max(-1, queue.partition(i).sequence(name));
    }
    this.writer = new PackWriter(queue, this);
  }

  /** Appends a record without a key; the partitions take turns. */
  public CompletableFuture<Appended> append(byte[] value) {
    return append(QueueMessage.of(value));
  }

  /** Appends a record; those with equal keys go to one partition, in order. */
  public CompletableFuture<Appended> append(byte[] key, byte[] value) {
    return append(QueueMessage.of(value).key(key));
  }

  /**
   * Appends a record.
   *
   * @param key null for none
   * @param headers names to values
   */
  public CompletableFuture<Appended> append(byte[] key, Map<String, String> headers, byte[] value) {
    QueueMessage message = QueueMessage.of(value);
    for (Map.Entry<String, String> header : headers.entrySet()) {
      message = message.header(header.getKey(), header.getValue());
    }
    return append(key == null ? message : message.key(key));
  }

  /**
   * Appends a record.
   *
   * @throws IllegalArgumentException if the record is longer than the queue takes, or its partition
   *     is none; nothing was taken then
   * @throws QueueFullException if there was no room within the producer's patience
   */
  public CompletableFuture<Appended> append(QueueMessage message) {
    byte[] key = message.key().orElse(null);
    int size = message.value().length + (key == null ? 0 : key.length) + 16;
    for (Map.Entry<String, String> header : message.headers().entrySet()) {
      size += header.getKey().length() * 3 + header.getValue().length() * 3;
    }
    requireShort(size);
    CompletableFuture<Appended> future = new CompletableFuture<>();
    synchronized (this) {
      awaitRoom(size);
      int partition = place(message, key);
      if (writer.gap(partition) != null) {
        future.completeExceptionally(writer.gap(partition));
        return future;
      }
      if (repeated(message, partition)) {
        appended++;
        writer.countRepeated();
        // It counts as there only when it is: the first one of its number may not be written yet.
        latest
            .get(partition)
            .whenComplete(
                (stored, failure) -> {
                  if (failure == null) {
                    future.complete(new Appended(partition, -1, true));
                  } else {
                    future.completeExceptionally(failure);
                  }
                });
        return future;
      }
      PackBuilder builder = builder(partition);
      builder.add(
          key,
          0,
          key == null ? 0 : key.length,
          message.headers(),
          message.value(),
          0,
          message.value().length,
          options.clock().millis(),
          0);
      waiting.get(partition).add(future);
      latest.set(partition, future);
      appended++;
      held += size;
      if (builder.count() == 1) {
        firstWaits[partition] = System.nanoTime();
        if (linger.toNanos() < PackWriter.FAR) {
          writer.wake();
        }
      }
      builder.weigh(size);
      if (builder.bytes() >= options.packBytes()) {
        hand(partition);
      }
    }
    return future;
  }

  /**
   * Appends records that came together to one partition. Those of a parcel with a mark, or with
   * columns, are stored all or not at all.
   *
   * @return completes when all are stored
   * @throws IllegalArgumentException if a record is longer than the queue takes; nothing was taken
   *     then
   * @throws QueueFullException if there was no room within the producer's patience
   */
  public CompletableFuture<Void> append(Parcel parcel) {
    Records records = parcel.records();
    int headers = parcel.headerBytes();
    for (int i = 0; i < records.count(); i++) {
      requireShort(records.end(i) - records.start(i) + headers);
    }
    List<CompletableFuture<Appended>> stored = new ArrayList<>();
    synchronized (this) {
      if (Boolean.TRUE.equals(numbered)) {
        throw new IllegalStateException("a producer of numbered records takes no parcels");
      }
      numbered = false;
      int partition = parcel.sender() < 0 ? nextPartition : parcel.sender() % builders.length;
      awaitRoom((int) Math.min(Integer.MAX_VALUE, parcel.weight()));
      nextPartition = parcel.sender() < 0 ? (nextPartition + 1) % builders.length : nextPartition;
      if (parcel.whole()) {
        hand(partition);
        Map<String, String> common =
            parcel.mark().isEmpty() ? Map.of() : Map.of(Parcel.MARK, parcel.mark());
        int room = (int) Math.min(1 << 28, parcel.weight() + 512);
        builders[partition] = new PackBuilder(new PackHead(name, parcel.columns(), common), room);
      }
      long now = options.clock().millis();
      for (int i = 0; i < records.count(); i++) {
        PackBuilder builder = builder(partition);
        int length = records.end(i) - records.start(i);
        builder.add(
            null, 0, 0, parcel.headers(), records.data(), records.start(i), records.end(i), now, 0);
        builder.weigh(length + headers);
        held += length + headers;
        appended++;
        boolean ends = i + 1 == records.count();
        boolean full = !parcel.whole() && builder.bytes() >= options.packBytes();
        CompletableFuture<Appended> future = null;
        if (ends || full) {
          future = new CompletableFuture<>();
          stored.add(future);
          latest.set(partition, future);
        }
        waiting.get(partition).add(future);
        if (builder.count() == 1) {
          firstWaits[partition] = System.nanoTime();
        }
        if (full || ends && parcel.whole()) {
          hand(partition);
        }
      }
      if (builders[partition] != null) {
        writer.wake();
      }
    }
    return CompletableFuture.allOf(stored.toArray(CompletableFuture[]::new));
  }

  private void requireShort(int size) {
    if (size > options.bounds().longestRecord()) {
      throw new IllegalArgumentException(
          "queue "
              + queue.name()
              + ": a record of about "
              + size
              + " bytes is longer than the "
              + options.bounds().longestRecord()
              + " that it takes");
    }
  }

  private PackBuilder builder(int partition) {
    if (builders[partition] == null) {
      // Room for a whole pack saves copying; with many partitions it would take too much memory.
      int whole = Math.min(options.packBytes() + 512, 1 << 20);
      // Where nothing lingers packs are as large as there is much to do: mostly like the last one.
      int likely = linger.isZero() ? lastBytes + lastBytes / 4 + SMALL : whole;
      int room = builders.length <= 16 ? Math.min(whole, likely) : SMALL;
      builders[partition] = new PackBuilder(PackHead.of(name), room);
    }
    return builders[partition];
  }

  private void awaitRoom(int size) {
    long until = System.nanoTime() + options.bounds().patience().toNanos();
    while (held > 0 && held + size > options.bounds().heldBytes()) {
      writer.requireAlive();
      if (writer.idle()) {
        handAll(); // Only then: a full producer would otherwise hand over packs of one record.
      }
      long left = (until - System.nanoTime()) / 1_000_000;
      if (left <= 0) {
        throw new QueueFullException(queue.name(), held, options.bounds().patience());
      }
      try {
        wait(left);
      } catch (InterruptedException e) {
        Thread.currentThread().interrupt();
        throw new QueueFullException(queue.name(), held);
      }
    }
    if (closed) {
      throw new IllegalStateException("the producer is closed");
    }
  }

  private int place(QueueMessage message, byte[] key) {
    if (message.partition().isPresent()) {
      int chosen = message.partition().getAsInt();
      if (chosen < 0 || chosen >= builders.length) {
        throw new IllegalArgumentException(
            "queue " + queue.name() + " has partitions 0 to " + (builders.length - 1));
      }
      return chosen;
    }
    if (key != null) {
      return Placement.byKey(key, 0, key.length, builders.length);
    }
    if (message.number().isPresent()) {
      // The same record must find the same partition, whatever came before it.
      return Placement.byNumber(message.number().getAsLong(), builders.length);
    }
    int turn = nextPartition;
    nextPartition = (nextPartition + 1) % builders.length;
    return turn;
  }

  /** Whether the queue has a numbered record; notes its number if not. */
  private boolean repeated(QueueMessage message, int partition) {
    boolean has = message.number().isPresent();
    if (numbered == null) {
      numbered = has;
    } else if (numbered != has) {
      throw new IllegalStateException("either all records of a producer have a number, or none");
    }
    if (!has) {
      return false;
    }
    if (name.startsWith(PackHead.PASSING)) {
      throw new IllegalStateException("only a named producer's records have numbers");
    }
    if (message.number().getAsLong() <= sequences[partition]) {
      return true;
    }
    sequences[partition] = message.number().getAsLong();
    return false;
  }

  /** Hands a partition's builder to the writer. */
  private void hand(int partition) {
    PackBuilder builder = builders[partition];
    if (builder == null || builder.count() == 0) {
      return;
    }
    lastBytes = builder.bytes();
    boolean byNumber = Boolean.TRUE.equals(numbered);
    long sequence = byNumber ? sequences[partition] : ++sequences[partition];
    List<CompletableFuture<Appended>> futures = waiting.get(partition);
    waiting.set(partition, new ArrayList<>(futures.size() + 16));
    builders[partition] = null;
    writer.write(new PackWriter.Filled(partition, builder, sequence, byNumber, futures));
  }

  private void handAll() {
    for (int partition = 0; partition < builders.length; partition++) {
      hand(partition);
    }
  }

  /**
   * Hands over what has lingered long enough.
   *
   * @return when the next one will have, in nanoseconds from now; {@link PackWriter#FAR} for never
   */
  synchronized long handLingering() {
    long now = System.nanoTime();
    long most = Math.min(linger.toNanos(), PackWriter.FAR);
    long next = PackWriter.FAR;
    for (int partition = 0; partition < builders.length; partition++) {
      if (builders[partition] != null && builders[partition].count() > 0) {
        long left = firstWaits[partition] + most - now;
        if (left <= 0) {
          hand(partition);
        } else {
          next = Math.min(next, left);
        }
      }
    }
    return next;
  }

  /** Room is there again. */
  synchronized void written(long weight) {
    held -= weight;
    notifyAll();
  }

  /**
   * Writes what waits; when it returns, everything appended before survives the loss of power,
   * whatever the sync policy.
   *
   * @throws OutsideException if a record could not be stored since the last flush
   */
  public void flush() {
    synchronized (this) {
      handAll();
    }
    writer.awaitAll();
    queue.sync();
  }

  /** What the producer has done so far. */
  public ProducerFigures figures() {
    synchronized (this) {
      long records = 0;
      for (PackBuilder builder : builders) {
        records += builder == null ? 0 : builder.count();
      }
      return writer.figures(appended, records, held);
    }
  }

  /** Flushes and ends. */
  @Override
  public void close() {
    synchronized (this) {
      if (closed) {
        return;
      }
      closed = true;
      handAll();
    }
    try {
      writer.awaitAll();
      queue.sync();
    } finally {
      writer.end();
      if (name.startsWith(PackHead.PASSING)) {
        Arrays.stream(queue.allPartitions()).forEach(partition -> partition.forget(name));
      }
    }
  }
}

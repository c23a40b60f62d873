package io.wexrun.bench;

import io.wexrun.queue.Producer;
import io.wexrun.queue.Queue;
import io.wexrun.queue.QueueMessage;
import io.wexrun.queue.QueueOptions;
import io.wexrun.queue.Reader;
import io.wexrun.queue.SyncPolicy;
import io.wexrun.queue.log.Codec;
import io.wexrun.queue.log.QueueRecord;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.channels.FileChannel;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.time.Duration;
import java.util.Arrays;
import java.util.Comparator;
import java.util.List;
import java.util.Locale;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.function.Consumer;
import java.util.stream.Stream;

/**
 * The queue alone: appends a second with each sync policy, reading back, opening, and how long an
 * acknowledgement takes; beside what the disk and the memory give without a queue.
 */
final class QueueSpeed {
  private static final int RECORD = 130;
  private static final int RECORDS = 6_000_000;

  private final Path folder;
  private final Consumer<String> say;

  QueueSpeed(Path folder, Consumer<String> say) {
    this.folder = folder;
    this.say = say;
  }

  /**
   * How long it takes to open a queue of a hundred full files, to write and only to read, after it
   * was closed. Long records fill it: how long an index is depends on the packs alone.
   */
  void opening() throws IOException {
    Files.createDirectories(folder);
    Path queue = folder.resolve("queue");
    clear(queue);
    QueueOptions options = QueueOptions.partitions(1).sync(SyncPolicy.system());
    byte[] value = new byte[64 << 10];
    try (Queue open = Queue.open(queue, "q", options);
        Producer producer = open.producer()) {
      for (int i = 0; i < 100 * 2048; i++) {
        producer.append(value);
      }
    }
    for (int round = 1; round <= 5; round++) {
      long start = System.nanoTime();
      Queue.open(queue, "q", options).close();
      tell("opened and closed to write, ms", (System.nanoTime() - start) / 1e6);
      start = System.nanoTime();
      try (Queue open = Queue.openToRead(queue, "q").orElseThrow()) {
        tell("opened to read, ms", (System.nanoTime() - start) / 1e6);
        tell("  files", open.describe().get(0).segments());
        tell("  packs", open.describe().get(0).packs());
      }
    }
    clear(queue);
  }

  /** Measures everything, each row in turn. */
  void measure() throws Exception {
    Files.createDirectories(folder);
    byte[] value = value();
    tell("memory copied, MB/s", memcpy() / 1e6);
    for (int round = 1; round <= 3; round++) {
      say.accept("round " + round);
      tell("plain file, left to the system, records/s", plain(null));
      tell("queue, left to the system, records/s", append(SyncPolicy.system(), Codec.NONE, value));
      Duration often = Duration.ofMillis(50);
      tell("plain file, synced every 50 ms, records/s", plain(often));
      tell(
          "queue, synced every 50 ms, records/s",
          append(SyncPolicy.every(often), Codec.NONE, value));
      tell("queue, synced each pack, records/s", append(SyncPolicy.eachPack(), Codec.NONE, value));
      tell("queue, read back, records/s", read());
      tell("queue, lz4, every 50 ms, records/s", append(SyncPolicy.every(often), Codec.LZ4, value));
      tell(
          "queue, zstd, every 50 ms, records/s",
          append(SyncPolicy.every(often), Codec.ZSTD, value));
      tell("queue, zstd, read back, records/s", read());
      latency(SyncPolicy.every(often), value);
      latency(SyncPolicy.eachPack(), value);
    }
  }

  private void tell(String what, double figure) {
    say.accept(String.format(Locale.ROOT, "%-45s %,15.0f", what, figure));
  }

  /** Bytes of a log line, which a codec can compress as it would one. */
  private static byte[] value() {
    String line =
        "2026-05-03T05:00:00.092+02:00 gate-24/University INFO scan card=B798754A result=ok ms=56"
            + " \"staff\" via reader 7 of the northern entrance";
    return Arrays.copyOf(line.getBytes(java.nio.charset.StandardCharsets.UTF_8), RECORD);
  }

  private static double memcpy() {
    byte[] from = new byte[64 << 20];
    byte[] to = new byte[from.length];
    long best = Long.MAX_VALUE;
    for (int i = 0; i < 20; i++) {
      long start = System.nanoTime();
      System.arraycopy(from, 0, to, 0, from.length);
      best = Math.min(best, System.nanoTime() - start);
    }
    return from.length * 1e9 / best;
  }

  /** The same bytes in writes of a pack's size to one file. */
  private double plain(Duration sync) throws IOException {
    Path file = folder.resolve("plain.bin");
    ByteBuffer pack = ByteBuffer.allocateDirect(256 << 10);
    long bytes = (long) RECORDS * RECORD;
    long start = System.nanoTime();
    long synced = start;
    try (FileChannel out =
        FileChannel.open(file, StandardOpenOption.CREATE, StandardOpenOption.WRITE)) {
      for (long written = 0; written < bytes; written += pack.capacity()) {
        pack.clear();
        out.write(pack);
        if (sync != null && System.nanoTime() - synced > sync.toNanos()) {
          out.force(false);
          synced = System.nanoTime();
        }
      }
      if (sync != null) {
        out.force(false);
      }
    }
    double seconds = (System.nanoTime() - start) / 1e9;
    Files.delete(file);
    return RECORDS / seconds;
  }

  private void clear(Path queue) throws IOException {
    if (Files.exists(queue)) {
      try (Stream<Path> files = Files.walk(queue)) {
        for (Path file : files.sorted(Comparator.reverseOrder()).toList()) {
          Files.delete(file);
        }
      }
    }
  }

  private double append(SyncPolicy policy, Codec codec, byte[] value) throws IOException {
    Path queue = folder.resolve("queue");
    clear(queue);
    QueueOptions options = QueueOptions.partitions(4).sync(policy).codec(codec);
    try (Queue open = Queue.open(queue, "q", options)) {
      long start = System.nanoTime();
      CompletableFuture<?> last = null;
      try (Producer producer = open.producer()) {
        for (int i = 0; i < RECORDS; i++) {
          last = producer.append(value);
        }
        last.join();
        long nanos = System.nanoTime() - start;
        return RECORDS * 1e9 / nanos;
      }
    }
  }

  private double read() {
    long start = System.nanoTime();
    try (Queue open = Queue.openToRead(folder.resolve("queue"), "q").orElseThrow()) {
      tell("  of that, opening it, ms", (System.nanoTime() - start) / 1e6);
      start = System.nanoTime();
      Reader reader = open.readFromOldest();
      long records = 0;
      long bytes = 0;
      List<QueueRecord> next = reader.poll(10_000, Duration.ZERO);
      while (!next.isEmpty()) {
        records += next.size();
        bytes += next.get(0).value().length;
        next = reader.poll(10_000, Duration.ZERO);
      }
      if (records != RECORDS || bytes == 0) {
        throw new IllegalStateException(records + " records read");
      }
      return records * 1e9 / (System.nanoTime() - start);
    }
  }

  /** How long acknowledgements take when 100,000 records a second are appended. */
  private void latency(SyncPolicy policy, byte[] value) throws Exception {
    Path queue = folder.resolve("queue");
    clear(queue);
    int count = 500_000;
    long[] nanos = new long[count];
    AtomicInteger done = new AtomicInteger();
    QueueOptions options =
        QueueOptions.partitions(4)
            .sync(policy)
            .times(Duration.ofMillis(1), java.time.InstantSource.system());
    try (Queue open = Queue.open(queue, "q", options);
        Producer producer = open.producer()) {
      long start = System.nanoTime();
      for (int i = 0; i < count; i++) {
        long due = start + i * 10_000L;
        while (System.nanoTime() < due) {
          Thread.onSpinWait();
        }
        int number = i;
        long at = System.nanoTime();
        producer
            .append(QueueMessage.of(value))
            .thenRun(
                () -> {
                  nanos[number] = System.nanoTime() - at;
                  done.incrementAndGet();
                });
      }
      producer.flush();
    }
    Arrays.sort(nanos);
    say.accept(
        String.format(
            Locale.ROOT,
            "acknowledged at 100,000/s, %s: p50 %.1f ms, p99 %.1f ms, p99.9 %.1f ms (%d)",
            policy,
            nanos[count / 2] / 1e6,
            nanos[count * 99 / 100] / 1e6,
            nanos[(int) (count * 0.999)] / 1e6,
            done.get()));
  }
}

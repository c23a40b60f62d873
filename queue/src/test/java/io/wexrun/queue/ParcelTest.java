package io.wexrun.queue;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Intake;
import io.wexrun.core.intake.Records;
import io.wexrun.core.intake.Source;
import io.wexrun.queue.ends.QueueIntake;
import io.wexrun.queue.log.Keep;
import java.io.RandomAccessFile;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.util.ArrayList;
import java.util.BitSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.stream.Stream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/** Records that are appended together. */
class ParcelTest {
  private static final byte[] NOTHING = {};

  @TempDir private Path folder;

  private static Records records(String... texts) {
    StringBuilder all = new StringBuilder();
    int[] starts = new int[texts.length];
    int[] ends = new int[texts.length];
    for (int i = 0; i < texts.length; i++) {
      starts[i] = all.length();
      all.append(texts[i]);
      ends[i] = all.length();
    }
    byte[] data = all.toString().getBytes(StandardCharsets.US_ASCII);
    return Records.numbered(data, starts, ends, texts.length, 0, new BitSet());
  }

  private static List<String> read(Queue queue) {
    List<String> read = new ArrayList<>();
    try (Intake intake = new QueueIntake(queue, false, () -> true, () -> {})) {
      for (Source source : intake.look()) {
        intake.assign(source.partition(), source.start());
      }
      for (Optional<Block> block = intake.poll(Duration.ZERO);
          block.isPresent();
          block = intake.poll(Duration.ZERO)) {
        Records records = block.get().records();
        String partition = block.get().source().name().replaceFirst(".*/", "");
        for (int i = 0; i < records.count(); i++) {
          read.add(
              partition
                  + " "
                  + new String(block.get().header(), StandardCharsets.US_ASCII)
                  + " "
                  + new String(records.bytes(i), StandardCharsets.US_ASCII)
                  + " "
                  + records.headers(i));
        }
      }
    }
    return read;
  }

  @Test
  void parcelsGoToOnePartitionWithWhatTheirRecordsHaveInCommon() {
    try (Queue queue = Queue.open(folder, "q", QueueOptions.partitions(2));
        Producer producer = queue.receiver()) {
      producer.append(new Parcel(-1, records("a", "b"), NOTHING, Map.of("h", "1"), "")).join();
      producer.append(new Parcel(-1, records("c"), NOTHING, Map.of(), "")).join();
      producer.append(new Parcel(3, records("d"), "x,y".getBytes(), Map.of(), "")).join();
      producer.append(new Parcel(3, records("e"), NOTHING, Map.of(), "m 1")).join();
      assertThat(read(queue))
          .containsExactlyInAnyOrder(
              "0  a {h=1}", "0  b {h=1}", "1  c {}", "1 x,y d {}", "1  e {mark=m 1}");
    }
  }

  @Test
  void manyParcelsAtOnceAllCome() {
    QueueOptions options = QueueOptions.partitions(3).sizes(1 << 20, 500);
    try (Queue queue = Queue.open(folder, "q", options);
        Producer producer = queue.receiver()) {
      List<java.util.concurrent.CompletableFuture<Void>> all = new ArrayList<>();
      for (int i = 0; i < 2000; i++) {
        String mark = i % 10 == 0 ? "m" + i : "";
        all.add(
            producer.append(
                new Parcel(-1, records("r" + i, "s" + i, "t" + i), NOTHING, Map.of(), mark)));
      }
      all.forEach(java.util.concurrent.CompletableFuture::join);
      assertThat(read(queue)).hasSize(6000).doesNotHaveDuplicates();
      assertThat(queue.marks(0)).hasSize(200).containsKeys("m0", "m1990");
      assertThat(queue.marks(Long.MAX_VALUE)).isEmpty();
    }
    try (Queue queue = Queue.open(folder, "q", options)) {
      assertThat(queue.marks(0)).hasSize(200);
    }
  }

  @Test
  void aParcelWithAMarkIsThereWholeOrNotAtAll() throws Exception {
    String[] many = new String[5000];
    java.util.Arrays.setAll(many, i -> "record " + i);
    QueueOptions options = QueueOptions.partitions(1).sizes(1 << 20, 500);
    try (Queue queue = Queue.open(folder, "q", options);
        Producer producer = queue.receiver()) {
      producer.append(new Parcel(-1, records("before"), NOTHING, Map.of(), "first")).join();
      producer.append(new Parcel(-1, records(many), NOTHING, Map.of(), "second")).join();
    }
    // As the loss of power leaves it: the pack's last bytes have not reached the disk.
    try (Stream<Path> files = Files.list(folder)) {
      for (Path file : files.filter(f -> f.getFileName().toString().contains("synced")).toList()) {
        Files.delete(file);
      }
    }
    try (Stream<Path> files = Files.list(folder.resolve("p0"))) {
      Path segment = files.filter(f -> f.toString().endsWith(".packs")).findFirst().orElseThrow();
      try (RandomAccessFile file = new RandomAccessFile(segment.toFile(), "rw")) {
        file.setLength(file.length() - 1);
      }
    }
    try (Queue queue = Queue.open(folder, "q", options)) {
      assertThat(read(queue)).containsExactly("0  before {mark=first}");
      assertThat(queue.marks(0)).containsOnlyKeys("first");
    }
  }

  @Test
  void marksStayKnownThoughTheirRecordsWereRead() {
    long[] now = {1_777_777_200_000L};
    QueueOptions options =
        QueueOptions.partitions(1)
            .sizes(4096, 500)
            .times(Duration.ZERO, () -> java.time.Instant.ofEpochMilli(now[0]))
            .keep(new Keep(Optional.empty(), Optional.empty(), true));
    try (Queue queue = Queue.open(folder, "q", options);
        Producer producer = queue.receiver()) {
      queue.alsoReadBy(() -> List.of(new long[] {queue.partition(0).end()}));
      queue.remember(Duration.ofMinutes(10));
      for (int i = 0; i < 200; i++) {
        producer
            .append(new Parcel(-1, records("r".repeat(100)), NOTHING, Map.of(), "m" + i))
            .join();
      }
      queue.trim();
      assertThat(queue.marks(0)).hasSize(200);
      now[0] += Duration.ofMinutes(11).toMillis();
      assertThat(queue.trim()).isPositive();
      assertThat(queue.marks(0)).containsKey("m199").doesNotContainKey("m0");
    }
  }

  @Test
  void aRecordThatIsTooLongIsTakenByNobody() {
    QueueOptions options = QueueOptions.partitions(1).longestRecord(100);
    try (Queue queue = Queue.open(folder, "q", options);
        Producer producer = queue.receiver()) {
      Parcel parcel = new Parcel(-1, records("a", "x".repeat(101)), NOTHING, Map.of(), "");
      assertThatThrownBy(() -> producer.append(parcel))
          .isInstanceOf(IllegalArgumentException.class)
          .hasMessageContaining("is longer than the 100 that it takes");
      assertThat(read(queue)).isEmpty();
    }
  }
}

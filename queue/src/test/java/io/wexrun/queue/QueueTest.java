package io.wexrun.queue;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import io.wexrun.contract.Seeds;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.queue.disk.MemoryDisk;
import io.wexrun.queue.log.Pack;
import io.wexrun.queue.log.PartitionInfo;
import io.wexrun.queue.log.QueueRecord;
import io.wexrun.queue.log.Segment;
import io.wexrun.queue.log.SegmentHeader;
import java.nio.charset.StandardCharsets;
import java.nio.file.Path;
import java.time.Duration;
import java.time.Instant;
import java.time.InstantSource;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.SplittableRandom;
import java.util.TreeSet;
import java.util.function.Predicate;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

class QueueTest {
  private static final Path FOLDER = Path.of("/q");
  private static final InstantSource CLOCK = InstantSource.fixed(Instant.ofEpochMilli(1_777_777));

  /** Segments and packs so small that everything happens; nothing is written by time. */
  private static final QueueOptions TINY =
      QueueOptions.partitions(2)
          .sizes(4096, 200)
          .times(Duration.ofDays(1), CLOCK)
          .bounds(1 << 20, Duration.ofSeconds(10), Duration.ZERO);

  private static Queue open(MemoryDisk disk) {
    return Queue.open(disk, FOLDER, "q", TINY, true, null);
  }

  private static byte[] bytes(String text) {
    return text.getBytes(StandardCharsets.UTF_8);
  }

  private static List<QueueRecord> all(Queue queue) {
    List<QueueRecord> all = new ArrayList<>();
    Reader reader = queue.readFromOldest();
    List<QueueRecord> next = reader.poll(100, Duration.ZERO);
    while (!next.isEmpty()) {
      all.addAll(next);
      next = reader.poll(100, Duration.ZERO);
    }
    return all;
  }

  @Test
  void whatIsAppendedIsReadBack(@TempDir Path folder) {
    try (Queue queue = Queue.open(folder, "q", TINY)) {
      try (Producer producer = queue.producer()) {
        producer.append(bytes("k"), Map.of("h", "vé"), bytes("with key"));
        producer.append(bytes("no key"));
        producer.append(bytes(""), bytes(""));
      }
      assertThat(all(queue)).hasSize(3);
    }
    try (Queue queue = Queue.openToRead(folder, "q").orElseThrow()) {
      QueueRecord record =
          all(queue).stream().filter(r -> r.keyText().equals("k")).findFirst().orElseThrow();
      assertThat(record.text()).isEqualTo("with key");
      assertThat(record.headers()).isEqualTo(Map.of("h", "vé"));
      assertThat(record.timeMillis()).isEqualTo(1_777_777);
      assertThat(all(queue).stream().filter(r -> r.key().isEmpty())).hasSize(1);
    }
  }

  @Test
  void recordsOfOneKeyStayTogetherInOrder() {
    try (Queue queue = open(new MemoryDisk());
        Producer producer = queue.producer()) {
      for (int i = 0; i < 2000; i++) {
        producer.append(bytes("key-" + i % 7), bytes(Integer.toString(i)));
      }
      producer.flush();
      Map<String, Integer> partitions = new HashMap<>();
      Map<String, Integer> last = new HashMap<>();
      for (QueueRecord record : all(queue)) {
        assertThat(partitions.merge(record.keyText(), record.partition(), (a, b) -> a))
            .isEqualTo(record.partition());
        int number = Integer.parseInt(record.text());
        assertThat(last.getOrDefault(record.keyText(), -1)).isLessThan(number);
        last.put(record.keyText(), number);
      }
      assertThat(partitions).hasSize(7);
      assertThat(partitions.values()).contains(0, 1);
      assertThat(queue.describe().get(0).segments()).isGreaterThan(1);
    }
  }

  @Test
  void recordsWithoutAKeyTakeTurns() {
    try (Queue queue = open(new MemoryDisk());
        Producer producer = queue.producer()) {
      for (int i = 0; i < 10; i++) {
        producer.append(bytes("x"));
      }
      producer.flush();
      assertThat(queue.describe()).extracting(PartitionInfo::records).containsExactly(5L, 5L);
    }
  }

  @Test
  void readersStartAtTheOldestTheNewestOrAPosition() {
    try (Queue queue = open(new MemoryDisk());
        Producer producer = queue.producer()) {
      for (int i = 0; i < 6; i++) {
        producer.append(bytes("old " + i));
      }
      producer.flush();
      Reader newest = queue.readFromNewest();
      Reader from = queue.readFrom(1, 3);
      producer.append(bytes("new"));
      producer.flush();
      assertThat(newest.poll(10, Duration.ZERO))
          .extracting(QueueRecord::text)
          .containsExactly("new");
      assertThat(from.poll(1, Duration.ZERO))
          .extracting(QueueRecord::text)
          .containsExactly("old 2");
      assertThat(from.positions()).containsExactly(2, 3);
      assertThatThrownBy(() -> queue.readFrom(1))
          .hasMessageContaining("1 positions for 2 partitions");
    }
  }

  @Test
  void whatIsNotFlushedIsNotReadable() {
    try (Queue queue = open(new MemoryDisk());
        Producer producer = queue.producer()) {
      producer.append(bytes("waits"));
      assertThat(all(queue)).isEmpty();
      producer.flush();
      assertThat(all(queue)).hasSize(1);
    }
  }

  @Test
  void afterAnyCrashEverythingAcknowledgedIsThereOnceAndInOrder() {
    Seeds.each(1000, QueueTest::simulate);
  }

  private static void simulate(long seed) {
    SplittableRandom dice = new SplittableRandom(seed);
    MemoryDisk disk = new MemoryDisk();
    Set<Integer> acknowledged = new TreeSet<>();
    int sent = 0;
    for (int life = 0; life < 4; life++) {
      disk.dieAfter(dice.nextInt(1, 60));
      List<Integer> waiting = new ArrayList<>();
      try (Queue queue = open(disk);
          Producer producer = queue.producer()) {
        for (int i = 0; i < 60; i++) {
          waiting.add(sent);
          producer.append(bytes("k" + sent % 3), bytes(Integer.toString(sent++)));
          if (dice.nextInt(8) == 0) {
            producer.flush();
            acknowledged.addAll(waiting);
          }
        }
      } catch (OutsideException e) {
        assertThat(e).hasMessageContaining("the power is gone");
      }
      disk = disk.afterPowerLoss(dice);
      List<Integer> found = new ArrayList<>();
      Map<String, Integer> last = new HashMap<>();
      for (QueueRecord record : all(open(disk))) {
        int number = Integer.parseInt(record.text());
        found.add(number);
        assertThat(record.keyText()).isEqualTo("k" + number % 3);
        assertThat(last.getOrDefault(record.keyText(), -1)).isLessThan(number);
        last.put(record.keyText(), number);
      }
      assertThat(found).doesNotHaveDuplicates().containsAll(acknowledged);
      assertThat(Set.copyOf(found)).allMatch(lessThan(sent));
      acknowledged.addAll(found);
    }
  }

  private static Predicate<Integer> lessThan(int bound) {
    return n -> n < bound;
  }

  @Test
  void aTornTailIsCutAtTheLastWholePack() {
    MemoryDisk disk = new MemoryDisk();
    try (Queue queue = open(disk);
        Producer producer = queue.producer()) {
      producer.append(bytes("a"), bytes("whole"));
      producer.flush();
    }
    int partition = Placement.byKey(bytes("a"), 0, 1, 2);
    Path segment = FOLDER.resolve("p" + partition).resolve(Segment.name(0));
    byte[] whole = disk.bytes(segment);
    byte[] torn = Arrays.copyOf(whole, whole.length + 37);
    System.arraycopy(whole, SegmentHeader.LEAST, torn, whole.length, 37);
    disk.put(segment, torn);
    try (Queue queue = open(disk)) {
      assertThat(all(queue)).extracting(QueueRecord::text).containsExactly("whole");
      assertThat(disk.bytes(segment)).isEqualTo(whole);
    }
  }

  @Test
  void damageToAcknowledgedRecordsIsToldAndNothingIsCut() {
    MemoryDisk disk = new MemoryDisk();
    try (Queue queue = open(disk);
        Producer producer = queue.producer()) {
      for (int i = 0; i < 3; i++) {
        producer.append(bytes("a"), bytes("record " + i));
        producer.flush();
      }
    }
    int partition = Placement.byKey(bytes("a"), 0, 1, 2);
    Path segment = FOLDER.resolve("p" + partition).resolve(Segment.name(0));
    disk.damage(segment, SegmentHeader.LEAST + Pack.HEADER + 3);
    byte[] before = disk.bytes(segment);
    assertThatThrownBy(() -> open(disk))
        .isInstanceOf(OutsideException.class)
        .hasMessageContaining("partition " + partition + " is damaged")
        .hasMessageContaining("nothing was cut");
    assertThat(disk.bytes(segment)).isEqualTo(before);
  }

  @Test
  void aFullDiskFailsCleanlyAndLaterAppendsSucceed() {
    MemoryDisk disk = new MemoryDisk();
    try (Queue queue = open(disk);
        Producer producer = queue.producer()) {
      producer.append(bytes("a"), bytes("before"));
      producer.flush();
      disk.fullAfter(20);
      producer.append(bytes("a"), bytes("does not fit"));
      assertThatThrownBy(producer::flush)
          .isInstanceOf(OutsideException.class)
          .hasMessageContaining("cannot append to queue q")
          .hasMessageContaining("No space left on device");
      disk.fullAfter(Long.MAX_VALUE);
      producer.append(bytes("a"), bytes("now it does"));
      producer.flush();
      assertThat(all(queue)).extracting(QueueRecord::text).containsExactly("before", "now it does");
    }
    assertThat(all(open(disk))).hasSize(2);
  }

  @Test
  void aQueueHeldByAnotherIsRefusedWithItsHolder(@TempDir Path folder) {
    try (Queue queue = Queue.open(folder, "q", TINY)) {
      assertThat(queue.writable()).isTrue();
      assertThatThrownBy(() -> Queue.open(folder, "q", TINY))
          .isInstanceOf(OutsideException.class)
          .hasMessageContaining("queue q is held by process " + ProcessHandle.current().pid());
    }
    Queue.open(folder, "q", TINY).close();
  }

  @Test
  void aReaderBesideTheWriterSeesWhatIsAppendedLater(@TempDir Path folder) {
    try (Queue writer = Queue.open(folder, "q", TINY);
        Producer producer = writer.producer()) {
      producer.append(bytes("a"), bytes("one"));
      producer.flush();
      try (Queue beside = Queue.openToRead(folder, "q").orElseThrow()) {
        Reader reader = beside.readFromOldest();
        assertThat(reader.poll(9, Duration.ZERO))
            .extracting(QueueRecord::text)
            .containsExactly("one");
        for (int i = 0; i < 100; i++) {
          producer.append(bytes("a"), bytes("record number " + i));
        }
        producer.flush();
        List<String> later = new ArrayList<>();
        while (later.size() < 100) {
          reader.poll(99, Duration.ofSeconds(5)).forEach(r -> later.add(r.text()));
        }
        assertThat(later).hasSize(100).contains("record number 0").endsWith("record number 99");
        assertThat(beside.describe()).isEqualTo(writer.describe());
        assertThatThrownBy(beside::producer).isInstanceOf(IllegalStateException.class);
      }
    }
  }

  @Test
  void aNewerFormatIsRefused() {
    MemoryDisk disk = new MemoryDisk();
    open(disk).close();
    disk.put(FOLDER.resolve("queue"), bytes("wexrun-queue 2\npartitions 2\n"));
    assertThatThrownBy(() -> open(disk)).hasMessageContaining("use a newer Wexrun");
  }

  @Test
  void thereIsNoQueueToReadWhereNoneWasMade(@TempDir Path folder) {
    assertThat(Queue.openToRead(folder.resolve("none"), "none")).isEmpty();
  }
}

package io.wexrun.queue;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import io.wexrun.core.diagnose.Counted;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.queue.care.Verification;
import io.wexrun.queue.care.Verifier;
import io.wexrun.queue.disk.Disk;
import io.wexrun.queue.disk.MemoryDisk;
import io.wexrun.queue.ends.QueueIntake;
import io.wexrun.queue.log.BehindOldestException;
import io.wexrun.queue.log.Codec;
import io.wexrun.queue.log.Keep;
import io.wexrun.queue.log.PartitionInfo;
import io.wexrun.queue.log.QueueRecord;
import io.wexrun.queue.log.Segment;
import java.lang.reflect.InvocationTargetException;
import java.lang.reflect.Proxy;
import java.nio.file.Path;
import java.time.Duration;
import java.time.Instant;
import java.time.InstantSource;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.SplittableRandom;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.atomic.AtomicLong;
import org.junit.jupiter.api.RepeatedTest;
import org.junit.jupiter.api.Test;

/** What a queue keeps, how it is read after that, and what a look at every byte says. */
class KeepingTest {
  private static final Path FOLDER = Path.of("/q");
  private final MemoryDisk disk = new MemoryDisk();
  private final AtomicLong now = new AtomicLong(1000);
  private final InstantSource clock = () -> Instant.ofEpochMilli(now.get());
  private final QueueOptions options =
      QueueOptions.partitions(1).sizes(4096, 500).times(Duration.ofDays(1), clock);

  private Queue open(QueueOptions with) {
    return Queue.open(disk, FOLDER, "q", with, true, null);
  }

  /** Appends records of about a hundred bytes, one each second. */
  private void fill(Queue queue, int from, int to) {
    try (Producer producer = queue.producer()) {
      for (int i = from; i < to; i++) {
        now.addAndGet(1000);
        producer.append(QueueMessage.of(String.format("%06d %90s", i, "")));
        if (i % 5 == 0) {
          producer.flush();
        }
      }
    }
  }

  private static List<Integer> numbers(Queue queue) {
    return ProducerTest.all(queue).stream()
        .map(record -> Integer.parseInt(record.text().substring(0, 6)))
        .toList();
  }

  @Test
  void whatIsTooOldGoesInWholeFilesButNeverTheOpenOne() {
    try (Queue queue = open(options.keep(Keep.ALL.withAge(Duration.ofSeconds(100))))) {
      fill(queue, 0, 300);
      List<Integer> left = numbers(queue);
      assertThat(left.get(0)).isBetween(130, 199);
      assertThat(left.get(left.size() - 1)).isEqualTo(299);
      assertThat(queue.describe().get(0).removedRecords()).isEqualTo((long) left.get(0));
      now.addAndGet(1_000_000);
      queue.trim();
      assertThat(numbers(queue)).isNotEmpty().hasSizeLessThan(50);
    }
    try (Queue again = open(options)) {
      assertThat(numbers(again).get(0)).isEqualTo((int) again.describe().get(0).oldest());
    }
  }

  @Test
  void aPipelineFromWhichUnreadRecordsWereRemovedIsToldAndNotFailedByABug() {
    try (Queue queue = open(options)) {
      fill(queue, 0, 300);
      QueueIntake intake = new QueueIntake(queue, false, () -> true, () -> {});
      intake.assign(intake.look().get(0).partition(), 0);
      queue.trim(Keep.ALL.withAge(Duration.ofSeconds(100)));
      assertThatThrownBy(() -> intake.poll(Duration.ZERO))
          .isInstanceOfSatisfying(
              OutsideException.class,
              e -> {
                assertThat(e.lasting()).isTrue();
                assertThat(e).hasMessageContaining("let the queue keep more");
              });
    }
  }

  @Test
  void whatSomebodyHasNotReadStaysAlsoIfThatOneIsNoGroup() {
    long[] pipeline = new long[1];
    try (Queue queue = open(options.keep(Keep.ALL.withBytes(5000).untilEveryGroupHasRead()))) {
      queue.alsoReadBy(() -> List.of(pipeline, new long[0]));
      fill(queue, 0, 300);
      assertThat(numbers(queue)).as("one has not begun").hasSize(300);
      queue.alsoReadBy(() -> List.of(pipeline));
      pipeline[0] = 150;
      assertThat(queue.trim()).isBetween(100L, 150L);
      assertThat(numbers(queue)).contains(150).endsWith(299);
    }
  }

  @Test
  void aReaderBesideIsNotDisturbedByWhatIsRemovedWhileItOpens() {
    try (Queue queue = open(options)) {
      fill(queue, 0, 300);
      Disk removing =
          (Disk)
              Proxy.newProxyInstance(
                  Disk.class.getClassLoader(),
                  new Class<?>[] {Disk.class},
                  (proxy, method, arguments) -> {
                    try {
                      Object answer = method.invoke(disk, arguments);
                      if (method.getName().equals("list")) {
                        queue.removeBefore(0, 120);
                      }
                      return answer;
                    } catch (InvocationTargetException e) {
                      throw e.getCause();
                    }
                  });
      try (Queue beside = Queue.open(removing, FOLDER, "q", options, false, null)) {
        assertThat(numbers(beside))
            .startsWith((int) queue.describe().get(0).oldest())
            .endsWith(299);
      }
    }
  }

  @Test
  void theOldestGoWhenAPartitionIsTooLarge() {
    try (Queue queue = open(options.keep(Keep.ALL.withBytes(10_000)))) {
      fill(queue, 0, 300);
      assertThat(queue.describe().get(0).bytes()).isLessThan(14_200);
      assertThat(numbers(queue)).endsWith(299).hasSizeGreaterThan(40);
    }
  }

  @Test
  void aReaderThatIsBehindIsToldAndChoosesWhatToDo() {
    try (Queue queue = open(options)) {
      fill(queue, 0, 200);
      Reader stops = queue.readFromOldest();
      Reader goesOn = queue.readFromOldest().goOnFromOldest();
      long removed = queue.removeBefore(0, 120);
      assertThat(removed).isBetween(80L, 120L);
      assertThatThrownBy(() -> stops.poll(10, Duration.ZERO))
          .isInstanceOfSatisfying(
              BehindOldestException.class,
              e -> {
                assertThat(e.position()).isZero();
                assertThat(e.oldest()).isEqualTo(removed);
                assertThat(e).hasMessageContaining(Counted.of(removed, "record"));
              });
      assertThat(goesOn.poll(1, Duration.ZERO).get(0).position()).isEqualTo(removed);
    }
  }

  @Test
  void aReaderStartsAtATime() {
    try (Queue queue = open(options)) {
      fill(queue, 0, 200);
      Reader reader = queue.readFrom(Instant.ofEpochMilli(1000 + 1000 * 124));
      QueueRecord first = reader.poll(1, Duration.ZERO).get(0);
      assertThat(first.text()).startsWith("000123");
      assertThat(queue.readFrom(Instant.ofEpochMilli(1L << 45)).poll(1, Duration.ZERO)).isEmpty();
      assertThat(queue.readFrom(Instant.EPOCH).poll(1, Duration.ZERO).get(0).position()).isZero();
      assertThat(queue.readFromOldest().poll(100, 250, Duration.ZERO)).hasSize(2);
    }
  }

  @Test
  void whatAProducerHasAppendedIsKnownWhenItsRecordsAreRemoved() {
    try (Queue queue = open(options)) {
      try (Producer producer = queue.producer("meter-7")) {
        producer.append(QueueMessage.of("reading").number(7));
      }
      fill(queue, 0, 200);
      assertThat(queue.removeBefore(0, 200)).isPositive();
    }
    try (Queue queue = open(options);
        Producer producer = queue.producer("meter-7")) {
      assertThat(queue.describe().get(0).segments()).isEqualTo(1);
      CompletableFuture<Appended> again = producer.append(QueueMessage.of("reading").number(7));
      CompletableFuture<Appended> next = producer.append(QueueMessage.of("reading").number(8));
      producer.flush();
      assertThat(again.join().repeated()).isTrue();
      assertThat(next.join().repeated()).isFalse();
    }
  }

  @Test
  void finishedFilesAreOpenedByTheirIndexAndReadThroughWithoutOne() {
    try (Queue queue = open(options)) {
      fill(queue, 0, 200);
      assertThat(queue.describe().get(0).segments()).isGreaterThan(4);
    }
    Path first = FOLDER.resolve("p0").resolve(Segment.name(0));
    byte[] whole = disk.bytes(first);
    PartitionInfo before;
    try (Queue queue = open(options)) {
      before = queue.describe().get(0);
    }
    disk.put(first, Arrays.copyOf(whole, whole.length - 1));
    try (Queue queue = open(options)) {
      assertThat(queue.describe().get(0)).isEqualTo(before);
      assertThat(numbers(queue)).hasSize(200);
    }
  }

  @Test
  void afterACleanEndALargeLastFileIsOpenedByItsIndexAndTheNextOneGoesOn() {
    QueueOptions large = QueueOptions.partitions(1);
    try (Queue queue = open(large);
        Producer producer = queue.producer("meter-7")) {
      for (int i = 0; i < 5000; i++) {
        producer.append(QueueMessage.of(String.format("%06d %1000s", i, "")).number(i));
      }
    }
    Path first = FOLDER.resolve("p0").resolve(Segment.name(0));
    byte[] whole = disk.bytes(first);
    try (Queue queue = open(large);
        Producer producer = queue.producer("meter-7")) {
      assertThat(queue.describe().get(0).records()).isEqualTo(5000);
      producer.append(QueueMessage.of("004999").number(4999));
      producer.append(QueueMessage.of("005000").number(5000));
      producer.flush();
      assertThat(numbers(queue)).hasSize(5001).endsWith(5000);
      assertThat(queue.describe().get(0).segments()).isEqualTo(2);
    }
    assertThat(disk.bytes(first)).isEqualTo(whole);
    assertThat(verify().faults()).isEmpty();
    disk.damage(first, whole.length / 2);
    try (Queue queue = open(large)) {
      assertThatThrownBy(() -> numbers(queue))
          .isInstanceOf(OutsideException.class)
          .hasMessageContaining("is damaged near position");
    }
  }

  private Verification verify() {
    return new Verifier(disk, FOLDER).verify();
  }

  @Test
  void aLookAtEveryByteFindsNothingWrongInAGoodQueue() {
    try (Queue queue = open(options.codec(Codec.LZ4))) {
      fill(queue, 0, 200);
    }
    Verification verification = verify();
    assertThat(verification.faults()).isEmpty();
    assertThat(verification.records()).isEqualTo(200);
    assertThat(verification.packs()).isGreaterThan(39);
  }

  /** One byte changed anywhere is found, and the file is named. */
  @RepeatedTest(60)
  void aLookAtEveryByteFindsAnyChangedByte() {
    try (Queue queue = open(options)) {
      fill(queue, 0, 120);
    }
    long seed = System.nanoTime();
    SplittableRandom dice = new SplittableRandom(seed);
    List<Path> files = new ArrayList<>();
    disk.list(FOLDER.resolve("p0")).forEach(n -> files.add(FOLDER.resolve("p0").resolve(n)));
    Path file = files.get(dice.nextInt(files.size()));
    int place = dice.nextInt(disk.bytes(file).length);
    disk.damage(file, place);
    Verification verification = verify();
    assertThat(verification.faults())
        .as("seed %d, byte %d of %s", seed, place, file)
        .anyMatch(fault -> fault.file().equals("p0/" + file.getFileName()));
    boolean last = file.equals(files.get(files.size() - 1));
    assertThat(verification.whole() && !last).as("seed %d", seed).isFalse();
  }

  /** After a clean end everything is known to be synced: no damage to it looks like a tear. */
  @RepeatedTest(40)
  void damageAfterACleanEndIsNeverCutAway() {
    try (Queue queue = open(options.sizes(1 << 20, 500));
        Producer producer = queue.producer()) {
      for (int i = 0; i < 60; i++) {
        producer.append(QueueMessage.of(String.format("%06d %90s", i, "")));
      }
    }
    long seed = System.nanoTime();
    SplittableRandom dice = new SplittableRandom(seed);
    Path file = FOLDER.resolve("p0").resolve(Segment.name(0));
    byte[] whole = disk.bytes(file);
    int place = dice.nextInt(whole.length);
    if (dice.nextBoolean()) {
      disk.damage(file, place);
    } else {
      disk.put(file, Arrays.copyOf(whole, place));
    }
    byte[] before = disk.bytes(file);
    assertThatThrownBy(() -> open(options))
        .as("seed %d", seed)
        .isInstanceOf(OutsideException.class)
        .hasMessageContaining("nothing was cut");
    assertThat(disk.bytes(file)).isEqualTo(before);
    assertThat(verify().whole()).as("seed %d", seed).isFalse();
  }
}

package io.wexrun.queue;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import io.wexrun.contract.Seeds;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Records;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.queue.disk.MemoryDisk;
import io.wexrun.queue.log.Codec;
import io.wexrun.queue.log.Packs;
import io.wexrun.queue.log.Partition;
import io.wexrun.queue.log.QueueRecord;
import java.nio.charset.StandardCharsets;
import java.nio.file.Path;
import java.time.Duration;
import java.time.Instant;
import java.time.InstantSource;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.SplittableRandom;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.CompletionException;
import java.util.concurrent.TimeUnit;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.EnumSource;

class ProducerTest {
  private static final Path FOLDER = Path.of("/q");
  private static final InstantSource CLOCK = InstantSource.fixed(Instant.ofEpochMilli(1000));
  private static final QueueOptions TINY =
      QueueOptions.partitions(2).sizes(4096, 300).times(Duration.ofDays(1), CLOCK);

  private static final Duration LONG = Duration.ofSeconds(30);
  private static final Duration NONE = Duration.ZERO;

  private final MemoryDisk disk = new MemoryDisk();

  private static Queue open(MemoryDisk disk, QueueOptions options) {
    return Queue.open(disk, FOLDER, "q", options, true, null);
  }

  static List<QueueRecord> all(Queue queue) {
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
  void aFutureTellsWhereTheRecordStands() {
    try (Queue queue = open(disk, TINY);
        Producer producer = queue.producer()) {
      List<CompletableFuture<Appended>> futures = new ArrayList<>();
      for (int i = 0; i < 200; i++) {
        futures.add(producer.append(QueueMessage.of("r" + i).key("k" + i % 5).header("h", "x")));
      }
      CompletableFuture<Appended> chosen = producer.append(QueueMessage.of("chosen").to(1));
      producer.flush();
      Map<String, String> places = new HashMap<>();
      for (QueueRecord record : all(queue)) {
        places.put(record.partition() + "@" + record.position(), record.text());
      }
      for (int i = 0; i < 200; i++) {
        Appended appended = futures.get(i).join();
        assertThat(places.get(appended.partition() + "@" + appended.position())).isEqualTo("r" + i);
      }
      assertThat(chosen.join().partition()).isEqualTo(1);
      ProducerFigures figures = producer.figures();
      assertThat(figures.recordsAppended()).isEqualTo(201);
      assertThat(figures.recordsAcknowledged()).isEqualTo(201);
      assertThat(figures.recordsHeld()).isZero();
      assertThat(figures.bytesHeld()).isZero();
      assertThat(figures.packsWritten()).isBetween(5L, 100L);
      assertThatThrownBy(() -> producer.append(QueueMessage.of("x").to(2)))
          .hasMessageContaining("has partitions 0 to 1");
    }
  }

  @Test
  void whatLingersIsWrittenWithoutAFlush() throws Exception {
    QueueOptions quick = TINY.times(Duration.ofMillis(1), CLOCK);
    try (Queue queue = open(disk, quick);
        Producer producer = queue.producer()) {
      assertThat(producer.append("x".getBytes(StandardCharsets.UTF_8)).get(10, TimeUnit.SECONDS))
          .isEqualTo(new Appended(0, 0, false));
    }
  }

  @ParameterizedTest
  @EnumSource(Codec.class)
  void compressedPacksReadLikeOthersAlsoMixed(Codec codec) {
    List<String> texts = new ArrayList<>();
    for (Codec each : new Codec[] {Codec.NONE, codec, Codec.NONE, codec}) {
      try (Queue queue = open(disk, TINY.sizes(1 << 20, 2000).codec(each));
          Producer producer = queue.producer()) {
        for (int i = 0; i < 100; i++) {
          String text = "gate-07 scan card=7F3A90C2 result=ok ms=" + i + " é".repeat(i % 3);
          texts.add(text);
          producer.append(QueueMessage.of(text).to(0));
        }
      }
    }
    try (Queue queue = open(disk, TINY)) {
      assertThat(all(queue)).extracting(QueueRecord::text).isEqualTo(texts);
      Partition.Chunk chunk = queue.partition(0).read(7, 1 << 20).orElseThrow();
      Records records =
          new Block(
                  new SourcePartition("q/0"),
                  7,
                  chunk.end(),
                  chunk.data(),
                  chunk.length(),
                  Packs.FRAMING)
              .records();
      assertThat(records.count()).isEqualTo(393);
      for (int i = 0; i < records.count(); i++) {
        assertThat(new String(records.bytes(i), StandardCharsets.UTF_8))
            .isEqualTo(texts.get(i + 7));
        assertThat(records.taken(i)).isEqualTo(1_000_000);
      }
      if (codec != Codec.NONE) {
        assertThat(queue.describe().get(0).bytes()).isLessThan(22_000);
      }
    }
  }

  @Test
  void aProducerWithoutRoomWaitsAndThenSaysSoAndNothingIsLost() {
    QueueOptions options =
        TINY.bounds(2000, Duration.ofMillis(50), Duration.ofSeconds(60)).sizes(1 << 20, 200);
    try (Queue queue = open(disk, options);
        Producer producer = queue.producer()) {
      producer.append(QueueMessage.of("first").to(0)).isDone();
      producer.flush();
      disk.fullAfter(0);
      List<CompletableFuture<Appended>> taken = new ArrayList<>();
      assertThatThrownBy(
              () -> {
                for (int i = 0; i < 1000; i++) {
                  taken.add(producer.append(QueueMessage.of("record " + i).to(0)));
                }
              })
          .isInstanceOf(QueueFullException.class)
          .hasMessageContaining("was not taken");
      assertThat(taken).hasSizeBetween(20, 100).noneMatch(CompletableFuture::isDone);
      assertThat(producer.figures().bytesHeld()).isLessThanOrEqualTo(2000);
      disk.fullAfter(Long.MAX_VALUE);
      producer.flush();
      assertThat(all(queue)).hasSize(taken.size() + 1);
      for (int i = 0; i < taken.size(); i++) {
        assertThat(taken.get(i).join().position()).isEqualTo(i + 1);
      }
      assertThat(producer.figures().retries()).isPositive();
    }
  }

  @Test
  void aRecordThatIsTooLongIsRefusedBeforeItIsTaken() {
    try (Queue queue = open(disk, TINY.longestRecord(100));
        Producer producer = queue.producer()) {
      assertThatThrownBy(() -> producer.append(new byte[90]))
          .isInstanceOf(IllegalArgumentException.class)
          .hasMessageContaining("longer than the 100 that it takes");
      producer.append(new byte[50]);
      producer.flush();
      assertThat(all(queue)).hasSize(1);
    }
  }

  @Test
  void numbersKeepARecordFromBeingAppendedTwiceAlsoAfterARestart() {
    for (int life = 0; life < 3; life++) {
      try (Queue queue = open(disk, TINY);
          Producer producer = queue.producer("meter-7")) {
        List<CompletableFuture<Appended>> futures = new ArrayList<>();
        for (int i = 0; i < 100 + life; i++) {
          futures.add(producer.append(QueueMessage.of("r" + i).number(i)));
        }
        producer.flush();
        long fresh = futures.stream().filter(f -> !f.join().repeated()).count();
        assertThat(fresh).isEqualTo(life == 0 ? 100 : 1);
        assertThatThrownBy(() -> producer.append(QueueMessage.of("none")))
            .hasMessageContaining("either all records of a producer have a number, or none");
      }
    }
    try (Queue queue = open(disk, TINY);
        Producer unnamed = queue.producer()) {
      assertThat(all(queue)).extracting(QueueRecord::text).doesNotHaveDuplicates().hasSize(102);
      assertThatThrownBy(() -> unnamed.append(QueueMessage.of("x").number(1)))
          .hasMessageContaining("only a named producer");
      assertThatThrownBy(() -> queue.producer("~x")).isInstanceOf(IllegalArgumentException.class);
    }
  }

  @Test
  void whatIsLeftToTheSystemIsReadableAtOnceAndMayGoWithThePower() {
    try (Queue queue = open(disk, TINY.sync(SyncPolicy.system()));
        Producer producer = queue.producer()) {
      CompletableFuture<Appended> first = producer.append(QueueMessage.of("x".repeat(400)).to(0));
      assertThat(first.join().position()).isZero();
      assertThat(all(queue)).hasSize(1);
      int left = 0;
      for (int seed = 0; seed < 20; seed++) {
        left += all(open(disk.afterPowerLoss(new SplittableRandom(seed)), TINY)).size();
      }
      assertThat(left).isLessThan(20);
      producer.flush();
      for (int seed = 0; seed < 20; seed++) {
        assertThat(all(open(disk.afterPowerLoss(new SplittableRandom(seed)), TINY))).hasSize(1);
      }
    }
  }

  @Test
  void anIntervalSyncsByItself() throws Exception {
    QueueOptions options = TINY.sync(SyncPolicy.every(Duration.ofMillis(5)));
    try (Queue queue = open(disk, options);
        Producer producer = queue.producer()) {
      producer.append(QueueMessage.of("x".repeat(400)).to(0)).get(10, TimeUnit.SECONDS);
      long until = System.nanoTime() + TimeUnit.SECONDS.toNanos(10);
      int left = 0;
      while (left < 20 && System.nanoTime() < until) {
        left = 0;
        for (int seed = 0; seed < 20; seed++) {
          left += all(open(disk.afterPowerLoss(new SplittableRandom(seed)), TINY)).size();
        }
      }
      assertThat(left).isEqualTo(20);
    }
    assertThatThrownBy(() -> SyncPolicy.every(Duration.ZERO))
        .isInstanceOf(IllegalArgumentException.class);
  }

  /**
   * A named producer lives several lives on a disk that hiccups and loses power at any write, and
   * sends again what it knows nothing of.
   */
  @Test
  void whateverHappensEveryRecordIsThereOnceAndWhatWasAcknowledgedWhereItWasSaid() {
    Seeds.each(200, ProducerTest::simulate);
  }

  private static void simulate(long seed) {
    SplittableRandom dice = new SplittableRandom(seed);
    MemoryDisk now = new MemoryDisk();
    Codec codec = Codec.values()[dice.nextInt(3)];
    QueueOptions options =
        TINY.codec(codec).bounds(1 << 20, LONG, Duration.ofMillis(dice.nextInt(60)));
    Map<Long, Appended> acknowledged = new LinkedHashMap<>();
    long sent = 0;
    for (int life = 0; life < 4; life++) {
      boolean lastLife = life == 3;
      if (!lastLife) {
        now.dieAfter(dice.nextInt(1, 70));
        now.flaky(dice.split(), 0.02);
      }
      Map<Long, CompletableFuture<Appended>> futures = new LinkedHashMap<>();
      try (Queue queue = open(now, options);
          Producer producer = queue.producer("p")) {
        long from = 0;
        sent += 40;
        for (long number = from; number < sent; number++) {
          String text = number + " " + "padding ".repeat((int) (number % 5));
          futures.put(number, producer.append(QueueMessage.of(text).number(number)));
          if (dice.nextInt(10) == 0) {
            producer.flush();
          }
        }
      } catch (OutsideException e) {
        assertThat(e.getMessage()).containsAnyOf("power is gone", "hiccups");
      }
      futures.forEach(
          (number, future) -> {
            if (future.isDone() && !future.isCompletedExceptionally()) {
              Appended appended = future.join();
              if (!appended.repeated()) {
                acknowledged.put(number, appended);
              }
            }
          });
      now = now.afterPowerLoss(dice);
      Map<Long, QueueRecord> found = new HashMap<>();
      Map<Integer, Long> last = new HashMap<>();
      try (Queue queue = open(now, options)) {
        for (QueueRecord record : all(queue)) {
          long number = Long.parseLong(record.text().split(" ")[0]);
          assertThat(found.put(number, record)).as("seed %d: %d twice", seed, number).isNull();
          assertThat(last.getOrDefault(record.partition(), -1L)).isLessThan(number);
          last.put(record.partition(), number);
        }
      }
      acknowledged.forEach(
          (number, appended) -> {
            QueueRecord record = found.get(number);
            assertThat(record).as("seed %d: %d was acknowledged", seed, number).isNotNull();
            if (appended.position() >= 0) {
              assertThat(record.position()).isEqualTo(appended.position());
              assertThat(record.partition()).isEqualTo(appended.partition());
            }
          });
      if (lastLife) {
        assertThat(found.keySet()).as("seed %d", seed).hasSize((int) sent);
      }
    }
  }

  @Test
  void aFailedFutureSaysWhy() {
    QueueOptions options = TINY.bounds(1 << 20, Duration.ZERO, Duration.ZERO);
    Queue queue = open(disk, options);
    Producer producer = queue.producer();
    CompletableFuture<Appended> before = producer.append(QueueMessage.of("x"));
    producer.flush();
    disk.dieAfter(0);
    CompletableFuture<Appended> after = producer.append(QueueMessage.of("y"));
    assertThatThrownBy(producer::flush).hasMessageContaining("the power is gone");
    assertThat(before.join().position()).isZero();
    assertThatThrownBy(after::join)
        .isInstanceOf(CompletionException.class)
        .hasMessageContaining("cannot append to queue q, partition 1");
    assertThat(producer.figures().recordsFailed()).isEqualTo(1);
  }

  @Test
  void noNumberedRecordIsStoredBehindOneThatCouldNotBe() {
    QueueOptions options =
        QueueOptions.partitions(1).times(Duration.ofDays(1), CLOCK).bounds(1 << 20, LONG, NONE);
    try (Queue queue = open(disk, options)) {
      Producer first = queue.producer("p");
      first.append(QueueMessage.of("r0").number(0));
      first.flush();
      disk.dieAfter(0);
      CompletableFuture<Appended> lost = first.append(QueueMessage.of("r1").number(1));
      assertThatThrownBy(first::flush).hasMessageContaining("the power is gone");
      disk.dieAfter(Long.MAX_VALUE);
      CompletableFuture<Appended> behind = first.append(QueueMessage.of("r2").number(2));
      CompletableFuture<Appended> again = first.append(QueueMessage.of("r1").number(1));
      first.close();
      assertThat(lost).isCompletedExceptionally();
      assertThatThrownBy(behind::join).hasMessageContaining("append from the first record that");
      assertThat(again).isCompletedExceptionally();
      try (Producer second = queue.producer("p")) {
        for (int number = 0; number < 3; number++) {
          second.append(QueueMessage.of("r" + number).number(number));
        }
      }
      assertThat(all(queue)).extracting(QueueRecord::text).containsExactly("r0", "r1", "r2");
    }
  }

  @Test
  void aRepeatedNumberIsAcknowledgedOnlyWhenTheFirstOneIsStored() {
    QueueOptions options =
        QueueOptions.partitions(1).times(Duration.ofDays(1), CLOCK).bounds(1 << 20, LONG, NONE);
    try (Queue queue = open(disk, options)) {
      Producer producer = queue.producer("p");
      CompletableFuture<Appended> first = producer.append(QueueMessage.of("r0").number(0));
      CompletableFuture<Appended> again = producer.append(QueueMessage.of("r0").number(0));
      assertThat(again).isNotDone();
      producer.flush();
      assertThat(first.join().repeated()).isFalse();
      assertThat(again.join().repeated()).isTrue();
      assertThat(producer.append(QueueMessage.of("r0").number(0)).join().repeated()).isTrue();
      producer.append(QueueMessage.of("r1").number(1));
      CompletableFuture<Appended> lost = producer.append(QueueMessage.of("r1").number(1));
      disk.dieAfter(0);
      assertThatThrownBy(producer::flush).hasMessageContaining("the power is gone");
      assertThat(lost).isCompletedExceptionally();
      disk.dieAfter(Long.MAX_VALUE);
    }
  }

  @Test
  void aReaderOfManyPartitionsGivesEveryRecordOnceWhateverTheLimits() {
    try (Queue queue = open(disk, QueueOptions.partitions(50).sizes(1 << 20, 400));
        Producer producer = queue.producer()) {
      for (int i = 0; i < 5000; i++) {
        producer.append(QueueMessage.of("r" + i).key("k" + i % 333));
      }
      producer.flush();
      SplittableRandom dice = new SplittableRandom(1);
      Reader reader = queue.readFromOldest();
      Map<String, Integer> last = new HashMap<>();
      int found = 0;
      List<QueueRecord> next = reader.poll(7, Duration.ZERO);
      while (!next.isEmpty()) {
        for (QueueRecord record : next) {
          int number = Integer.parseInt(record.text().substring(1));
          assertThat(last.getOrDefault(record.keyText(), -1)).isLessThan(number);
          last.put(record.keyText(), number);
          found++;
        }
        next = reader.poll(dice.nextInt(1, 60), dice.nextInt(1, 300), Duration.ZERO);
      }
      assertThat(found).isEqualTo(5000);
    }
  }

  @Test
  void aFullProducerStillWritesFullPacks() {
    QueueOptions options =
        QueueOptions.partitions(20).bounds(40_000, Duration.ofSeconds(30), Duration.ZERO);
    try (Queue queue = open(disk, options);
        Producer producer = queue.producer()) {
      for (int i = 0; i < 40_000; i++) {
        producer.append(QueueMessage.of("a record of some thirty bytes " + i));
      }
      producer.flush();
      assertThat(producer.figures().packsWritten()).isLessThan(40_000 / 8);
      assertThat(all(queue)).hasSize(40_000);
    }
  }

  @Test
  void anErrorThatEndsTheWriterIsToldAndNobodyWaits() {
    Queue queue = open(disk, TINY);
    Producer producer = queue.producer();
    disk.errorNext(new OutOfMemoryError("made up"));
    producer.append(QueueMessage.of("x"));
    assertThatThrownBy(producer::flush)
        .isInstanceOf(IllegalStateException.class)
        .hasMessageContaining("the producer's writer has ended by java.lang.OutOfMemoryError");
    assertThatThrownBy(
            () -> {
              producer.append(QueueMessage.of("y"));
              producer.flush();
            })
        .isInstanceOf(IllegalStateException.class);
  }
}

package io.wexrun.queue;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import io.wexrun.contract.Seeds;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.identity.Identity;
import io.wexrun.core.intake.Assigner;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.queue.care.Repair;
import io.wexrun.queue.care.Repairer;
import io.wexrun.queue.care.Verification;
import io.wexrun.queue.care.Verifier;
import io.wexrun.queue.disk.MemoryDisk;
import io.wexrun.queue.ends.QueueIntake;
import io.wexrun.queue.log.Codec;
import io.wexrun.queue.log.Pack;
import io.wexrun.queue.log.PartitionInfo;
import io.wexrun.queue.log.QueueRecord;
import io.wexrun.queue.log.Segment;
import io.wexrun.queue.log.SegmentHeader;
import java.io.IOException;
import java.nio.file.Path;
import java.time.Duration;
import java.time.Instant;
import java.time.InstantSource;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.SplittableRandom;
import java.util.TreeMap;
import java.util.concurrent.CompletableFuture;
import org.junit.jupiter.api.Test;

/** A damaged queue is made one that opens: what is whole stays where it is, the rest is told. */
class RepairTest {
  private static final Path FOLDER = Path.of("/q");
  private static final QueueOptions OPTIONS =
      QueueOptions.partitions(2)
          .sizes(4096, 300)
          .times(Duration.ofDays(1), InstantSource.fixed(Instant.ofEpochMilli(1000)));

  private static Queue open(MemoryDisk disk) {
    return Queue.open(disk, FOLDER, "q", OPTIONS, true, null);
  }

  private static MemoryDisk filled(Codec codec) {
    MemoryDisk disk = new MemoryDisk();
    try (Queue queue = Queue.open(disk, FOLDER, "q", OPTIONS.codec(codec), true, null);
        Producer producer = queue.producer("meter")) {
      for (int i = 0; i < 300; i++) {
        producer.append(QueueMessage.of("record " + i + " ".repeat(i % 60)).number(i).to(i % 2));
      }
    }
    return disk;
  }

  private static Repair repair(MemoryDisk disk, boolean dry, long... ends) throws IOException {
    return new Repairer(disk, FOLDER, 2000, dry).repair(List.of(ends));
  }

  private static Verification verify(MemoryDisk disk) {
    return new Verifier(disk, FOLDER).verify();
  }

  private static Map<String, String> byPlace(Queue queue) {
    Map<String, String> found = new TreeMap<>();
    for (QueueRecord record : ProducerTest.all(queue)) {
      found.put(record.partition() + "@" + record.position(), record.text());
    }
    return found;
  }

  private static List<Path> files(MemoryDisk disk) {
    List<Path> files = new ArrayList<>();
    for (String partition : List.of("p0", "p1")) {
      disk.list(FOLDER.resolve(partition))
          .forEach(name -> files.add(FOLDER.resolve(partition).resolve(name)));
    }
    return files;
  }

  /** Does to the files what happens to files. */
  private static void damage(MemoryDisk disk, SplittableRandom dice) throws IOException {
    for (int times = dice.nextInt(1, 5); times > 0; times--) {
      List<Path> files = files(disk);
      Path file = files.get(dice.nextInt(files.size()));
      byte[] bytes = disk.bytes(file);
      int place = dice.nextInt(Math.max(1, bytes.length));
      switch (dice.nextInt(6)) {
        case 0 -> disk.put(file, Arrays.copyOf(bytes, place));
        case 1 -> {
          // Without its first file a partition looks as if that one had been trimmed.
          if (!file.endsWith(Segment.name(0))) {
            disk.delete(file);
          }
        }
        case 2 -> {
          byte[] zeroed = bytes.clone();
          Arrays.fill(zeroed, place, Math.min(bytes.length, place + 700), (byte) 0);
          disk.put(file, zeroed);
        }
        case 3 -> {
          byte[] longer = Arrays.copyOf(bytes, bytes.length + 90);
          System.arraycopy(bytes, place, longer, place + 90, bytes.length - place);
          disk.put(file, longer);
        }
        default -> {
          if (bytes.length > 0) {
            disk.damage(file, place);
          }
        }
      }
    }
  }

  /**
   * Whatever is damaged, and wherever the repair itself loses its power: afterwards the queue
   * opens, what was whole stands where it stood, what is lost was told, and no position is given to
   * another record.
   */
  @Test
  void whateverIsDamagedAllThatIsWholeIsKeptAndWhatIsLostIsTold() {
    Seeds.each(600, RepairTest::simulate);
  }

  private static void simulate(long seed) throws IOException {
    SplittableRandom dice = new SplittableRandom(seed);
    MemoryDisk disk = filled(Codec.values()[dice.nextInt(3)]);
    Map<String, String> before = byPlace(open(disk));
    damage(disk, dice);
    if (verify(disk).whole()) {
      return;
    }
    Repair planned = repair(disk, true, 150, 150);
    for (int power = 0; power < 3; power++) {
      disk.dieAfter(dice.nextInt(40));
      try {
        repair(disk, false, 150, 150);
      } catch (IOException | OutsideException e) {
        assertThat(e).hasMessageContaining("the power is gone");
      }
      disk = disk.afterPowerLoss(dice);
    }
    repair(disk, false, 150, 150);
    assertThat(verify(disk).faults()).as("seed %d", seed).isEmpty();
    assertThat(repair(disk, true, 150, 150).needed()).as("seed %d", seed).isFalse();
    try (Queue queue = open(disk);
        Producer producer = queue.producer()) {
      Map<String, String> after = byPlace(queue);
      assertThat(before.entrySet()).as("seed %d", seed).containsAll(after.entrySet());
      assertThat((long) after.size()).as("seed %d", seed).isEqualTo(planned.records());
      assertThat(before.size() - after.size()).as("seed %d", seed).isEqualTo((int) planned.lost());
      assertThat(queue.describe().stream().mapToLong(PartitionInfo::records).sum())
          .isLessThanOrEqualTo(after.size() + planned.lost());
      assertThat(taken(queue)).as("seed %d: by a pipeline", seed).isEqualTo(after.size());
      try (Group group = queue.group("g");
          Member member = group.join()) {
        List<QueueRecord> records = member.poll(1000, Duration.ZERO);
        for (int left = after.size(); left > 0; records = member.poll(1000, Duration.ZERO)) {
          assertThat(records).as("seed %d", seed).isNotEmpty();
          left -= records.size();
        }
        member.commit();
        assertThat(group.lag()).as("seed %d", seed).allMatch(lag -> lag.records() == 0);
      }
      for (int partition = 0; partition < 2; partition++) {
        CompletableFuture<Appended> fresh = producer.append(QueueMessage.of("new").to(partition));
        producer.flush();
        assertThat(fresh.join().position()).as("seed %d", seed).isGreaterThanOrEqualTo(150);
      }
      assertThat(byPlace(queue)).as("seed %d", seed).hasSize(after.size() + 2);
    }
  }

  @Test
  void aReaderPassesOverPositionsLostInSeveralFilesBeforeItSaysThatThereIsNothing()
      throws IOException {
    // Of one partition everything is lost, and what is new stands behind two files without records.
    simulate(-2040);
  }

  /** How many records an intake takes until it is drained. */
  private static int taken(Queue queue) {
    int taken = 0;
    try (QueueIntake intake = new QueueIntake(queue, false, () -> true, () -> {})) {
      new Assigner(intake, Map.of()).look();
      for (int polls = 0; polls < 1000 && !intake.drained(); polls++) {
        taken += intake.poll(Duration.ZERO).map(block -> block.records().count()).orElse(0);
      }
      assertThat(intake.drained()).isTrue();
    }
    return taken;
  }

  @Test
  void aDamagedPackIsSetAsideAndReadersPassOverItsPositions() throws IOException {
    MemoryDisk disk = filled(Codec.NONE);
    Path first = FOLDER.resolve("p0").resolve(Segment.name(0));
    disk.damage(first, SegmentHeader.LEAST + Pack.HEADER + 9);
    byte[] damaged = disk.bytes(first);
    Repair dry = repair(disk, true);
    assertThat(disk.bytes(first)).isEqualTo(damaged);
    assertThat(dry.done()).isFalse();
    Repair repair = repair(disk, false);
    assertThat(repair.losses()).isEqualTo(dry.losses()).hasSize(1);
    Repair.Loss loss = repair.losses().get(0);
    assertThat(loss.file()).isEqualTo("p0/" + Segment.name(0));
    assertThat(loss.what()).contains("checksum").contains("is wrong");
    assertThat(repair.lost()).isEqualTo(loss.to() - loss.from()).isBetween(2L, 20L);
    assertThat(repair.records()).isEqualTo(300 - repair.lost());
    byte[] aside = disk.bytes(FOLDER.resolve(loss.aside()));
    int place = (int) loss.place();
    assertThat(aside).isEqualTo(Arrays.copyOfRange(damaged, place, place + (int) loss.bytes()));
    assertThat(verify(disk).lost()).isEqualTo(repair.lost());
    try (Queue queue = open(disk)) {
      assertThat(queue.describe().get(0).lost()).isEqualTo(repair.lost());
      assertThat(queue.describe().get(0).records()).isEqualTo(150 - repair.lost());
      for (long inside = loss.from(); inside < loss.to(); inside++) {
        assertThat(queue.readOnly(0, inside).poll(1, Duration.ZERO).get(0).position())
            .isEqualTo(loss.to());
      }
      try (QueueIntake intake = new QueueIntake(queue, false, () -> true, () -> {})) {
        intake.assign(new SourcePartition("q/0"), loss.from());
        Block block = intake.poll(Duration.ZERO).orElseThrow();
        assertThat(block.first()).as("where the tally ends").isEqualTo(loss.from());
        assertThat(block.records().position(0)).isEqualTo(loss.to());
      }
    }
  }

  @Test
  void aLostDescriptionIsWrittenAnew() throws IOException {
    MemoryDisk disk = filled(Codec.NONE);
    Identity before;
    try (Queue queue = open(disk)) {
      before = queue.identity();
    }
    disk.delete(FOLDER.resolve("queue"));
    assertThatThrownBy(() -> open(disk)).hasMessageContaining("is not a queue's description");
    disk.put(FOLDER.resolve("queue"), "wexrun-qu".getBytes());
    assertThatThrownBy(() -> open(disk)).hasMessageContaining("is not a queue's description");
    assertThat(verify(disk).faults()).hasSize(1);
    assertThat(repair(disk, false).lost()).isZero();
    try (Queue queue = open(disk)) {
      assertThat(byPlace(queue)).hasSize(300);
      assertThat(queue.identity()).as("its files tell who it is").isEqualTo(before);
    }
  }
}

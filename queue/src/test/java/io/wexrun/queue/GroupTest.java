package io.wexrun.queue;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import io.wexrun.contract.Seeds;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.queue.disk.MemoryDisk;
import io.wexrun.queue.log.BehindOldestException;
import io.wexrun.queue.log.Keep;
import io.wexrun.queue.log.QueueRecord;
import java.nio.file.Path;
import java.time.Duration;
import java.time.Instant;
import java.time.InstantSource;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.SplittableRandom;
import java.util.TreeSet;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.atomic.AtomicBoolean;
import java.util.concurrent.atomic.AtomicLong;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

class GroupTest {
  private static final Path FOLDER = Path.of("/q");
  private final AtomicLong now = new AtomicLong(1_000_000);
  private final InstantSource clock = () -> Instant.ofEpochMilli(now.get());
  private final QueueOptions options =
      QueueOptions.partitions(4).sizes(4096, 300).times(Duration.ofDays(1), clock);

  private Queue open(MemoryDisk disk) {
    return Queue.open(disk, FOLDER, "q", options, true, null);
  }

  private static void append(Queue queue, int from, int to) {
    try (Producer producer = queue.producer()) {
      for (int i = from; i < to; i++) {
        producer.append(QueueMessage.of(Integer.toString(i)).to(i % 4));
      }
    }
  }

  private static List<Integer> drain(Member member) {
    List<Integer> found = new ArrayList<>();
    List<QueueRecord> next = member.poll(7, Duration.ZERO);
    while (!next.isEmpty()) {
      next.forEach(record -> found.add(Integer.parseInt(record.text())));
      next = member.poll(7, Duration.ZERO);
    }
    return found;
  }

  @Test
  void membersShareThePartitionsAndWhoLeavesHandsThemOverAtTheLastCommit() {
    try (Queue queue = open(new MemoryDisk());
        Group group = queue.group("counters")) {
      append(queue, 0, 400);
      Member first = group.join();
      assertThat(first.partitions()).containsExactly(0, 1, 2, 3);
      Member second = group.join();
      assertThat(first.partitions()).hasSize(2).doesNotContainAnyElementsOf(second.partitions());
      Member third = group.join();
      List<Integer> shares = new ArrayList<>();
      List.of(first, second, third).forEach(member -> shares.add(member.partitions().size()));
      assertThat(shares).containsExactlyInAnyOrder(1, 1, 2);
      third.close();
      List<Integer> ofFirst = drain(first);
      List<Integer> ofSecond = drain(second);
      assertThat(ofFirst).hasSize(200).doesNotContainAnyElementsOf(ofSecond);
      first.commit();
      second.close(); // without a commit
      assertThat(group.lag())
          .extracting(Lag::records)
          .containsExactlyInAnyOrder(0L, 0L, 100L, 100L);
      assertThat(drain(first)).containsExactlyInAnyOrderElementsOf(ofSecond);
      first.commit();
      assertThat(group.lag()).allMatch(lag -> lag.records() == 0 && lag.member() == 0);
    }
  }

  @Test
  void aSilentMemberLosesItsPartitionsAndCannotCommitThem() {
    try (Queue queue = open(new MemoryDisk());
        Group group = queue.group("counters").silence(Duration.ofSeconds(10))) {
      append(queue, 0, 40);
      Member stale = group.join();
      List<Integer> seen = drain(stale);
      Member other = group.join();
      now.addAndGet(11_000);
      assertThat(drain(other)).containsExactlyInAnyOrderElementsOf(seen);
      other.commit();
      long[] committed = group.committed();
      assertThatThrownBy(stale::commit)
          .isInstanceOfSatisfying(
              HandedOverException.class, e -> assertThat(e.partitions()).hasSize(4))
          .hasMessageContaining("were handed over");
      assertThat(group.committed()).containsExactly(committed);
      assertThat(stale.partitions()).as("it comes back").hasSize(2);
      append(queue, 40, 80);
      assertThat(drain(stale)).hasSize(20).allMatch(number -> number >= 40);
      stale.commit();
    }
  }

  @Test
  void aPartitionThatWentAndCameBackIsNotCommittedByWhatWasPolledBefore() {
    try (Queue queue = open(new MemoryDisk());
        Group group = queue.group("counters")) {
      append(queue, 0, 40);
      Member first = group.join();
      assertThat(drain(first)).hasSize(40);
      group.join().close();
      assertThatThrownBy(first::commit)
          .isInstanceOfSatisfying(
              HandedOverException.class, e -> assertThat(e.partitions()).hasSize(2));
      assertThat(drain(first)).hasSize(20);
      first.commit();
      assertThat(group.committed()).containsExactly(10, 10, 10, 10);
    }
  }

  @Test
  void commitsSurviveThePowerAndAGroupIsReset() {
    MemoryDisk disk = new MemoryDisk();
    try (Queue queue = open(disk);
        Group group = queue.group("counters")) {
      append(queue, 0, 40);
      Member member = group.join();
      member.poll(5, Duration.ZERO);
      member.commit();
      drain(member);
      member.commit();
      assertThatThrownBy(() -> group.reset(0, 0, 0, 0)).hasMessageContaining("has 1 members");
      assertThatThrownBy(() -> queue.group("counters")).hasMessageContaining("open already");
      assertThatThrownBy(() -> queue.group("a/b")).isInstanceOf(IllegalArgumentException.class);
    }
    for (int seed = 0; seed < 20; seed++) {
      try (Queue queue = open(disk.afterPowerLoss(new SplittableRandom(seed)))) {
        assertThat(queue.groups()).containsExactly("counters");
        assertThat(queue.committed("counters")).containsExactly(10, 10, 10, 10);
      }
    }
    try (Queue queue = open(disk);
        Group group = queue.group("counters")) {
      group.reset(0, 10, 10, 9);
      assertThat(drain(group.join())).hasSize(11);
    }
  }

  @Test
  void aGroupMayBeginWithTheNewestAndHoldsBackWhatIsTrimmed() {
    QueueOptions kept = options.keep(Keep.ALL.untilEveryGroupHasRead());
    MemoryDisk disk = new MemoryDisk();
    try (Queue queue = Queue.open(disk, FOLDER, "q", kept, true, null);
        Group late = queue.group("late").fromNewest();
        Group slow = queue.group("slow")) {
      append(queue, 0, 8000);
      Member newest = late.join();
      assertThat(drain(newest)).isEmpty();
      Member member = slow.join();
      member.poll(1, Duration.ZERO);
      member.commit();
      assertThat(queue.trim()).isZero();
      assertThat(drain(member)).hasSize(7999);
      member.commit();
      append(queue, 8000, 8004);
      assertThat(drain(newest)).hasSize(4);
      newest.commit();
      queue.trim();
      assertThat(queue.describe())
          .allMatch(info -> info.segments() == 1 && info.removedRecords() > 1000);
    }
  }

  @Test
  void aGroupThatIsTooLateIsToldOrGoesOnFromTheOldest() {
    try (Queue queue = open(new MemoryDisk())) {
      append(queue, 0, 8000);
      try (Group group = queue.group("late");
          Member member = group.join()) {
        assertThat(member.poll(1, Duration.ZERO)).hasSize(1);
        member.commit();
      }
      long removed = 0;
      for (int partition = 0; partition < 4; partition++) {
        removed += queue.removeBefore(partition, 1500);
      }
      try (Group group = queue.group("late");
          Member member = group.join()) {
        assertThatThrownBy(() -> member.poll(1, Duration.ZERO))
            .isInstanceOf(BehindOldestException.class);
      }
      try (Group group = queue.group("late").goOnFromOldest();
          Member member = group.join()) {
        assertThat(drain(member)).hasSize((int) (8000 - removed));
      }
    }
  }

  @Test
  void twoProcessesCannotHaveOneGroup(@TempDir Path folder) {
    try (Queue queue = Queue.open(folder, "q", options);
        Group group = queue.group("g")) {
      try (Queue beside = Queue.openToRead(folder, "q").orElseThrow()) {
        assertThatThrownBy(() -> beside.group("g"))
            .isInstanceOf(OutsideException.class)
            .hasMessageContaining("group g is held by process");
      }
      assertThat(group.lag()).hasSize(4);
    }
  }

  /** What a test knows of a member: what it polled of each partition since it was given it. */
  private record Known(Member member, Map<Integer, List<Long>> polled) {}

  /**
   * Any order of joining, leaving, silence, polling and committing: committed positions only grow,
   * no commit leaves a gap, and in the end the group has read everything.
   */
  @Test
  void noHistoryLosesARecordOrCommitsOneThatWasNotRead() {
    Seeds.each(200, seed -> new GroupTest().simulate(seed));
  }

  private void simulate(long seed) {
    SplittableRandom dice = new SplittableRandom(seed);
    MemoryDisk disk = new MemoryDisk();
    try (Queue queue = open(disk);
        Group group = queue.group("g").silence(Duration.ofSeconds(10))) {
      List<Known> members = new ArrayList<>();
      Set<String> read = new TreeSet<>();
      int appended = 0;
      for (int step = 0; step < 120; step++) {
        long[] before = group.committed();
        int what = dice.nextInt(10);
        Known known = members.isEmpty() ? null : members.get(dice.nextInt(members.size()));
        if (what == 0) {
          append(queue, appended, appended += dice.nextInt(1, 60));
        } else if (what == 1 && members.size() < 6) {
          members.add(new Known(group.join(), new HashMap<>()));
        } else if (what == 2 && known != null) {
          known.member.close();
          members.remove(known);
        } else if (what == 3) {
          now.addAndGet(dice.nextInt(12_000));
        } else if (what < 8 && known != null) {
          for (QueueRecord record : known.member.poll(dice.nextInt(1, 30), Duration.ZERO)) {
            read.add(record.partition() + "@" + record.position());
            known
                .polled
                .computeIfAbsent(record.partition(), p -> new ArrayList<>())
                .add(record.position());
          }
        } else if (known != null) {
          Set<Integer> lost = Set.of();
          try {
            known.member.commit();
          } catch (HandedOverException e) {
            lost = e.partitions();
          }
          long[] after = group.committed();
          for (int partition = 0; partition < 4; partition++) {
            assertThat(after[partition])
                .as("seed %d", seed)
                .isGreaterThanOrEqualTo(before[partition]);
            if (lost.contains(partition)) {
              assertThat(after[partition]).as("seed %d", seed).isEqualTo(before[partition]);
            }
            for (long p = Math.max(0, before[partition]); p < after[partition]; p++) {
              assertThat(known.polled.getOrDefault(partition, List.of()))
                  .as("seed %d: position %d of %d was read by who committed it", seed, p, partition)
                  .contains(p);
            }
          }
        }
      }
      members.forEach(known -> known.member.close());
      Member last = group.join();
      List<QueueRecord> next = last.poll(100, Duration.ZERO);
      while (!next.isEmpty()) {
        next.forEach(record -> read.add(record.partition() + "@" + record.position()));
        next = last.poll(100, Duration.ZERO);
      }
      last.commit();
      assertThat(read).as("seed %d", seed).hasSize(appended);
      assertThat(group.lag()).allMatch(lag -> lag.records() == 0);
    }
  }

  @Test
  void membersInThreadsOfTheirOwnReadEverythingWhileOthersComeAndGo() throws Exception {
    QueueOptions quick = options.times(Duration.ofMillis(1), InstantSource.system());
    int records = 40_000;
    try (Queue queue = Queue.open(new MemoryDisk(), FOLDER, "q", quick, true, null);
        Group group = queue.group("g")) {
      Map<String, Integer> read = new ConcurrentHashMap<>();
      AtomicBoolean stop = new AtomicBoolean();
      List<Thread> threads = new ArrayList<>();
      List<Throwable> failures = new ArrayList<>();
      for (int t = 0; t < 3; t++) {
        SplittableRandom dice = new SplittableRandom(t);
        Thread thread =
            new Thread(
                () -> {
                  while (!stop.get()) {
                    try (Member member = group.join()) {
                      for (int polls = dice.nextInt(5, 40); polls > 0; polls--) {
                        member
                            .poll(dice.nextInt(1, 400), Duration.ofMillis(2))
                            .forEach(record -> read.merge(record.text(), 1, Integer::sum));
                        if (dice.nextBoolean()) {
                          member.commit();
                        }
                      }
                    } catch (HandedOverException e) {
                      // It joins again, and reads on from what is committed.
                    } catch (RuntimeException | Error e) {
                      failures.add(e);
                      return;
                    }
                  }
                });
        threads.add(thread);
        thread.start();
      }
      append(queue, 0, records);
      long until = System.nanoTime() + Duration.ofSeconds(30).toNanos();
      while (group.lag().stream().anyMatch(lag -> lag.records() > 0)
          && System.nanoTime() < until
          && failures.isEmpty()) {
        Thread.onSpinWait();
      }
      stop.set(true);
      for (Thread thread : threads) {
        thread.join();
      }
      assertThat(failures).isEmpty();
      assertThat(group.lag()).allMatch(lag -> lag.records() == 0);
      assertThat(read).hasSize(records);
    }
  }
}

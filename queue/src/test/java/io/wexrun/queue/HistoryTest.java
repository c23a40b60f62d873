package io.wexrun.queue;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.contract.Seeds;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.queue.disk.MemoryDisk;
import io.wexrun.queue.log.QueueRecord;
import java.nio.charset.StandardCharsets;
import java.nio.file.Path;
import java.time.Duration;
import java.time.Instant;
import java.time.InstantSource;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.SplittableRandom;
import java.util.TreeSet;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.ConcurrentLinkedQueue;
import java.util.concurrent.atomic.AtomicBoolean;
import java.util.concurrent.atomic.AtomicLong;
import org.junit.jupiter.api.Test;

/** What producers and members did and were told, compared with the contract. */
class HistoryTest {
  private static final Path FOLDER = Path.of("/q");
  private static final int PARTITIONS = 3;
  private static final int PRODUCERS = 2;
  private static final int KEYS = 4;

  private final AtomicLong now = new AtomicLong(1_000_000);
  private final InstantSource clock = () -> Instant.ofEpochMilli(now.get());
  private final QueueOptions options =
      QueueOptions.partitions(PARTITIONS)
          .sizes(4096, 250)
          .times(Duration.ofDays(1), clock)
          .bounds(1 << 20, Duration.ofSeconds(30), Duration.ofMillis(20));

  private Queue open(MemoryDisk disk) {
    return Queue.open(disk, FOLDER, "q", options, true, null);
  }

  /** What was seen, through all lives of the queue. */
  private static final class History {
    final Set<String> sent = ConcurrentHashMap.newKeySet();
    final Map<String, Appended> acknowledged = new ConcurrentHashMap<>();
    final Map<String, String> read = new ConcurrentHashMap<>();
    final ConcurrentLinkedQueue<Throwable> wrong = new ConcurrentLinkedQueue<>();
    final long[] next = new long[PRODUCERS];
    final long[] committed = new long[PARTITIONS];
    final long[] attempted = new long[PARTITIONS];

    void read(QueueRecord record) {
      String place = record.partition() + "@" + record.position();
      String before = read.putIfAbsent(place, record.text());
      if (before != null && !before.equals(record.text())) {
        throw new AssertionError(place + " was " + before + " and is " + record.text());
      }
    }

    /** Commits, and looks whether this member may: it has read all that nobody had committed. */
    synchronized void commit(Member member, Group group, Map<Integer, Set<Long>> polled) {
      long[] before = group.committed();
      for (int partition = 0; partition < PARTITIONS; partition++) {
        assertThat(before[partition]).isGreaterThanOrEqualTo(committed[partition] - 1);
        for (long position : polled.getOrDefault(partition, Set.of())) {
          attempted[partition] = Math.max(attempted[partition], position + 1);
        }
      }
      Set<Integer> lost = Set.of();
      try {
        member.commit();
      } catch (HandedOverException e) {
        lost = e.partitions();
      }
      long[] after = group.committed();
      for (int partition = 0; partition < PARTITIONS; partition++) {
        assertThat(after[partition])
            .as("positions only grow")
            .isGreaterThanOrEqualTo(before[partition]);
        if (lost.contains(partition)) {
          assertThat(after[partition]).as("a stale member").isEqualTo(before[partition]);
        }
        for (long p = Math.max(0, before[partition]); p < after[partition]; p++) {
          assertThat(polled.getOrDefault(partition, Set.of()))
              .as("read by who committed")
              .contains(p);
        }
        committed[partition] = Math.max(committed[partition], after[partition]);
      }
    }
  }

  private void produce(Queue queue, int number, SplittableRandom dice, History history) {
    String name = "p" + number;
    Map<Long, CompletableFuture<Appended>> futures = new LinkedHashMap<>();
    long from = history.next[number];
    try (Producer producer = queue.producer(name)) {
      for (long n = from; n < from + 60; n++) {
        String text = name + " " + n;
        history.sent.add(text);
        futures.put(n, producer.append(QueueMessage.of(text).key(name + n % KEYS).number(n)));
        if (dice.nextInt(6) == 0) {
          producer.flush();
        }
        if (dice.nextInt(4) == 0) {
          Thread.yield();
        }
      }
    } catch (OutsideException e) {
      assertThat(e.getMessage()).containsAnyOf("the power is gone", "hiccups");
    }
    long next = from;
    boolean all = true;
    for (Map.Entry<Long, CompletableFuture<Appended>> each : futures.entrySet()) {
      boolean told = each.getValue().isDone() && !each.getValue().isCompletedExceptionally();
      if (told) {
        Appended at = each.getValue().join();
        if (at.position() >= 0) {
          history.acknowledged.put(name + " " + each.getKey(), at);
        }
      }
      all &= told;
      next = all ? each.getKey() + 1 : next;
    }
    history.next[number] = next;
  }

  private void consume(
      Group group, SplittableRandom dice, History history, AtomicBoolean producing) {
    int rounds = 0;
    try {
      while (producing.get() || rounds++ < 5) {
        try (Member member = group.join()) {
          Map<Integer, Set<Long>> polled = new HashMap<>();
          for (int polls = dice.nextInt(1, 12); polls > 0; polls--) {
            for (QueueRecord record : member.poll(dice.nextInt(1, 20), Duration.ZERO)) {
              history.read(record);
              polled
                  .computeIfAbsent(record.partition(), p -> new TreeSet<>())
                  .add(record.position());
            }
            now.addAndGet(dice.nextInt(4));
            if (dice.nextInt(3) == 0) {
              history.commit(member, group, polled);
            }
          }
        }
      }
    } catch (OutsideException e) {
      assertThat(e.getMessage()).containsAnyOf("the power is gone", "hiccups");
    }
  }

  private static Thread start(Runnable work, History history) {
    Thread thread =
        new Thread(
            () -> {
              try {
                work.run();
              } catch (Throwable e) {
                history.wrong.add(e);
              }
            });
    thread.start();
    return thread;
  }

  private void live(MemoryDisk disk, SplittableRandom dice, History history) throws Exception {
    Queue queue = open(disk);
    long[] known = queue.committed("g");
    for (int partition = 0; partition < PARTITIONS; partition++) {
      assertThat(Math.max(0, known[partition]))
          .isBetween(
              history.committed[partition],
              Math.max(history.committed[partition], history.attempted[partition]));
    }
    Group group = queue.group("g").silence(Duration.ofMillis(20));
    AtomicBoolean producing = new AtomicBoolean(true);
    List<Thread> producers = new ArrayList<>();
    for (int number = 0; number < PRODUCERS; number++) {
      int which = number;
      SplittableRandom own = dice.split();
      producers.add(start(() -> produce(queue, which, own, history), history));
    }
    List<Thread> members = new ArrayList<>();
    for (int number = 0; number < 3; number++) {
      SplittableRandom own = dice.split();
      members.add(start(() -> consume(group, own, history, producing), history));
    }
    for (Thread producer : producers) {
      producer.join();
    }
    producing.set(false);
    for (Thread member : members) {
      member.join();
    }
    try (queue;
        group) {
      assertThat(history.wrong).isEmpty();
    } catch (OutsideException e) {
      assertThat(e.getMessage()).containsAnyOf("the power is gone", "hiccups");
    }
  }

  /** The contract, asked of what is there in the end. */
  private static void check(Queue queue, History history) {
    Map<String, QueueRecord> byText = new HashMap<>();
    Map<String, String> byPlace = new HashMap<>();
    long[] next = new long[PARTITIONS];
    Map<String, Long> lastOfKey = new HashMap<>();
    for (QueueRecord record : ProducerTest.all(queue)) {
      assertThat(byText.put(record.text(), record)).as("%s twice", record.text()).isNull();
      byPlace.put(record.partition() + "@" + record.position(), record.text());
      assertThat(record.position()).as("no gap").isEqualTo(next[record.partition()]++);
      long number = number(record.text());
      assertThat(lastOfKey.getOrDefault(record.keyText(), -1L)).as("order").isLessThan(number);
      lastOfKey.put(record.keyText(), number);
    }
    assertThat(history.sent).as("nothing that was never sent").containsAll(byText.keySet());
    history.acknowledged.forEach(
        (text, at) -> {
          assertThat(byText).as("acknowledged").containsKey(text);
          assertThat(byText.get(text).partition()).isEqualTo(at.partition());
          assertThat(byText.get(text).position()).isEqualTo(at.position());
        });
    assertThat(byPlace).as("what was read stays").containsAllEntriesOf(history.read);
  }

  /**
   * Producers and members in threads of their own, on a disk that hiccups, through losses of power
   * at any write; members join, leave, fall silent and commit late.
   */
  @Test
  void noHistoryBreaksTheContract() {
    Seeds.each(100, seed -> new HistoryTest().simulate(seed));
  }

  private void simulate(long seed) throws Exception {
    SplittableRandom dice = new SplittableRandom(seed);
    MemoryDisk disk = new MemoryDisk();
    History history = new History();
    try {
      for (int life = 0; life < 4; life++) {
        boolean last = life == 3;
        disk.dieAfter(last ? Long.MAX_VALUE : dice.nextInt(20, 250));
        disk.flaky(dice.split(), last ? 0 : 0.01);
        try {
          live(disk, dice, history);
        } catch (OutsideException e) {
          // On opening: the next life finds what this one left.
          assertThat(e.getMessage()).containsAnyOf("the power is gone", "hiccups");
        }
        disk = disk.afterPowerLoss(dice);
        try (Queue queue = open(disk)) {
          check(queue, history);
        }
      }
      try (Queue queue = open(disk);
          Group group = queue.group("g");
          Member member = group.join()) {
        List<QueueRecord> records = member.poll(100, Duration.ZERO);
        while (!records.isEmpty()) {
          records.forEach(history::read);
          records = member.poll(100, Duration.ZERO);
        }
        assertThat(history.read).as("all were read").hasSize(ProducerTest.all(queue).size());
      }
    } catch (AssertionError e) {
      throw new AssertionError("seed " + seed + ": " + e.getMessage(), e);
    }
  }

  /** A workload without chance; notes what it was told. */
  private void work(MemoryDisk disk, Set<String> acknowledged) {
    QueueOptions impatient = options.bounds(1 << 20, Duration.ofSeconds(30), Duration.ZERO);
    try (Queue queue = Queue.open(disk, FOLDER, "q", impatient, true, null);
        Producer producer = queue.producer("p0");
        Group group = queue.group("g");
        Member member = group.join()) {
      for (int batch = 0; batch < 25; batch++) {
        List<String> texts = new ArrayList<>();
        for (int number = batch * 7; number < batch * 7 + 7; number++) {
          String text = "p0 " + number + " ".repeat(number * 3 % 50);
          texts.add(text);
          producer.append(QueueMessage.of(text).key("p0" + number % KEYS).number(number));
        }
        producer.flush();
        acknowledged.addAll(texts);
        member.poll(9, Duration.ZERO);
        if (batch % 3 == 0) {
          member.commit();
        }
        if (batch % 10 == 9) {
          queue.removeBefore(0, 20);
        }
      }
    }
  }

  /**
   * The power goes at every single write, sync, cut, rename and removal of a workload, each time
   * with several outcomes of what had reached the disk; and again while the queue recovers.
   */
  @Test
  void afterTheLossOfPowerAtEveryWriteWhatWasAcknowledgedIsThereOnce() {
    int points = 0;
    boolean finished = false;
    while (!finished) {
      Set<String> acknowledged = new TreeSet<>();
      MemoryDisk disk = new MemoryDisk();
      disk.dieAfter(points);
      try {
        work(disk, acknowledged);
        finished = true;
      } catch (OutsideException e) {
        assertThat(e).hasMessageContaining("the power is gone");
      }
      for (int outcome = 0; outcome < 6; outcome++) {
        SplittableRandom dice = new SplittableRandom(points * 31L + outcome);
        MemoryDisk found = disk.afterPowerLoss(dice);
        found.dieAfter(dice.nextInt(8));
        try {
          open(found).close();
        } catch (OutsideException e) {
          assertThat(e).hasMessageContaining("the power is gone");
        }
        assertAllThere(found.afterPowerLoss(dice), acknowledged, points, outcome);
      }
      points++;
    }
    assertThat(points).as("so many writes").isGreaterThan(100);
  }

  private void assertAllThere(MemoryDisk disk, Set<String> acknowledged, int point, int outcome) {
    try (Queue queue = open(disk)) {
      List<String> texts = new ArrayList<>();
      Map<Integer, Long> last = new HashMap<>();
      for (QueueRecord record : ProducerTest.all(queue)) {
        texts.add(record.text());
        long number = number(record.text());
        assertThat(last.getOrDefault(record.partition(), -1L)).isLessThan(number);
        last.put(record.partition(), number);
      }
      Set<String> kept = new TreeSet<>(acknowledged);
      removed(queue, kept);
      assertThat(texts)
          .as("power lost at write %d, outcome %d", point, outcome)
          .doesNotHaveDuplicates()
          .containsAll(kept);
      assertThat(texts).allMatch(text -> text.startsWith("p0 "));
    }
  }

  /** Takes out what the workload has removed itself. */
  private static void removed(Queue queue, Set<String> acknowledged) {
    long oldest = queue.describe().get(0).oldest();
    List<String> inOrder = new ArrayList<>(acknowledged);
    inOrder.removeIf(text -> partition(text) != 0);
    inOrder.sort(Comparator.comparingLong(HistoryTest::number));
    inOrder.stream().limit(oldest).forEach(acknowledged::remove);
  }

  private static long number(String text) {
    return Long.parseLong(text.strip().split(" ")[1]);
  }

  private static int partition(String text) {
    byte[] key = ("p0" + number(text) % KEYS).getBytes(StandardCharsets.UTF_8);
    return Placement.byKey(key, 0, key.length, PARTITIONS);
  }
}

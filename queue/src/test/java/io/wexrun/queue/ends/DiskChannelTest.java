package io.wexrun.queue.ends;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import io.wexrun.contract.Seeds;
import io.wexrun.core.channel.Channel;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.framing.Lines;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Records;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.tally.Account;
import io.wexrun.core.tally.Counts;
import io.wexrun.queue.Queue;
import io.wexrun.queue.QueueOptions;
import io.wexrun.queue.care.Repairer;
import io.wexrun.queue.disk.MemoryDisk;
import io.wexrun.queue.log.Segment;
import java.nio.charset.StandardCharsets;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.SplittableRandom;
import org.junit.jupiter.api.Test;

class DiskChannelTest {
  private static final Path FOLDER = Path.of("/c");
  private static final byte[] HEADER = "the header".getBytes(StandardCharsets.UTF_8);

  private static DiskChannel open(
      MemoryDisk disk, long bound, Map<SourcePartition, Long> accounted) {
    QueueOptions options = DiskChannel.options(bound);
    return DiskChannel.of(
        Queue.open(disk, FOLDER, "channel/p", options, true, null), bound, accounted);
  }

  /** Some whole lines of a text, as an intake takes them. */
  private static Block block(SourcePartition source, byte[] text, long from, int lines) {
    int end = (int) from;
    for (int left = lines; left > 0 && end < text.length; left--) {
      while (text[end++] != '\n') {}
    }
    byte[] data = Arrays.copyOfRange(text, (int) from, end);
    return new Block(source, from, end, data, data.length, Lines.FRAMING, HEADER, 77);
  }

  private static byte[] text(SourcePartition source, int lines) {
    StringBuilder text = new StringBuilder();
    for (int i = 0; i < lines; i++) {
      text.append(source.name()).append(' ').append(i).append(" x".repeat(i * 7 % 30)).append('\n');
    }
    return text.toString().getBytes(StandardCharsets.UTF_8);
  }

  private static Account account(SourcePartition source, long from, long to) {
    return new Account(source, from, to, Counts.NONE);
  }

  /**
   * Several lives, each ended by a loss of power at any write: whatever the intake, the deliveries
   * and the tally had done by then, every line is accounted for once and in order.
   */
  @Test
  void throughAnyCrashesEveryRecordIsDeliveredInOrderAndAccountedForOnce() {
    Seeds.each(400, DiskChannelTest::simulate);
  }

  private static void simulate(long seed) {
    SplittableRandom dice = new SplittableRandom(seed);
    List<SourcePartition> sources =
        List.of(new SourcePartition("a"), new SourcePartition("~b"), new SourcePartition("c/d"));
    Map<SourcePartition, byte[]> texts = new HashMap<>();
    sources.forEach(source -> texts.put(source, text(source, 150)));
    Map<SourcePartition, Long> tally = new HashMap<>();
    MemoryDisk disk = new MemoryDisk();
    for (int life = 0; life < 5; life++) {
      boolean last = life == 4;
      disk.dieAfter(last ? Long.MAX_VALUE : dice.nextInt(2, 60));
      try {
        live(open(disk, 1 << 20, tally), sources, texts, tally, dice, last, seed);
      } catch (OutsideException e) {
        assertThat(e).as("seed %d", seed).hasMessageContaining("the power is gone");
      }
      disk = disk.afterPowerLoss(dice);
    }
    texts.forEach(
        (source, text) ->
            assertThat(tally).as("seed %d", seed).containsEntry(source, (long) text.length));
    try (DiskChannel empty = open(disk, 1 << 20, tally)) {
      assertThat(empty.held()).hasValue(0);
    }
  }

  private static void live(
      DiskChannel channel,
      List<SourcePartition> sources,
      Map<SourcePartition, byte[]> texts,
      Map<SourcePartition, Long> tally,
      SplittableRandom dice,
      boolean last,
      long seed) {
    Map<SourcePartition, Long> taken = new HashMap<>();
    sources.forEach(source -> taken.put(source, channel.begin(source, 0)));
    Map<SourcePartition, Long> delivered = new HashMap<>(tally);
    assertThat(channel.held()).hasValue(lines(texts, taken) - lines(texts, tally));
    for (int step = 0; step < 200 || last; step++) {
      int what = dice.nextInt(4);
      SourcePartition source = sources.get(dice.nextInt(sources.size()));
      long from = taken.getOrDefault(source, 0L);
      if (what < 2 && from < texts.get(source).length) {
        Block block = block(source, texts.get(source), from, dice.nextInt(1, 12));
        put(channel, block);
        taken.put(source, block.end());
        if (dice.nextInt(5) == 0) {
          channel.sync();
        }
      } else if (what == 2 && dice.nextInt(10) == 0) {
        assertThat(channel.rewind()).isEmpty();
        delivered.clear();
        delivered.putAll(tally);
      } else if (what == 2) {
        Optional<Block> block = channel.take();
        if (block.isPresent()) {
          deliver(block.get(), texts, delivered, seed);
        }
      } else if (delivered.containsKey(source)) {
        long to = delivered.get(source);
        long accounted = tally.getOrDefault(source, 0L);
        if (to > accounted) {
          tally.put(source, to);
          channel.accounted(List.of(account(source, accounted, to)));
        }
      }
      boolean all =
          sources.stream().allMatch(s -> tally.getOrDefault(s, 0L) == texts.get(s).length);
      if (all) {
        break;
      }
    }
    channel.close();
  }

  private static void put(DiskChannel channel, Block block) {
    assertThat(channel.put(block)).isEqualTo(Channel.Put.TAKEN);
  }

  private static void deliver(
      Block block,
      Map<SourcePartition, byte[]> texts,
      Map<SourcePartition, Long> delivered,
      long seed) {
    assertThat(block.first())
        .as("seed %d: the next block of %s", seed, block.source())
        .isEqualTo(delivered.getOrDefault(block.source(), 0L));
    Records records = block.records();
    String text = new String(texts.get(block.source()), StandardCharsets.UTF_8);
    List<String> expected = text.substring((int) block.first(), (int) block.end()).lines().toList();
    List<String> got = new ArrayList<>();
    for (int i = 0; i < records.count(); i++) {
      got.add(new String(records.bytes(i), StandardCharsets.UTF_8));
      assertThat(records.taken(i)).isEqualTo(77);
    }
    assertThat(got).isEqualTo(expected);
    assertThat(records.header()).isEqualTo(HEADER);
    delivered.put(block.source(), block.end());
  }

  private static long lines(Map<SourcePartition, byte[]> texts, Map<SourcePartition, Long> to) {
    long lines = 0;
    for (Map.Entry<SourcePartition, Long> each : to.entrySet()) {
      for (int at = 0; at < each.getValue(); at++) {
        lines += texts.get(each.getKey())[at] == '\n' ? 1 : 0;
      }
    }
    return lines;
  }

  @Test
  void aTallyWithinABlockCutsItsHead() {
    SourcePartition source = new SourcePartition("a");
    byte[] text = text(source, 20);
    MemoryDisk disk = new MemoryDisk();
    try (DiskChannel channel = open(disk, 1 << 20, Map.of())) {
      put(channel, block(source, text, 0, 20));
    }
    long within = block(source, text, 0, 5).end();
    try (DiskChannel channel = open(disk, 1 << 20, Map.of(source, within))) {
      Block rest = channel.take().orElseThrow();
      assertThat(rest.first()).isEqualTo(within);
      Records records = rest.records();
      assertThat(records.count()).isEqualTo(15);
      assertThat(records.position(0)).isEqualTo(within);
      assertThat(new String(records.bytes(14), StandardCharsets.UTF_8)).startsWith("a 19");
    }
  }

  /** Puts blocks until there is no room, or enough were put; says where they end. */
  private static long fill(DiskChannel channel, byte[] noise, long from) {
    long end = from;
    while (end < 600_000) {
      Block block =
          new Block(
              new SourcePartition("a"),
              end,
              end + noise.length,
              noise,
              noise.length,
              Lines.FRAMING);
      if (channel.put(block) == Channel.Put.FULL) {
        return end;
      }
      end = block.end();
    }
    return end;
  }

  @Test
  void aFullChannelWaitsForTheTallyAndGivesItsRoomBack() throws Exception {
    SourcePartition source = new SourcePartition("a");
    SplittableRandom dice = new SplittableRandom(1);
    byte[] noise = new byte[20_000];
    dice.nextBytes(noise);
    MemoryDisk disk = new MemoryDisk();
    try (DiskChannel channel = open(disk, 100_000, Map.of())) {
      long end = fill(channel, noise, 0);
      assertThat(end).isBetween(40_000L, 100_000L);
      long accounted = 0;
      while (accounted < 600_000) {
        Optional<Block> next = channel.take();
        assertThat(next).isPresent();
        Block block = next.get();
        channel.accounted(List.of(account(source, accounted, block.end())));
        accounted = block.end();
        end = fill(channel, noise, end);
      }
      assertThat(channel.held()).hasValue(0);
      assertThat(disk.list(FOLDER.resolve("p0"))).hasSizeLessThan(4);
    }
  }

  @Test
  void aBlockThatFoundNoRoomOnTheDiskIsPutAgain() {
    SourcePartition source = new SourcePartition("a");
    byte[] text = text(source, 40);
    MemoryDisk disk = new MemoryDisk();
    try (DiskChannel channel = open(disk, 1 << 20, Map.of())) {
      Block first = block(source, text, 0, 20);
      put(channel, first);
      Block second = block(source, text, first.end(), 20);
      disk.fullAfter(60);
      assertThatThrownBy(() -> channel.put(second)).hasMessageContaining("No space left");
      assertThat(channel.held()).hasValue(20);
      disk.fullAfter(Long.MAX_VALUE);
      put(channel, second);
      assertThat(channel.held()).hasValue(40);
      Map<SourcePartition, Long> delivered = new HashMap<>();
      for (int i = 0; i < 2; i++) {
        deliver(channel.take().orElseThrow(), Map.of(source, text), delivered, 0);
      }
    }
  }

  @Test
  void lostBlocksAreTakenAgain() throws Exception {
    SourcePartition source = new SourcePartition("a");
    byte[] text = text(source, 60);
    MemoryDisk disk = new MemoryDisk();
    try (DiskChannel channel = open(disk, 1 << 20, Map.of())) {
      for (long from = 0; from < text.length; ) {
        Block block = block(source, text, from, 20);
        put(channel, block);
        from = block.end();
      }
    }
    Path file = FOLDER.resolve("p0").resolve(Segment.name(0));
    try (Queue queue = Queue.open(disk, FOLDER, "c", DiskChannel.options(1 << 20), true, null)) {
      disk.damage(file, (int) (queue.partition(0).bytes() / 2));
    }
    assertThatThrownBy(() -> open(disk, 1 << 20, Map.of())).hasMessageContaining("queue repair");
    assertThat(new Repairer(disk, FOLDER, 0, false).repair(List.of()).lost()).isEqualTo(1);
    try (DiskChannel channel = open(disk, 1 << 20, Map.of())) {
      long from = channel.begin(source, 0);
      assertThat(from).isEqualTo(block(source, text, 0, 20).end());
      put(channel, block(source, text, from, 40));
      Map<SourcePartition, Long> delivered = new HashMap<>();
      Map<SourcePartition, byte[]> texts = Map.of(source, text);
      deliver(channel.take().orElseThrow(), texts, delivered, 0);
      deliver(channel.take().orElseThrow(), texts, delivered, 0);
      assertThat(delivered).containsEntry(source, (long) text.length);
      assertThatThrownBy(() -> channel.put(new Block(source, 0, 1, text, 1, whole -> null)))
          .hasMessageContaining("their framing has no form");
    }
  }
}

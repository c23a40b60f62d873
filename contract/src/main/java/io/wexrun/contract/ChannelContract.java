package io.wexrun.contract;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.core.channel.Channel;
import io.wexrun.core.framing.Lines;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.FilePlace;
import io.wexrun.core.intake.Records;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.tally.Account;
import io.wexrun.core.tally.Counts;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.SplittableRandom;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.stream.LongStream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.MethodSource;

/** What every {@link Channel} must do. An implementation's test extends this. */
public abstract class ChannelContract {
  private static final SourcePartition A = new SourcePartition("a.log");
  private static final SourcePartition B = new SourcePartition("~b/c");
  private static final byte[] HEADER = "a header".getBytes(StandardCharsets.UTF_8);
  private static final FilePlace PLACE = new FilePlace("in/a.csv", 12, "depot-3");
  private static final byte[] TEXT = text();

  /**
   * Opens the channel of one pipeline; what was opened before was closed.
   *
   * @param bytes about how many bytes it may hold
   * @param accounted the positions of the tally
   */
  protected abstract Channel open(long bytes, Map<SourcePartition, Long> accounted);

  private Channel open() {
    return open(1 << 20, Map.of());
  }

  private static byte[] text() {
    StringBuilder text = new StringBuilder();
    for (int i = 0; i < 200; i++) {
      text.append("line ").append(i).append(" x".repeat(i * 7 % 30)).append('\n');
    }
    return text.toString().getBytes(StandardCharsets.UTF_8);
  }

  /** Some whole lines from a position on. */
  private static Block lines(SourcePartition source, long from, int lines) {
    int end = (int) from;
    for (int left = lines; left > 0 && end < TEXT.length; left--) {
      end = end(end);
    }
    byte[] data = Arrays.copyOfRange(TEXT, (int) from, end);
    return new Block(source, from, end, data, data.length, Lines.FRAMING, HEADER, 77, 66, PLACE);
  }

  private static int end(int from) {
    int end = from;
    while (TEXT[end] != '\n') {
      end++;
    }
    return end + 1;
  }

  private static boolean put(Channel channel, Block block) {
    return channel.put(block) == Channel.Put.TAKEN;
  }

  private static Account account(SourcePartition source, long from, long to) {
    return new Account(source, from, to, Counts.NONE);
  }

  private static void assertSame(Block got, Block put) {
    assertThat(got.source()).isEqualTo(put.source());
    assertThat(got.first()).isEqualTo(put.first());
    assertThat(got.end()).isEqualTo(put.end());
    Records records = got.records();
    Records expected = put.records();
    assertThat(records.count()).isEqualTo(expected.count());
    for (int i = 0; i < records.count(); i++) {
      assertThat(records.bytes(i)).isEqualTo(expected.bytes(i));
      assertThat(records.position(i)).isEqualTo(expected.position(i));
      assertThat(records.taken(i)).isEqualTo(expected.taken(i));
      assertThat(records.written(i)).isEqualTo(expected.written(i));
    }
    assertThat(records.header()).isEqualTo(expected.header());
    assertThat(got.place()).isEqualTo(put.place());
  }

  @Test
  void blocksAreTakenAsTheyWerePut() {
    try (Channel channel = open()) {
      assertThat(channel.begin(A, 0)).isZero();
      assertThat(channel.begin(B, 5)).isEqualTo(5);
      assertThat(channel.take()).isEmpty();
      Block first = lines(A, 0, 3);
      Block second = lines(A, first.end(), 9);
      assertThat(put(channel, first)).isTrue();
      assertThat(put(channel, second)).isTrue();
      assertSame(channel.take().orElseThrow(), first);
      assertSame(channel.take().orElseThrow(), second);
      assertThat(channel.take()).isEmpty();
      assertThat(channel.exhausted()).isFalse();
      channel.end();
      assertThat(channel.exhausted()).isTrue();
    }
  }

  @Test
  void whatDoesNotFollowIsPassedOver() {
    try (Channel channel = open()) {
      channel.begin(A, 0);
      Block first = lines(A, 0, 3);
      Block second = lines(A, first.end(), 3);
      Block third = lines(A, second.end(), 3);
      assertThat(put(channel, third)).as("passed over, not failed").isTrue();
      put(channel, first);
      put(channel, first);
      put(channel, third);
      Block overlapping = lines(A, 0, 6);
      put(channel, overlapping);
      put(channel, third);
      assertSame(channel.take().orElseThrow(), first);
      assertSame(channel.take().orElseThrow(), second);
      assertSame(channel.take().orElseThrow(), third);
      assertThat(channel.take()).isEmpty();
    }
  }

  @Test
  void itGoesOnBehindTheTally() {
    Block first = lines(A, 0, 3);
    try (Channel channel = open(1 << 20, Map.of(A, first.end()))) {
      assertThat(channel.begin(A, 0)).isEqualTo(first.end());
      put(channel, first);
      assertThat(channel.take()).isEmpty();
      put(channel, lines(A, first.end(), 2));
      assertThat(channel.take()).isPresent();
    }
  }

  @Test
  void afterARewindEverythingThatIsNotAccountedForIsDeliveredAgain() {
    try (Channel channel = open()) {
      channel.begin(A, 0);
      channel.begin(B, 0);
      Block first = lines(A, 0, 3);
      Block second = lines(A, first.end(), 3);
      Block other = lines(B, 0, 2);
      put(channel, first);
      put(channel, other);
      put(channel, second);
      channel.take();
      channel.take();
      channel.accounted(List.of(account(A, 0, first.end())));
      Map<SourcePartition, Long> back = channel.rewind();
      // What the channel does not have any more, the intake takes again.
      if (back.containsKey(B)) {
        assertThat(back).containsEntry(B, 0L);
        put(channel, second.with(second.end(), second.framing()));
        put(channel, lines(B, 0, 2));
      }
      if (back.containsKey(A)) {
        assertThat(back).containsEntry(A, first.end());
      }
      List<Block> again = new ArrayList<>();
      Optional<Block> next = channel.take();
      while (next.isPresent()) {
        again.add(next.get());
        next = channel.take();
      }
      assertThat(again).hasSize(2);
      again.forEach(block -> assertSame(block, block.source().equals(A) ? second : other));
    }
  }

  @Test
  void whoTakesIsToldWhenThereIsSomething() {
    try (Channel channel = open()) {
      AtomicInteger told = new AtomicInteger();
      channel.listen(told::incrementAndGet);
      channel.begin(A, 0);
      put(channel, lines(A, 0, 1));
      assertThat(told).hasValue(1);
      channel.end();
      assertThat(told).hasValue(2);
      assertThat(put(channel, lines(A, lines(A, 0, 1).end(), 1))).as("it has ended").isFalse();
    }
  }

  /** Puts blocks that cannot be made smaller, and says how many were taken. */
  private static int fill(Channel channel, long from) {
    byte[] noise = new byte[3000];
    new SplittableRandom(1).nextBytes(noise);
    int put = 0;
    long at = from;
    while (put(channel, new Block(A, at, at + 3000, noise, 3000, Lines.FRAMING))) {
      at += 3000;
      put++;
      assertThat(put).isLessThan(100);
    }
    return put;
  }

  private static Block noise(int number) {
    return new Block(A, number * 3000L, number * 3000L + 3000, new byte[3000], 3000, Lines.FRAMING);
  }

  @Test
  void aFullChannelTellsWhenThereIsRoomAgain() {
    try (Channel channel = open(4096, Map.of())) {
      channel.begin(A, 0);
      AtomicInteger room = new AtomicInteger();
      channel.listenForRoom(room::incrementAndGet);
      int put = fill(channel, 0);
      assertThat(put).isPositive();
      assertThat(channel.put(noise(put))).isEqualTo(Channel.Put.FULL);
      assertThat(room).hasValue(0);
      for (int i = 0; i < put; i++) {
        Block block = channel.take().orElseThrow();
        channel.accounted(List.of(account(A, block.first(), block.end())));
      }
      assertThat(room).hasPositiveValue();
      assertThat(channel.put(noise(put))).isEqualTo(Channel.Put.TAKEN);
    }
  }

  @Test
  void whoWaitsForRoomIsToldThatTheChannelHasEnded() {
    try (Channel channel = open(4096, Map.of())) {
      channel.begin(A, 0);
      int put = fill(channel, 0);
      AtomicInteger room = new AtomicInteger();
      channel.listenForRoom(room::incrementAndGet);
      channel.end();
      assertThat(room).hasPositiveValue();
      assertThat(channel.put(noise(put))).isEqualTo(Channel.Put.ENDED);
    }
  }

  @Test
  void anAbandonedChannelTakesInWhatFitsAndNoMore() {
    try (Channel channel = open(4096, Map.of())) {
      channel.begin(A, 0);
      channel.abandon();
      int put = fill(channel, 0);
      assertThat(put).isPositive();
      assertThat(channel.put(noise(put))).isEqualTo(Channel.Put.ENDED);
    }
  }

  @Test
  void whatOutlivesTheRunIsThereForTheNextOne() {
    Block first = lines(A, 0, 3);
    Block second = lines(A, first.end(), 3);
    Block third = lines(A, second.end(), 3);
    boolean outlives;
    try (Channel channel = open()) {
      outlives = channel.outlivesRun();
      channel.begin(A, 0);
      put(channel, first);
      put(channel, second);
      Map<SourcePartition, Long> durable = channel.sync();
      assertThat(durable).isEqualTo(outlives ? Map.of(A, second.end()) : Map.of());
      assertThat(channel.sync()).as("nothing has changed").isEmpty();
      channel.accounted(List.of(account(A, 0, first.end())));
      put(channel, third);
    }
    try (Channel channel = open(1 << 20, Map.of(A, first.end()))) {
      assertThat(channel.begin(A, 0)).isEqualTo(outlives ? third.end() : first.end());
      if (outlives) {
        assertThat(channel.held()).hasValue(6);
        assertSame(channel.take().orElseThrow(), second);
        assertSame(channel.take().orElseThrow(), third);
      }
      assertThat(channel.take()).isEmpty();
    }
  }

  static LongStream seeds() {
    return Seeds.some(10);
  }

  /** Runs end at any moment, deliveries fail; every line is accounted for in order. */
  @ParameterizedTest
  @MethodSource("seeds")
  void whateverEndsARunEachLineIsDeliveredInOrder(long seed) {
    SplittableRandom dice = new SplittableRandom(seed);
    Map<SourcePartition, Long> tally = new HashMap<>();
    for (int life = 0; life < 40 && !done(tally); life++) {
      try (Channel channel = open(1 << 20, Map.copyOf(tally))) {
        live(channel, tally, dice, seed);
      }
    }
    assertThat(tally).as("seed %d", seed).isEqualTo(Map.of(A, all(), B, all()));
  }

  private static long all() {
    return TEXT.length;
  }

  private static boolean done(Map<SourcePartition, Long> tally) {
    return tally.getOrDefault(A, 0L) == all() && tally.getOrDefault(B, 0L) == all();
  }

  private static void live(
      Channel channel, Map<SourcePartition, Long> tally, SplittableRandom dice, long seed) {
    Map<SourcePartition, Long> next = new HashMap<>();
    List.of(A, B).forEach(source -> next.put(source, channel.begin(source, 0)));
    Map<SourcePartition, Long> delivered = new HashMap<>(tally);
    for (int step = 0; step < 120; step++) {
      SourcePartition source = dice.nextBoolean() ? A : B;
      int what = dice.nextInt(10);
      if (what < 4 && next.get(source) < all()) {
        Block block = lines(source, next.get(source), dice.nextInt(1, 12));
        assertThat(put(channel, block)).isTrue();
        next.put(source, block.end());
      } else if (what == 4) {
        channel.sync();
      } else if (what == 5 && dice.nextInt(4) == 0) {
        next.putAll(channel.rewind());
        delivered.clear();
        delivered.putAll(tally);
      } else if (what < 8) {
        channel
            .take()
            .ifPresent(
                block -> {
                  long expected = delivered.getOrDefault(block.source(), 0L);
                  assertThat(block.first()).as("seed %d", seed).isEqualTo(expected);
                  delivered.put(block.source(), block.end());
                });
      } else {
        long from = tally.getOrDefault(source, 0L);
        long to = delivered.getOrDefault(source, 0L);
        if (to > from) {
          channel.accounted(List.of(account(source, from, to)));
          tally.put(source, to);
        }
      }
    }
  }
}

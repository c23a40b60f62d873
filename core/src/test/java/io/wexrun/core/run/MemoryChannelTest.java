package io.wexrun.core.run;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.core.framing.Lines;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.SourcePartition;
import java.util.Optional;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.TimeUnit;
import org.junit.jupiter.api.Test;

class MemoryChannelTest {
  private static Block block(int length) {
    byte[] data = new byte[length];
    return new Block(new SourcePartition("s"), 0, length, data, length, Lines.FRAMING);
  }

  private static CompletableFuture<Boolean> putLater(MemoryChannel channel, Block block) {
    return CompletableFuture.supplyAsync(
        () -> {
          try {
            return channel.put(block);
          } catch (InterruptedException e) {
            throw new IllegalStateException(e);
          }
        });
  }

  @Test
  void aFullChannelHoldsUpTheIntakeUntilBytesAreReleased() throws Exception {
    MemoryChannel channel = new MemoryChannel(10);
    Block first = block(6);
    assertThat(channel.put(first)).isTrue();
    CompletableFuture<Boolean> second = putLater(channel, block(6));
    assertThat(channel.take().orElseThrow().number()).isZero();
    // Taken is not enough: the bytes count until the rows are with their targets.
    assertThat(second).isNotDone();
    channel.release(first);
    assertThat(second.get(10, TimeUnit.SECONDS)).isTrue();
    assertThat(channel.take().orElseThrow().number()).isEqualTo(1);
  }

  @Test
  void aBlockLargerThanTheBoundPassesAlone() throws Exception {
    MemoryChannel channel = new MemoryChannel(10);
    assertThat(channel.put(block(99))).isTrue();
    CompletableFuture<Boolean> next = putLater(channel, block(1));
    channel.release(channel.take().orElseThrow().block());
    assertThat(next.get(10, TimeUnit.SECONDS)).isTrue();
  }

  @Test
  void aClosedChannelGivesWhatItHasAndTakesNothing() throws Exception {
    MemoryChannel channel = new MemoryChannel(10);
    channel.put(block(1));
    assertThat(channel.close()).isEqualTo(1);
    assertThat(channel.put(block(1))).isFalse();
    assertThat(channel.take()).isPresent();
    assertThat(channel.take()).isEqualTo(Optional.empty());
  }

  @Test
  void anAbandonedChannelFreesWhoWaits() throws Exception {
    MemoryChannel channel = new MemoryChannel(10);
    channel.put(block(10));
    CompletableFuture<Boolean> waiting = putLater(channel, block(10));
    channel.abandon();
    assertThat(waiting.get(10, TimeUnit.SECONDS)).isFalse();
    assertThat(channel.take()).isEmpty();
  }
}

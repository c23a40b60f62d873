package io.wexrun.core.channel;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.core.framing.Lines;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.SourcePartition;
import java.util.Map;
import org.junit.jupiter.api.Test;

class MemoryChannelTest {
  private static final SourcePartition S = new SourcePartition("s");

  private final Memory memory = new Memory(10);
  private final MemoryChannel channel = new MemoryChannel(memory.share(), Map.of());

  private static Block block(long first, int length) {
    byte[] data = new byte[length];
    return new Block(S, first, first + length, data, length, Lines.FRAMING);
  }

  @Test
  void aFullChannelHoldsUpTheIntakeUntilABlockIsTaken() {
    channel.begin(S, 0);
    assertThat(channel.put(block(0, 6))).isEqualTo(Channel.Put.TAKEN);
    assertThat(channel.put(block(6, 6))).isEqualTo(Channel.Put.FULL);
    assertThat(channel.take().orElseThrow().first()).isZero();
    assertThat(channel.put(block(6, 6))).isEqualTo(Channel.Put.TAKEN);
    assertThat(channel.take().orElseThrow().first()).isEqualTo(6);
  }

  @Test
  void aBlockLargerThanTheBoundPassesAlone() {
    channel.begin(S, 0);
    assertThat(channel.put(block(0, 99))).isEqualTo(Channel.Put.TAKEN);
    assertThat(channel.put(block(99, 1))).isEqualTo(Channel.Put.FULL);
    channel.take().orElseThrow();
    assertThat(channel.put(block(99, 1))).isEqualTo(Channel.Put.TAKEN);
  }

  @Test
  void nobodyStarvesBesideOneThatHoldsMuch() {
    Memory shared = new Memory(100);
    Memory.Share much = shared.share();
    Memory.Share little = shared.share();
    much.take(100);
    assertThat(much.room(1)).isFalse();
    assertThat(little.room(60)).as("one thing in any case").isTrue();
    little.take(10);
    assertThat(little.room(15)).as("half of an equal part").isTrue();
    assertThat(little.room(16)).isFalse();
    much.close();
    assertThat(little.room(90)).isTrue();
    assertThat(shared.held()).isEqualTo(10);
  }
}

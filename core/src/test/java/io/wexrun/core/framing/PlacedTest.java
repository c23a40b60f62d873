package io.wexrun.core.framing;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Records;
import io.wexrun.core.intake.SourcePartition;
import java.util.ArrayList;
import java.util.List;
import java.util.SplittableRandom;
import net.jqwik.api.ForAll;
import net.jqwik.api.Property;
import org.junit.jupiter.api.Test;

class PlacedTest {
  private static final SourcePartition OUTBOX = new SourcePartition("outbox");

  @Property(tries = 200)
  void eachRecordHasItsBytesAndItsPosition(@ForAll long seed) {
    SplittableRandom dice = new SplittableRandom(seed);
    long first = dice.nextLong(0, 1L << 40);
    Placed placed = Placed.block(OUTBOX, first);
    List<Long> positions = new ArrayList<>();
    List<byte[]> bytes = new ArrayList<>();
    long position = first + dice.nextLong(3);
    for (int left = dice.nextInt(1, 60); left > 0; left--) {
      byte[] record = new byte[dice.nextInt(300)];
      dice.nextBytes(record);
      placed.add(position, record);
      positions.add(position);
      bytes.add(record);
      position += 1 + dice.nextLong(dice.nextBoolean() ? 2 : 1L << 35);
    }
    Block block = placed.build(7);
    assertThat(block.end()).isEqualTo(positions.get(positions.size() - 1) + 1);
    assertThat(Framings.named(block.framing().form())).contains(block.framing());
    Records records = block.records();
    assertThat(records.count()).isEqualTo(positions.size());
    for (int i = 0; i < records.count(); i++) {
      assertThat(records.position(i)).isEqualTo(positions.get(i));
      assertThat(records.bytes(i)).isEqualTo(bytes.get(i));
      assertThat(records.positionsOnly().position(i)).isEqualTo(positions.get(i));
    }
    int cut = dice.nextInt(records.count());
    Records rest = block.since(positions.get(cut)).records();
    assertThat(rest.count()).isEqualTo(records.count() - cut);
    assertThat(rest.position(0)).isEqualTo(positions.get(cut));
    assertThat(rest.bytes(0)).isEqualTo(bytes.get(cut));
    assertThat(records.before(positions.get(cut)).count()).isEqualTo(cut);
  }

  @Test
  void positionsAscendAndABlockIsNotEmpty() {
    Placed placed = Placed.block(OUTBOX, 5);
    assertThatThrownBy(() -> placed.build(0)).isInstanceOf(IllegalStateException.class);
    byte[] record = {1};
    assertThatThrownBy(() -> placed.add(4, record)).isInstanceOf(IllegalArgumentException.class);
    placed.add(5, record);
    assertThatThrownBy(() -> placed.add(5, record)).isInstanceOf(IllegalArgumentException.class);
  }
}

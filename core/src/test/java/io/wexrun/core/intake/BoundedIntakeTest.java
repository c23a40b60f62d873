package io.wexrun.core.intake;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.core.framing.Lines;
import java.nio.charset.StandardCharsets;
import java.time.Duration;
import java.util.ArrayDeque;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Queue;
import org.junit.jupiter.api.Test;

class BoundedIntakeTest {
  private static final SourcePartition A = new SourcePartition("a");
  private static final SourcePartition B = new SourcePartition("b");

  /** Blocks given beforehand. */
  private static final class Given implements Intake {
    private final Queue<Block> blocks = new ArrayDeque<>();
    private final List<SourcePartition> assigned = new ArrayList<>();
    private boolean closed;

    Given add(SourcePartition source, long first, String lines) {
      byte[] data = lines.getBytes(StandardCharsets.US_ASCII);
      blocks.add(new Block(source, first, first + data.length, data, data.length, Lines.FRAMING));
      return this;
    }

    @Override
    public List<Source> look() {
      return List.of(new Source(A, Optional.empty(), 0), new Source(B, Optional.empty(), 0));
    }

    @Override
    public void assign(SourcePartition partition, long position) {
      assigned.add(partition);
    }

    @Override
    public void revoke(SourcePartition partition) {
      assigned.remove(partition);
    }

    @Override
    public Optional<Block> poll(Duration wait) {
      return Optional.ofNullable(blocks.poll());
    }

    @Override
    public boolean drained() {
      return blocks.isEmpty();
    }

    @Override
    public void close() {
      closed = true;
    }
  }

  @Test
  void onlyTheRecordsBeforeTheBoundsCome() {
    Given given =
        new Given()
            .add(A, 0, "a1\na2\n")
            .add(B, 0, "b1\n")
            .add(A, 6, "a3\na4\n")
            .add(A, 12, "a5\n");
    BoundedIntake bounded = new BoundedIntake(given, Map.of(A, 9L));
    new Assigner(bounded, Map.of()).look();
    assertThat(given.assigned).containsExactly(A);
    List<String> records = new ArrayList<>();
    long end = 0;
    while (!bounded.drained()) {
      Optional<Block> block = bounded.poll(Duration.ZERO);
      if (block.isPresent()) {
        end = block.get().end();
        Records cut = block.get().records();
        for (int i = 0; i < cut.count(); i++) {
          records.add(new String(cut.bytes(i), StandardCharsets.US_ASCII));
        }
      }
    }
    assertThat(records).containsExactly("a1", "a2", "a3");
    assertThat(end).isEqualTo(9);
    assertThat(given.blocks).hasSize(1);
    bounded.close();
    assertThat(given.closed).isTrue();
  }

  @Test
  void whatIsBoundedBehindTheEndIsDrainedWithItsSource() {
    BoundedIntake bounded = new BoundedIntake(new Given().add(A, 0, "a1\n"), Map.of(A, 99L));
    assertThat(bounded.poll(Duration.ZERO)).isPresent();
    assertThat(bounded.poll(Duration.ZERO)).isEmpty();
    assertThat(bounded.drained()).isTrue();
  }
}

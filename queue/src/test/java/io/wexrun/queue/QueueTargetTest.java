package io.wexrun.queue;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import io.wexrun.contract.TargetContract;
import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.LongVector;
import io.wexrun.core.batch.Rows;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.dead.DeadLetter;
import io.wexrun.core.dead.Reason;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Records;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.target.Flush;
import io.wexrun.core.target.Target;
import java.nio.charset.StandardCharsets;
import java.nio.file.Path;
import java.time.Duration;
import java.util.ArrayList;
import java.util.HexFormat;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/** A queue as target and as intake. */
class QueueTargetTest extends TargetContract {
  @TempDir private Path folder;
  private Queue queue;

  private Queue queue() {
    if (queue != null) {
      queue.close();
    }
    queue = Queue.open(folder, "q", QueueOptions.partitions(3));
    return queue;
  }

  @AfterEach
  void closeQueue() {
    if (queue != null) {
      queue.close();
    }
  }

  @Override
  protected Target open(String pipeline) {
    return new QueueTarget(queue(), pipeline);
  }

  @Override
  protected List<String> committed() {
    List<String> keys = new ArrayList<>();
    Reader reader = queue.readFromOldest();
    List<QueueRecord> next = reader.poll(1000, Duration.ZERO);
    while (!next.isEmpty()) {
      next.forEach(r -> keys.add(r.keyText()));
      next = reader.poll(1000, Duration.ZERO);
    }
    return keys;
  }

  @Test
  void deadLettersAreRecordsWithHeaders() {
    byte[] raw = {'b', (byte) 0xE9, 'd'};
    Records records = Records.atBytes(raw, new int[] {0}, new int[] {3}, 1, 77, null);
    LongVector position = new LongVector(1);
    position.append(77);
    List<TextVector> texts = new ArrayList<>();
    for (String text :
        List.of("bad-encoding", "shape[0].template", "", "byte 2 is 0xE9", "a.log")) {
      TextVector vector = new TextVector(1, 20);
      vector.append(text);
      texts.add(vector);
    }
    Batch batch =
        new Batch(
            DeadLetter.SCHEMA,
            List.of(texts.get(0), texts.get(1), texts.get(2), texts.get(3), texts.get(4), position),
            1,
            records,
            new int[] {0});
    Target target = open("p");
    target.stage(new Flush(List.of(new Flush.Part(A, 80, Rows.all(batch))))).commit();
    QueueRecord record = queue.readFromOldest().poll(1, Duration.ZERO).get(0);
    DeadLetter letter = DeadLetters.read(record);
    assertThat(letter.raw()).isEqualTo(raw);
    assertThat(letter)
        .usingRecursiveComparison()
        .isEqualTo(
            new DeadLetter(
                raw, "a.log", 77, Reason.BAD_ENCODING, "shape[0].template", "", "byte 2 is 0xE9"));
  }

  @Test
  void theIntakeGoesOnInTheMiddleOfAPack() {
    Target target = open("p");
    target.stage(flush(part(A, 0, 50))).commit();
    long records = queue.describe().get(0).records();
    SourcePartition first = new SourcePartition("q/0");
    QueueIntake intake = new QueueIntake(queue, Map.of(first, 3L), false, () -> true);
    Block block = intake.poll(Duration.ZERO).orElseThrow();
    assertThat(block.source()).isEqualTo(first);
    assertThat(block.first()).isEqualTo(3);
    assertThat(block.records().count()).isEqualTo(records - 3);
    assertThat(block.records().position(0)).isEqualTo(3);
    while (intake.poll(Duration.ZERO).isPresent()) {
      assertThat(intake.drained()).isIn(true, false);
    }
    assertThat(intake.drained()).isTrue();
  }

  @Test
  void anIntakeIsNotDrainedWhileSomebodyAppends() {
    Target target = open("p");
    boolean[] fed = {false};
    QueueIntake intake = new QueueIntake(queue, Map.of(), false, () -> fed[0]);
    assertThat(intake.poll(Duration.ofMillis(1))).isEqualTo(Optional.empty());
    assertThat(intake.drained()).isFalse();
    target.stage(flush(part(A, 0, 1))).commit();
    fed[0] = true;
    assertThat(intake.drained()).isFalse();
    assertThat(intake.poll(Duration.ofMillis(1))).isPresent();
    assertThat(intake.drained()).isTrue();
  }

  @Test
  void aPositionBeyondTheQueueIsRefused() {
    open("p");
    assertThatThrownBy(
            () -> new QueueIntake(queue, Map.of(new SourcePartition("q/1"), 9L), false, () -> true))
        .isInstanceOf(OutsideException.class)
        .hasMessageContaining("goes on at position 9 of q/1, but the queue has positions 0 to 0");
  }

  @Test
  void theFormatIsWhatItsPageSays() {
    PackBuilder builder = new PackBuilder("p|a", 16);
    byte[] value = "v".getBytes(StandardCharsets.UTF_8);
    builder.add("key".getBytes(StandardCharsets.UTF_8), 0, 3, Map.of("h", "x"), value, 0, 1, 1000);
    builder.add(null, 0, 0, Map.of(), value, 0, 1, 1300);
    builder.finish(5, 9, 4);
    String hex = HexFormat.of().formatHex(builder.data(), 0, builder.bytes());
    assertThat(hex.substring(0, 8) + hex.substring(16))
        .isEqualTo(
            "5758504b" // magic; the checksum behind it is left out
                + "01"
                + "00"
                + "0000" // version, codec, flags
                + "00000015" // length
                + "0000000000000005" // base offset
                + "00000002"
                + "00000003" // records, length of the producer's name
                + "00000000000003e8"
                + "0000000000000514" // first and last time
                + "0000000000000009"
                + "0000000000000004" // sequence, durable
                + "707c61" // p|a
                + "04"
                + "6b6579"
                + "00"
                + "01"
                + "0168"
                + "0178"
                + "01"
                + "76"
                + "00"
                + "ac02"
                + "00"
                + "01"
                + "76");
    Pack pack = Pack.read(builder.data(), 0, builder.bytes()).orElseThrow();
    assertThat(pack.whole(builder.data(), 0)).isTrue();
    assertThat(pack.producer(builder.data(), 0)).isEqualTo("p|a");
    builder.data()[Pack.HEADER + 5] ^= 1;
    assertThat(pack.whole(builder.data(), 0)).isFalse();
  }
}

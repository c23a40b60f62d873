package io.wexrun.queue.ends;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;
import static org.assertj.core.api.Assertions.entry;

import io.wexrun.contract.TargetContract;
import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.Rows;
import io.wexrun.core.dead.DeadLetter;
import io.wexrun.core.dead.LetterRows;
import io.wexrun.core.dead.Reason;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.framing.Lines;
import io.wexrun.core.intake.Assigner;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Records;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.target.Flush;
import io.wexrun.core.target.Target;
import io.wexrun.queue.Producer;
import io.wexrun.queue.Queue;
import io.wexrun.queue.QueueMessage;
import io.wexrun.queue.QueueOptions;
import io.wexrun.queue.Reader;
import io.wexrun.queue.log.Codec;
import io.wexrun.queue.log.Pack;
import io.wexrun.queue.log.PackBuilder;
import io.wexrun.queue.log.PackHead;
import io.wexrun.queue.log.QueueRecord;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.HexFormat;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.stream.Stream;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.EnumSource;

/** A queue as target and as intake. */
class QueueTargetTest extends TargetContract {
  @TempDir private Path folder;
  private final List<Queue> open = new ArrayList<>();
  private Queue queue;
  private int lives;

  private Queue queue() {
    return queue(QueueOptions.partitions(3));
  }

  private Queue queue(QueueOptions options) {
    if (queue == null) {
      queue = Queue.open(life(lives), "q", options);
      open.add(queue);
    }
    return queue;
  }

  private Path life(int number) {
    return folder.resolve("life-" + number);
  }

  @AfterEach
  void closeQueues() {
    open.forEach(Queue::close);
  }

  /** The files as they are at this moment, with nobody who had them open. */
  @Override
  protected void crash() {
    try (Stream<Path> files = Files.walk(life(lives))) {
      for (Path file : files.toList()) {
        Files.copy(file, life(lives + 1).resolve(life(lives).relativize(file)));
      }
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
    lives++;
    queue = null;
  }

  @Override
  protected Target open(String writer) {
    return QueueTarget.ofRecords(queue(), writer);
  }

  @Override
  protected List<String> committed() {
    List<String> keys = new ArrayList<>();
    Reader reader = queue().readFromOldest();
    List<QueueRecord> next = reader.poll(1000, Duration.ZERO);
    while (!next.isEmpty()) {
      next.forEach(r -> keys.add(r.keyText()));
      next = reader.poll(1000, Duration.ZERO);
    }
    return keys;
  }

  /** The only record of the queue, as an intake takes it. */
  private Block block() {
    QueueIntake intake = new QueueIntake(queue, false, () -> true, () -> {});
    return new Assigner(intake, Map.of()).next(Duration.ZERO).orElseThrow();
  }

  /** A record of a file with a header, which was taken at second 7. */
  private static Block ofFile(byte[] raw) {
    byte[] header = "card,ms".getBytes(StandardCharsets.UTF_8);
    byte[] line = Arrays.copyOf(raw, raw.length + 1);
    line[raw.length] = '\n';
    return new Block(A, 77, 77 + line.length, line, line.length, Lines.FRAMING, header, 7_000_000);
  }

  @Test
  void deadLettersKeepEverythingThatTheRecordCameWith() {
    byte[] raw = {'b', (byte) 0xE9, 'd'};
    LetterRows letters = new LetterRows();
    letters.add(0, Reason.BAD_ENCODING, "shape[0].csv", "card", "byte 2 is 0xE9");
    Block block = ofFile(raw);
    Rows rows = Rows.all(letters.batch(block.records(), "v1"));
    Target target = QueueTarget.ofDeadLetters(queue(), "p");
    target.stage(new Flush(List.of(new Flush.Part(A, 77, 81, rows)))).commit();
    QueueRecord record = queue.readFromOldest().poll(1, Duration.ZERO).get(0);
    assertThat(DeadLetters.read(record))
        .usingRecursiveComparison()
        .isEqualTo(
            new DeadLetter(
                new DeadLetter.Original(
                    raw,
                    A.name(),
                    77,
                    block.header(),
                    7_000_000,
                    0,
                    0,
                    "",
                    "",
                    Optional.empty(),
                    Map.of()),
                new DeadLetter.Death(
                    Reason.BAD_ENCODING, "shape[0].csv", "card", "byte 2 is 0xE9", "v1"),
                new DeadLetter.Life(1, record.timeMillis() * 1000, Optional.empty())));
  }

  @ParameterizedTest
  @EnumSource(Codec.class)
  void keyHeadersTimeAndSourceHeaderGoOnFromQueueToQueueAndIntoDeadLetters(Codec codec) {
    queue(QueueOptions.partitions(1).codec(codec));
    Block block = ofFile("7F3A90C2,17 and some more text that is worth compressing".getBytes());
    Batch raw = Batch.raw(block.records());
    Target first = QueueTarget.ofRecords(queue, "one");
    first.stage(new Flush(List.of(new Flush.Part(A, 77, block.end(), Rows.all(raw))))).commit();
    try (Producer producer = queue.producer()) {
      producer.append(QueueMessage.of("second").key("k").header("tram", "T4").header("via", "x"));
    }
    QueueIntake intake = new QueueIntake(queue, false, () -> true, () -> {});
    Assigner assigner = new Assigner(intake, Map.of());
    Block ofFirst = assigner.next(Duration.ZERO).orElseThrow();
    assertThat(ofFirst.end()).as("blocks have one header").isEqualTo(1);
    assertThat(ofFirst.header()).isEqualTo(block.header());
    assertThat(ofFirst.records().taken(0)).isEqualTo(7_000_000);
    Block ofSecond = assigner.next(Duration.ZERO).orElseThrow();
    assertThat(ofSecond.header()).isEmpty();
    Records records = ofSecond.records();
    LetterRows letters = new LetterRows();
    letters.add(0, Reason.NO_MATCH, "shape[0].template", "", "why");
    Rows dead = Rows.all(letters.batch(records, ""));
    SourcePartition q = new SourcePartition("q/0");
    Path other = folder.resolve("dead");
    try (Queue letterQueue = Queue.open(other, "dead/p", QueueOptions.partitions(2).codec(codec))) {
      Target target = QueueTarget.ofDeadLetters(letterQueue, "p");
      target.stage(new Flush(List.of(new Flush.Part(q, 1, 2, dead)))).commit();
      QueueRecord record = letterQueue.readFromOldest().poll(1, Duration.ZERO).get(0);
      assertThat(record.keyText()).isEqualTo("k");
      assertThat(record.headers()).containsEntry("original-tram", "T4").containsKey("source");
      DeadLetter letter = DeadLetters.read(record);
      assertThat(letter.text()).isEqualTo("second");
      assertThat(letter.record().headers()).containsExactly(entry("tram", "T4"), entry("via", "x"));
      assertThat(letter.record().key()).hasValue("k".getBytes());
      assertThat(letter.record().taken()).isEqualTo(records.taken(0)).isPositive();
    }
    assertThat(block().records().count()).isEqualTo(1);
  }

  @Test
  void theIntakeGoesOnInTheMiddleOfAPack() {
    Target target = open("p");
    target.stage(flush(part(A, 0, 50))).commit();
    long records = queue.describe().get(0).records();
    SourcePartition first = new SourcePartition("q/0");
    QueueIntake intake = new QueueIntake(queue, false, () -> true, () -> {});
    new Assigner(intake, Map.of(first, 3L)).look();
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
    QueueIntake intake = new QueueIntake(queue, false, () -> fed[0], () -> {});
    new Assigner(intake, Map.of()).look();
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
    QueueIntake intake = new QueueIntake(queue, false, () -> true, () -> {});
    assertThatThrownBy(() -> intake.assign(new SourcePartition("q/1"), 9))
        .isInstanceOf(OutsideException.class)
        .hasMessageContaining("goes on at position 9 of q/1, but the queue has positions 0 to 0");
  }

  @Test
  void theFormatIsWhatItsPageSays() {
    PackBuilder builder =
        new PackBuilder(new PackHead("p|a", "h".getBytes(), Map.of("c", "y")), 16);
    byte[] value = "v".getBytes(StandardCharsets.UTF_8);
    builder.add(
        "key".getBytes(StandardCharsets.UTF_8), 0, 3, Map.of("h", "x"), value, 0, 1, 1000, 0);
    builder.add(null, 0, 0, Map.of(), value, 0, 1, 1300, 200);
    builder.finish(5, 9, 4);
    String hex = HexFormat.of().formatHex(builder.data(), 0, builder.bytes());
    assertThat(hex.substring(0, 8) + hex.substring(16))
        .isEqualTo(
            "5758504b" // magic; the checksum behind it is left out
                + "01"
                + "00"
                + "0000" // version, codec, flags
                + "00000020" // length
                + "0000000000000005" // base offset
                + "00000002"
                + "0000000b" // records, length of the head
                + "00000000000003e8"
                + "0000000000000514" // first and last time
                + "0000000000000009"
                + "0000000000000004" // sequence, durable
                + "03707c61" // p|a
                + "0168" // the source's header
                + "0101630179" // headers of all records
                + "04"
                + "6b6579"
                + "00"
                + "00"
                + "01"
                + "0168"
                + "0178"
                + "01"
                + "76"
                + "00"
                + "ac02"
                + "c801"
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

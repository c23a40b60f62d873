package io.wexrun.queue;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.secret.EncryptionKey;
import io.wexrun.core.secret.Keys;
import io.wexrun.queue.care.QueueFolder;
import io.wexrun.queue.care.Verification;
import io.wexrun.queue.log.Codec;
import io.wexrun.queue.log.Pack;
import io.wexrun.queue.log.QueueRecord;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.util.Arrays;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.stream.IntStream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.EnumSource;

/** Records that only who has the key can read. */
class EncryptedQueueTest {
  private static final EncryptionKey OLD = key("old", 1);
  private static final EncryptionKey NEW = key("new", 2);
  private static final Keys BOTH = Keys.of(Map.of("old", OLD, "new", NEW));

  @TempDir private Path folder;

  private static EncryptionKey key(String id, int fill) {
    byte[] secret = new byte[EncryptionKey.BYTES];
    Arrays.fill(secret, (byte) fill);
    return new EncryptionKey(id, secret);
  }

  private Queue open(Codec codec, EncryptionKey key) {
    QueueOptions.Secrecy secrecy = new QueueOptions.Secrecy(BOTH, Optional.ofNullable(key));
    return Queue.open(folder, "q", QueueOptions.partitions(1).codec(codec).secrecy(secrecy));
  }

  private void append(Codec codec, EncryptionKey key, int from, int to) {
    try (Queue queue = open(codec, key);
        Producer producer = queue.producer("p")) {
      for (int i = from; i < to; i++) {
        byte[] value = ("card=4711-" + i).getBytes(StandardCharsets.UTF_8);
        producer.append(QueueMessage.of(value).key("gate-12".getBytes(StandardCharsets.UTF_8)));
      }
      producer.flush();
    }
  }

  private List<String> values(Keys keys) {
    try (Queue queue = Queue.openToRead(folder, "q", keys).orElseThrow()) {
      return queue.readFromOldest().poll(1000, Duration.ZERO).stream()
          .map(QueueRecord::value)
          .map(value -> new String(value, StandardCharsets.UTF_8))
          .toList();
    }
  }

  private static List<String> cards(int to) {
    return IntStream.range(0, to).mapToObj(i -> "card=4711-" + i).toList();
  }

  private Path file() {
    return folder.resolve("p0/00000000000000000000.packs");
  }

  private String written() throws IOException {
    return Files.readString(file(), StandardCharsets.ISO_8859_1);
  }

  @ParameterizedTest
  @EnumSource(Codec.class)
  void nothingOfARecordIsInTheFile(Codec codec) throws IOException {
    append(codec, OLD, 0, 100);
    assertThat(written()).doesNotContain("card", "4711", "gate-12").contains("old");
    assertThat(values(BOTH)).isEqualTo(cards(100));
  }

  /** What is the same looks another way each time, in one process and in the next. */
  @Test
  void equalRecordsAreNotSeenToBeEqual() throws IOException {
    for (int life = 0; life < 3; life++) {
      append(Codec.NONE, OLD, 0, 1);
      append(Codec.NONE, OLD, 0, 1);
    }
    byte[] bytes = Files.readAllBytes(file());
    Set<String> ends = new HashSet<>();
    int packs = 0;
    for (int at = 0; at < bytes.length - Pack.HEADER; at++) {
      if (ByteBuffer.wrap(bytes).getInt(at) == Pack.MAGIC) {
        Pack pack = Pack.read(bytes, at, bytes.length - at).orElseThrow();
        int end = at + pack.bytes();
        ends.add(Arrays.toString(Arrays.copyOfRange(bytes, end - 40, end)));
        packs++;
      }
    }
    assertThat(packs).isEqualTo(6);
    assertThat(ends).hasSize(6);
  }

  @Test
  void keysAreRotatedAndWhatWasPlainStaysReadable() throws IOException {
    append(Codec.NONE, null, 0, 10);
    append(Codec.NONE, OLD, 10, 20);
    append(Codec.NONE, NEW, 20, 30);
    append(Codec.NONE, null, 30, 40);
    assertThat(values(BOTH)).isEqualTo(cards(40));
    assertThat(written()).contains("card=4711-9", "card=4711-30").doesNotContain("card=4711-15");
  }

  @Test
  void aKeyThatIsMissingOrAnotherIsToldAndNothingIsLost() {
    append(Codec.LZ4, OLD, 0, 10);
    assertThatThrownBy(() -> values(Keys.NONE))
        .isInstanceOfSatisfying(OutsideException.class, e -> assertThat(e.lasting()).isTrue())
        .hasMessage(
            "queue q, partition 0, the pack at position 0, is encrypted with key 'old': there is"
                + " no key 'old': add it to 'keys' in wexrun.yaml");
    Keys other = Keys.of(Map.of("old", key("old", 3)));
    assertThatThrownBy(() -> values(other))
        .hasMessageContaining("is encrypted with another secret than key 'old' has now");
    assertThat(values(BOTH)).isEqualTo(cards(10));
  }

  @Test
  void whoHasNoKeySeesThatTheQueueIsWholeAndCanRepairIt() throws IOException {
    for (int i = 0; i < 5; i++) {
      append(Codec.NONE, OLD, i * 10, i * 10 + 10);
    }
    Verification whole = QueueFolder.verify(folder).orElseThrow();
    assertThat(whole.faults()).isEmpty();
    byte[] bytes = Files.readAllBytes(file());
    bytes[bytes.length / 2] ^= 1;
    Files.write(file(), bytes);
    assertThat(QueueFolder.verify(folder).orElseThrow().faults()).hasSize(1);
    assertThat(QueueFolder.repair(folder, "q", List.of(), false).orElseThrow().lost())
        .isEqualTo(10);
    assertThat(values(BOTH)).hasSize(40);
  }

  /** A pack that somebody has changed, with its checksum, does not pass for one of ours. */
  @Test
  void whatWasChangedByHandIsToldAndNotTaken() throws IOException {
    append(Codec.NONE, OLD, 0, 10);
    byte[] bytes = Files.readAllBytes(file());
    int at = 0;
    while (ByteBuffer.wrap(bytes).getInt(at) != Pack.MAGIC) {
      at++;
    }
    Pack pack = Pack.read(bytes, at, bytes.length - at).orElseThrow();
    for (int place : List.of(pack.bytes() - 1, Pack.HEADER + 40)) {
      byte[] changed = Arrays.copyOfRange(bytes, at, at + pack.bytes());
      changed[place] ^= 1;
      pack.write(changed);
      byte[] all = bytes.clone();
      System.arraycopy(changed, 0, all, at, changed.length);
      Files.write(file(), all);
      assertThatThrownBy(() -> values(BOTH)).isInstanceOf(OutsideException.class);
    }
    Files.write(file(), bytes);
    assertThat(values(BOTH)).isEqualTo(cards(10));
  }

  @Test
  void whatAProducerHasAppendedIsKnownWithoutItsKey() {
    append(Codec.NONE, OLD, 0, 10);
    try (Queue queue = Queue.openToRead(folder, "q").orElseThrow()) {
      assertThat(queue.partition(0).sequence("p")).isNotEqualTo(Long.MIN_VALUE);
      assertThat(queue.partition(0).end()).isEqualTo(10);
    }
  }
}

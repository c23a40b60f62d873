package io.wexrun.queue;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;
import static org.assertj.core.api.Assertions.entry;

import io.wexrun.queue.care.Verification;
import io.wexrun.queue.care.Verifier;
import io.wexrun.queue.disk.MemoryDisk;
import io.wexrun.queue.log.QueueRecord;
import java.io.ByteArrayOutputStream;
import java.io.DataOutputStream;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.charset.StandardCharsets;
import java.nio.file.Path;
import java.time.Duration;
import java.util.Arrays;
import java.util.List;
import java.util.zip.CRC32C;
import org.junit.jupiter.api.Test;

/**
 * Files written byte for byte as the page on the format says, and by nothing of the code that
 * writes queues, are read.
 */
class FormatTest {
  private static final Path FOLDER = Path.of("/q");
  private static final String ID = "0b0e7a54-9f0c-4a0e-8a86-5a9d3a2f4f10";
  private static final QueueOptions OPTIONS = QueueOptions.partitions(1);

  /** A part whose checksum covers everything behind it, at byte 4. */
  private static byte[] sealed(byte[] part) {
    CRC32C crc = new CRC32C();
    crc.update(part, 8, part.length - 8);
    ByteBuffer.wrap(part).putInt(4, (int) crc.getValue());
    return part;
  }

  private static byte[] segment(long base, String... producers) throws IOException {
    ByteArrayOutputStream bytes = new ByteArrayOutputStream();
    DataOutputStream out = new DataOutputStream(bytes);
    out.writeInt(0x57585347);
    out.writeInt(0);
    out.writeShort(1);
    out.writeShort(0);
    out.writeInt(0);
    out.writeLong(base);
    out.writeLong(0);
    out.writeLong(1_777_777_200_000L);
    out.writeLong(0x0b0e7a549f0c4a0eL);
    out.writeLong(0x8a865a9d3a2f4f10L);
    out.writeInt(64 + Arrays.stream(producers).mapToInt(name -> 18 + name.length()).sum());
    out.writeInt(producers.length);
    for (String producer : producers) {
      out.writeShort(producer.length());
      out.write(producer.getBytes(StandardCharsets.UTF_8));
      out.writeLong(7);
      out.writeLong(0);
    }
    return sealed(bytes.toByteArray());
  }

  /** Records of a key, a time, a header and a value each. */
  private static byte[] pack(long base, String producer, long sequence, String... values)
      throws IOException {
    ByteArrayOutputStream payload = new ByteArrayOutputStream();
    payload.write(producer.length());
    payload.write(producer.getBytes(StandardCharsets.UTF_8));
    payload.write(7);
    payload.write("card,ms".getBytes(StandardCharsets.UTF_8)); // The source's header.
    payload.write(1);
    payload.write(3);
    payload.write("car".getBytes(StandardCharsets.UTF_8)); // A header of all records.
    payload.write(2);
    payload.write("12".getBytes(StandardCharsets.UTF_8));
    int head = payload.size();
    for (int i = 0; i < values.length; i++) {
      payload.write(i == 0 ? 0 : 3); // No key, or one of two bytes.
      payload.write(i == 0 ? "".getBytes() : "k1".getBytes(StandardCharsets.UTF_8));
      payload.write(i); // Milliseconds since the first time.
      payload.write(5); // Milliseconds since it was taken.
      payload.write(1);
      payload.write(3);
      payload.write("via".getBytes(StandardCharsets.UTF_8));
      payload.write(1);
      payload.write('x');
      byte[] value = values[i].getBytes(StandardCharsets.UTF_8);
      int length = value.length;
      for (; length > 127; length >>>= 7) {
        payload.write(length & 127 | 128);
      }
      payload.write(length);
      payload.write(value);
    }
    ByteArrayOutputStream bytes = new ByteArrayOutputStream();
    DataOutputStream out = new DataOutputStream(bytes);
    out.writeInt(0x5758504B);
    out.writeInt(0);
    out.writeByte(1);
    out.writeByte(0);
    out.writeShort(0);
    out.writeInt(payload.size());
    out.writeLong(base);
    out.writeInt(values.length);
    out.writeInt(head);
    out.writeLong(1_777_777_200_000L);
    out.writeLong(1_777_777_200_000L + values.length - 1);
    out.writeLong(sequence);
    out.writeLong(base);
    payload.writeTo(out);
    return sealed(bytes.toByteArray());
  }

  private static byte[] index(long place) throws IOException {
    ByteArrayOutputStream bytes = new ByteArrayOutputStream();
    DataOutputStream out = new DataOutputStream(bytes);
    out.writeInt(0x57584958);
    out.writeInt(0);
    out.writeShort(1);
    out.writeShort(0);
    out.writeInt(1);
    out.writeLong(2);
    out.writeLong(0);
    out.writeLong(place);
    out.writeLong(1_777_777_200_000L);
    out.writeLong(1_777_777_200_001L);
    out.writeInt(out.size() + 8);
    out.writeInt(0x57584958);
    return sealed(bytes.toByteArray());
  }

  private static byte[] positions(long turn, long position) throws IOException {
    ByteArrayOutputStream bytes = new ByteArrayOutputStream();
    DataOutputStream out = new DataOutputStream(bytes);
    out.writeInt(0x57585053);
    out.writeInt(0);
    out.writeShort(1);
    out.writeShort(0);
    out.writeLong(turn);
    out.writeInt(1);
    out.writeLong(position);
    return sealed(bytes.toByteArray());
  }

  private static byte[] together(byte[]... parts) {
    ByteArrayOutputStream all = new ByteArrayOutputStream();
    Arrays.stream(parts).forEach(all::writeBytes);
    return all.toByteArray();
  }

  private static MemoryDisk disk(byte[] first, byte[] second) {
    MemoryDisk disk = new MemoryDisk();
    disk.makeFolder(FOLDER.resolve("p0"));
    disk.put(FOLDER.resolve("queue"), ("wexrun-queue 1\nid " + ID + "\npartitions 1\n").getBytes());
    disk.put(FOLDER.resolve("p0/00000000000000000000.packs"), first);
    disk.put(FOLDER.resolve("p0/00000000000000000002.packs"), second);
    return disk;
  }

  @Test
  void filesMadeByThePageAreRead() throws IOException {
    String longText = "é".repeat(200);
    byte[] pack = pack(0, "meter", 7, "one", longText);
    byte[] first = together(segment(0), pack, index(64));
    byte[] second = together(segment(2, "meter", "tram"), pack(2, "", 0, "three"));
    MemoryDisk disk = disk(first, second);
    assertThat(new Verifier(disk, FOLDER).verify().faults()).isEmpty();
    try (Queue queue = Queue.open(disk, FOLDER, "q", OPTIONS, true, null)) {
      List<QueueRecord> records = ProducerTest.all(queue);
      assertThat(records).extracting(QueueRecord::text).containsExactly("one", longText, "three");
      assertThat(records).extracting(QueueRecord::position).containsExactly(0L, 1L, 2L);
      assertThat(records.get(0).key()).isEmpty();
      assertThat(records.get(1).keyText()).isEqualTo("k1");
      assertThat(records.get(1).timeMillis()).isEqualTo(1_777_777_200_001L);
      assertThat(records.get(1).takenMillis()).isEqualTo(1_777_777_199_996L);
      assertThat(records.get(1).headers()).containsExactly(entry("car", "12"), entry("via", "x"));
      assertThat(records.get(1).sourceHeader()).asString().isEqualTo("card,ms");
      assertThat(queue.identity()).hasToString(ID);
      assertThat(queue.partition(0).sequence("tram")).as("from the header").isEqualTo(7);
      try (Producer producer = queue.producer()) {
        assertThat(producer.append(QueueMessage.of("four")).isDone()).isFalse();
      }
      assertThat(queue.readFrom(3).poll(9, Duration.ZERO))
          .extracting(QueueRecord::text)
          .containsExactly("four");
    }
  }

  @Test
  void withoutTheIndexTheSameIsFoundByReadingThrough() throws IOException {
    byte[] first = together(segment(0), pack(0, "meter", 7, "one", "two"));
    MemoryDisk disk = disk(first, together(segment(2), pack(2, "", 0, "three")));
    try (Queue queue = Queue.open(disk, FOLDER, "q", OPTIONS, true, null)) {
      assertThat(ProducerTest.all(queue)).hasSize(3);
      assertThat(queue.partition(0).sequence("meter")).isEqualTo(7);
    }
    assertThat(new Verifier(disk, FOLDER).verify().faults())
        .extracting(Verification.Fault::what)
        .containsExactly("the index at the end of a finished file is missing");
  }

  @Test
  void thePositionsOfTheLargerTurnCountUnlessTheirFileIsTorn() throws IOException {
    MemoryDisk disk = disk(together(segment(0), pack(0, "", 0, "one", "two")), segment(2));
    disk.makeFolder(FOLDER.resolve("groups"));
    disk.put(FOLDER.resolve("groups/counters.1"), positions(3, 2));
    disk.put(FOLDER.resolve("groups/counters.0"), positions(2, 1));
    disk.put(FOLDER.resolve("groups/others.1"), Arrays.copyOf(positions(3, 2), 30));
    disk.put(FOLDER.resolve("groups/others.0"), positions(2, 1));
    disk.put(FOLDER.resolve("synced.1"), positions(1, 2));
    try (Queue queue = Queue.open(disk, FOLDER, "q", OPTIONS, true, null)) {
      assertThat(queue.committed("counters")).containsExactly(2);
      assertThat(queue.committed("others")).containsExactly(1);
    }
    disk.put(FOLDER.resolve("synced.0"), positions(2000, 3));
    assertThatThrownBy(() -> Queue.open(disk, FOLDER, "q", OPTIONS, true, null))
        .hasMessageContaining("records up to position 3 were acknowledged");
  }
}

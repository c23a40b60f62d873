package io.wexrun.queue.log;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.queue.disk.Disk;
import io.wexrun.queue.disk.DiskFile;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.file.Path;
import java.util.Arrays;
import java.util.List;
import java.util.Optional;
import java.util.zip.CRC32C;

/**
 * A position of each partition, in two files that are written in turn: if one is torn, the other
 * has what was written before. So a group keeps what it has committed, and a queue up to where it
 * was synced. All numbers are big-endian.
 *
 * <pre>
 * File      --&gt; Magic, Checksum, Version, Reserved, Turn, Count, Position{Count}
 * Magic     --&gt; uint32 0x57585053 ("WXPS")
 * Checksum  --&gt; uint32 CRC-32C of everything behind it
 * Version   --&gt; uint16 1
 * Reserved  --&gt; uint16 0
 * Turn      --&gt; int64, one more with each writing; the file with the larger one counts
 * Count     --&gt; uint32 partitions
 * Position  --&gt; int64 behind the last record that is meant; -1 for none
 * </pre>
 */
public final class PositionsFile {
  public static final String GROUPS = "groups";
  private static final int MAGIC = 0x57585053;
  private static final short VERSION = 1;
  private static final int HEADER = 24;

  private final Disk disk;
  private final Path folder;
  private final String name;
  private long turn;

  private PositionsFile(Disk disk, Path folder, String name) {
    this.disk = disk;
    this.folder = folder;
    this.name = name;
  }

  /** What a group of a queue has committed. */
  public static PositionsFile ofGroup(Disk disk, Path queueFolder, String group) {
    return new PositionsFile(disk, queueFolder.resolve(GROUPS), group);
  }

  /** Up to where a queue was synced; it may have been synced further since. */
  public static PositionsFile ofSynced(Disk disk, Path queueFolder) {
    return new PositionsFile(disk, queueFolder, "synced");
  }

  /** The names of the groups that committed something. */
  public static List<String> groups(Disk disk, Path queueFolder) throws IOException {
    return disk.list(queueFolder.resolve(GROUPS)).stream()
        .filter(name -> name.endsWith(".0") || name.endsWith(".1"))
        .map(name -> name.substring(0, name.length() - 2))
        .distinct()
        .toList();
  }

  /** The positions written last; -1 where there is none. */
  public long[] read(int partitions) {
    long[] positions = new long[partitions];
    Arrays.fill(positions, -1);
    try {
      List<String> there = disk.list(folder);
      for (int slot = 0; slot < 2; slot++) {
        if (there.contains(name + "." + slot)) {
          Optional<ByteBuffer> found = slot(slot, partitions);
          if (found.isPresent() && found.get().getLong(12) > turn) {
            turn = found.get().getLong(12);
            for (int i = 0; i < partitions; i++) {
              positions[i] = found.get().getLong(HEADER + i * 8);
            }
          }
        }
      }
      return positions;
    } catch (IOException e) {
      throw failed("read", e);
    }
  }

  private Optional<ByteBuffer> slot(int slot, int partitions) throws IOException {
    ByteBuffer data = ByteBuffer.allocate(HEADER + partitions * 8);
    try (DiskFile file = disk.open(folder.resolve(name + "." + slot), false)) {
      if (file.read(0, data) < data.capacity()) {
        return Optional.empty();
      }
    }
    boolean whole =
        data.getInt(0) == MAGIC
            && data.getInt(4) == checksum(data.array())
            && data.getShort(8) == VERSION
            && data.getInt(20) == partitions;
    return whole ? Optional.of(data) : Optional.empty();
  }

  private static int checksum(byte[] data) {
    CRC32C crc = new CRC32C();
    crc.update(data, 8, data.length - 8);
    return (int) crc.getValue();
  }

  /** Writes positions; when it returns, they survive the loss of power. */
  public void write(long[] positions) {
    ByteBuffer data = ByteBuffer.allocate(HEADER + positions.length * 8);
    data.putInt(MAGIC).putInt(0).putShort(VERSION).putShort((short) 0);
    data.putLong(turn + 1).putInt(positions.length);
    for (long position : positions) {
      data.putLong(position);
    }
    data.putInt(4, checksum(data.array()));
    Path path = folder.resolve(name + "." + ((turn + 1) & 1));
    try {
      disk.makeFolder(folder);
      boolean there = disk.list(folder).contains(path.getFileName().toString());
      try (DiskFile file = there ? disk.open(path, true) : disk.create(path)) {
        file.write(0, data.flip());
        file.sync();
      }
    } catch (IOException e) {
      throw failed("write", e);
    }
    turn++;
  }

  private OutsideException failed(String what, IOException e) {
    return new OutsideException(
        "cannot " + what + " " + folder.resolve(name) + ".0 or .1: " + e.getMessage(), e);
  }
}

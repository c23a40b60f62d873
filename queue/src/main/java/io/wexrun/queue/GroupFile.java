package io.wexrun.queue;

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
 * The committed positions of a group, in two files that are written in turn: if one is torn, the
 * other has the commit before. All numbers are big-endian.
 *
 * <pre>
 * File      --&gt; Magic, Checksum, Version, Reserved, Commit, Count, Position{Count}
 * Magic     --&gt; uint32 0x57584750 ("WXGP")
 * Checksum  --&gt; uint32 CRC-32C of everything behind it
 * Version   --&gt; uint16 1
 * Reserved  --&gt; uint16 0
 * Commit    --&gt; int64, one more with each commit; the file with the larger one counts
 * Count     --&gt; uint32 partitions
 * Position  --&gt; int64 behind the last committed record; -1 if nothing was committed yet
 * </pre>
 */
final class GroupFile {
  static final String FOLDER = "groups";
  private static final int MAGIC = 0x57584750;
  private static final short VERSION = 1;
  private static final int HEADER = 24;

  private final Disk disk;
  private final Path folder;
  private final String group;
  private long commit;

  GroupFile(Disk disk, Path queueFolder, String group) {
    this.disk = disk;
    this.folder = queueFolder.resolve(FOLDER);
    this.group = group;
  }

  /** The names of the groups that committed something. */
  static List<String> groups(Disk disk, Path queueFolder) throws IOException {
    return disk.list(queueFolder.resolve(FOLDER)).stream()
        .filter(name -> name.endsWith(".0") || name.endsWith(".1"))
        .map(name -> name.substring(0, name.length() - 2))
        .distinct()
        .toList();
  }

  /** The positions committed last; -1 where nothing was. */
  long[] read(int partitions) {
    long[] positions = new long[partitions];
    Arrays.fill(positions, -1);
    try {
      List<String> there = disk.list(folder);
      for (int slot = 0; slot < 2; slot++) {
        if (there.contains(group + "." + slot)) {
          Optional<ByteBuffer> found = slot(slot, partitions);
          if (found.isPresent() && found.get().getLong(12) > commit) {
            commit = found.get().getLong(12);
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
    try (DiskFile file = disk.open(folder.resolve(group + "." + slot), false)) {
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
  void write(long[] positions) {
    ByteBuffer data = ByteBuffer.allocate(HEADER + positions.length * 8);
    data.putInt(MAGIC).putInt(0).putShort(VERSION).putShort((short) 0);
    data.putLong(commit + 1).putInt(positions.length);
    for (long position : positions) {
      data.putLong(position);
    }
    data.putInt(4, checksum(data.array()));
    Path path = folder.resolve(group + "." + ((commit + 1) & 1));
    try {
      disk.makeFolder(folder);
      boolean there = disk.list(folder).contains(path.getFileName().toString());
      try (DiskFile file = there ? disk.open(path, true) : disk.create(path)) {
        file.write(0, data.flip());
        file.sync();
      }
    } catch (IOException e) {
      throw failed("commit", e);
    }
    commit++;
  }

  private OutsideException failed(String what, IOException e) {
    return new OutsideException(
        "cannot " + what + " the positions of group " + group + ": " + e.getMessage(), e);
  }
}

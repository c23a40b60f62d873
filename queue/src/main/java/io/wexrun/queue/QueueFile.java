package io.wexrun.queue;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.queue.disk.Disk;
import io.wexrun.queue.disk.DiskFile;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.charset.StandardCharsets;
import java.nio.file.Path;
import java.util.List;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/** The file {@code queue} in a queue's folder: its version and how many partitions it has. */
final class QueueFile {
  private static final Pattern META = Pattern.compile("wexrun-queue (\\d+)\npartitions (\\d+)\n");
  private static final int VERSION = 1;

  private QueueFile() {}

  /** How many partitions the queue has; written down when it is made. */
  static int partitions(Disk disk, Path folder, String name, QueueOptions options, boolean writable)
      throws IOException {
    Path file = folder.resolve("queue");
    List<String> entries = disk.list(folder);
    if (entries.contains("queue")) {
      ByteBuffer text = ByteBuffer.allocate(4096);
      try (DiskFile meta = disk.open(file, false)) {
        meta.read(0, text);
      }
      Matcher matcher = META.matcher(StandardCharsets.UTF_8.decode(text.flip()));
      if (matcher.matches()) {
        if (Integer.parseInt(matcher.group(1)) > VERSION) {
          throw new OutsideException(
              "queue " + name + " has format " + matcher.group(1) + ": use a newer Wexrun");
        }
        return Integer.parseInt(matcher.group(2));
      }
      if (entries.contains("p0") || !writable) {
        throw new OutsideException(
            "queue " + name + " is damaged: " + file + " is not a queue's description");
      }
      disk.delete(file);
    }
    disk.makeFolder(folder);
    try (DiskFile meta = disk.create(file)) {
      String text = "wexrun-queue " + VERSION + "\npartitions " + options.partitions() + "\n";
      meta.write(0, StandardCharsets.UTF_8.encode(text));
      meta.sync();
    }
    return options.partitions();
  }
}

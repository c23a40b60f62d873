package io.wexrun.queue.log;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.queue.disk.Disk;
import io.wexrun.queue.disk.DiskFile;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.charset.StandardCharsets;
import java.nio.file.Path;
import java.util.List;
import java.util.Optional;
import java.util.UUID;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/**
 * The file {@code queue} in a queue's folder: its version, the queue's identity, and how many
 * partitions it has.
 *
 * <pre>{@code
 * wexrun-queue 1
 * id 0b0e7a54-9f0c-4a0e-8a86-5a9d3a2f4f10
 * partitions 4
 * }</pre>
 */
public final class QueueFile {
  /** What the file says. */
  public record Description(UUID id, int partitions) {}

  private static final Pattern META =
      Pattern.compile(
          "wexrun-queue (\\d{1,9})\n(?:id ([0-9a-f-]{36})\n)?partitions (\\d{1,9})\n(?s).*");
  private static final int VERSION = 1;
  private static final String NAME = "queue";

  private QueueFile() {}

  /** What the queue is; written down when it is made. */
  public static Description of(
      Disk disk, Path folder, String name, int partitions, boolean writable) throws IOException {
    List<String> entries = disk.list(folder);
    Optional<Description> told = read(disk, folder);
    if (told.isPresent()) {
      return told.get();
    }
    if (entries.contains("p0") || entries.contains(NAME) && !writable) {
      throw new OutsideException(
          "queue "
              + name
              + " is damaged: "
              + folder.resolve(NAME)
              + " is not a queue's description; 'wexrun queue repair' writes it anew");
    }
    disk.makeFolder(folder);
    Description made = new Description(UUID.randomUUID(), partitions);
    write(disk, folder, made);
    return made;
  }

  /** Whether there is a queue in a folder, be it one without its description. */
  public static boolean isThere(Disk disk, Path folder) throws IOException {
    List<String> entries = disk.list(folder);
    return entries.contains(NAME) || entries.contains("p0");
  }

  /**
   * What the file says; empty if there is none, or it is damaged.
   *
   * @throws OutsideException if a newer Wexrun wrote it
   */
  public static Optional<Description> read(Disk disk, Path folder) throws IOException {
    if (!disk.list(folder).contains(NAME)) {
      return Optional.empty();
    }
    ByteBuffer text = ByteBuffer.allocate(4096);
    try (DiskFile meta = disk.open(folder.resolve(NAME), false)) {
      meta.read(0, text);
    }
    Matcher matcher = META.matcher(StandardCharsets.UTF_8.decode(text.flip()));
    if (!matcher.matches()) {
      return Optional.empty();
    }
    if (Integer.parseInt(matcher.group(1)) > VERSION) {
      throw new OutsideException(
          "the queue in " + folder + " has format " + matcher.group(1) + ": use a newer Wexrun");
    }
    if (matcher.group(2) == null) {
      return Optional.empty();
    }
    return Optional.of(
        new Description(UUID.fromString(matcher.group(2)), Integer.parseInt(matcher.group(3))));
  }

  /** Writes the file, in the place of one that is damaged. */
  public static void write(Disk disk, Path folder, Description queue) throws IOException {
    if (disk.list(folder).contains(NAME)) {
      disk.delete(folder.resolve(NAME));
    }
    try (DiskFile meta = disk.create(folder.resolve(NAME))) {
      String text =
          "wexrun-queue "
              + VERSION
              + "\nid "
              + queue.id
              + "\npartitions "
              + queue.partitions
              + "\n";
      meta.write(0, StandardCharsets.UTF_8.encode(text));
      meta.sync();
    }
  }
}

package io.wexrun.queue.disk;

import java.io.IOException;
import java.nio.file.Path;
import java.util.List;

/** A file system, as far as a queue needs one. For several threads. */
public interface Disk {
  /** The names of the files and folders in a folder, sorted; empty if there is no such folder. */
  List<String> list(Path folder) throws IOException;

  /** Makes a folder and those above it, durably. */
  void makeFolder(Path folder) throws IOException;

  /** Opens a file that is there. */
  DiskFile open(Path file, boolean writable) throws IOException;

  /** Makes a new, empty file and opens it; its name is durable once the file is synced. */
  DiskFile create(Path file) throws IOException;

  /**
   * Gives a file that was synced another name, in the same folder and in the place of the file that
   * has that name; durable, and done as a whole or not at all.
   */
  void rename(Path file, Path other) throws IOException;

  /** Removes a file. */
  void delete(Path file) throws IOException;
}

package io.wexrun.sql;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.Optional;

/** How much memory this process has, what libraries take outside of the heap included. */
final class ResidentMemory {
  private static final Path STATM = Path.of("/proc/self/statm");
  private static final long PAGE = 4096;

  private ResidentMemory() {}

  /** In bytes, by proc(5); empty where the system does not tell it. */
  static Optional<Long> bytes() {
    try {
      return Optional.of(Long.parseLong(Files.readString(STATM).split(" ")[1]) * PAGE);
    } catch (IOException | IndexOutOfBoundsException | NumberFormatException e) {
      return Optional.empty();
    }
  }
}

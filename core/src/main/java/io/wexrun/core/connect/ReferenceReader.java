package io.wexrun.core.connect;

import io.wexrun.core.reference.ReferenceTable;
import java.nio.file.Path;
import java.util.List;

/** Reads files of some formats as reference tables. Found by {@link java.util.ServiceLoader}. */
public interface ReferenceReader {
  /** The endings of the names of files that it reads, such as {@code .csv}. */
  List<String> endings();

  /**
   * Reads a file.
   *
   * @param name what the file is called in messages
   * @param most how many rows at most
   * @throws io.wexrun.core.diagnose.OutsideException if it cannot be read; the message names the
   *     file, and the place if it is one place that is wrong
   */
  ReferenceTable read(Path file, String name, long most);

  /** Reads a whole file. */
  default ReferenceTable read(Path file, String name) {
    return read(file, name, Long.MAX_VALUE);
  }
}

package io.wexrun.core.connect;

import io.wexrun.core.schema.Schema;
import java.io.Closeable;
import java.io.IOException;
import java.nio.file.Path;
import java.util.Map;
import java.util.Optional;

/**
 * A format of files that hold rows and say what their columns are. Found by {@link
 * java.util.ServiceLoader}: needs a public constructor without parameters. Has no state; for
 * several threads.
 */
public interface RowsReader {
  /** Its name in settings. */
  String format();

  /**
   * The columns of a file.
   *
   * @throws IOException if it cannot be read, is not of this format, or has a column that none of
   *     ours can hold; the message says why, without the file's name
   */
  Schema columns(Path file) throws IOException;

  /**
   * Opens a file to read its rows, which are always in the same order.
   *
   * @param from how many rows are passed over
   * @throws IOException as {@link #columns} does
   */
  Rows open(Path file, long from) throws IOException;

  /** Rows one after the other. For one thread. */
  interface Rows extends Closeable {
    /**
     * The next row: values by the names of columns, in order; absent ones are null. Values are
     * booleans, numbers, strings, byte arrays, {@link java.time.Instant}, {@link
     * java.time.LocalDate}, {@link java.util.UUID}, and lists and maps of those.
     *
     * @return empty if there are no more
     * @throws IOException if the file is damaged; the message says how
     */
    Optional<Map<String, Object>> next() throws IOException;
  }
}

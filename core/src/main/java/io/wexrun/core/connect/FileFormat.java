package io.wexrun.core.connect;

import io.wexrun.core.batch.Rows;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.secret.Keys;
import io.wexrun.core.target.Answer;
import java.io.IOException;
import java.nio.file.Path;
import java.util.List;

/**
 * A format of files that hold rows of a table. Found by {@link java.util.ServiceLoader}: needs a
 * public constructor without parameters. Has no state; for several threads.
 */
public interface FileFormat {
  /** Its name in settings. */
  String name();

  /** How files may be compressed, the way that is meant if none is named first. */
  List<String> compressions();

  /** Whether rows are written in the order of the columns that a table names. */
  default boolean sorts() {
    return false;
  }

  /** What names of files end with, the point included. */
  String ending(FileForm form);

  /** Whether a file is of this format, in any form, by how its name ends. */
  boolean owns(String name);

  /**
   * Writes a file.
   *
   * @param file not there yet; in a folder that is
   * @param parts at least one row in all
   * @param form its compression is one of {@link #compressions}
   * @throws IOException if it cannot be written; what was written so far is left
   */
  void write(Path file, Table table, List<Rows> parts, FileForm form) throws IOException;

  /**
   * Writes the rows of several files into one, those of the first file first, unless the table is
   * sorted. Columns that a file does not have are absent in its rows.
   *
   * @param from files of this format, in any form
   * @param to not there yet
   * @param keys for those of {@code from} that are encrypted
   * @return how many rows {@code to} has
   * @throws IOException if one cannot be read or written, or has not the rows that were read; what
   *     was written so far is left
   * @throws io.wexrun.core.diagnose.OutsideException if a key is missing or wrong
   */
  long merge(List<Path> from, Path to, Table table, FileForm form, Keys keys) throws IOException;

  /**
   * Reads the first rows of a file.
   *
   * @param limit how many at most
   * @throws IOException if it cannot be read, or is not of this format
   * @throws io.wexrun.core.diagnose.OutsideException if a key is missing or wrong
   */
  Answer read(Path file, int limit, Keys keys) throws IOException;
}

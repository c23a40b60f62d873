package io.wexrun.core.connect;

import io.wexrun.core.batch.Rows;
import io.wexrun.core.pipeline.Table;
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
  String ending(String compression);

  /**
   * Writes a file.
   *
   * @param file not there yet; in a folder that is
   * @param parts at least one row in all
   * @param compression one of {@link #compressions}
   * @throws IOException if it cannot be written; what was written so far is left
   */
  void write(Path file, Table table, List<Rows> parts, String compression) throws IOException;
}

package io.wexrun.core.connect;

import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.schema.Schema;
import java.io.IOException;
import java.nio.file.Path;
import java.util.List;
import java.util.Map;

/**
 * Reads the columns of a table out of a file that describes them for others. Found by {@link
 * java.util.ServiceLoader}: needs a public constructor without parameters. Has no state; for
 * several threads.
 */
public interface ColumnsReader {
  /**
   * Columns that were found.
   *
   * @param lengths the most characters of some texts
   */
  record Columns(Schema schema, Map<String, Integer> lengths) {
    /** Copies the map. */
    public Columns {
      lengths = Map.copyOf(lengths);
    }
  }

  /** What the file is, as it is named in a table's definition; also the key of the file's name. */
  String kind();

  /** The keys of its settings. */
  default List<String> keys() {
    return List.of(kind());
  }

  /**
   * Reads columns.
   *
   * @param table the table that is to have them
   * @throws IOException if the file cannot be read
   * @throws IllegalArgumentException with a message for people if it does not say what the columns
   *     are, or a column cannot be held
   */
  Columns read(Path file, Settings settings, String table) throws IOException;
}

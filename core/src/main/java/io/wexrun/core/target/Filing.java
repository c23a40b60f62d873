package io.wexrun.core.target;

import io.wexrun.core.pipeline.Table;
import java.nio.file.Path;
import java.util.List;
import java.util.Optional;
import java.util.function.Consumer;

/** A store that keeps tables in files. For several threads. */
public interface Filing {
  /**
   * A file with rows of a table.
   *
   * @param name below the table's folder
   * @param path where it is; if it is committed and not in its place yet, where it waits
   * @param bytes how long it is; empty if it is gone
   */
  record RowsFile(String name, Path path, Optional<Long> bytes) {}

  /**
   * What a folder's small files were merged into.
   *
   * @param folder below the table's folder
   * @param before how many files were merged
   * @param after into how many
   * @param rows how many rows they have
   * @param bytesBefore how long they were together
   * @param bytesAfter how long they are now
   * @param left why the folder was left as it is
   */
  record Merged(
      String folder,
      int before,
      int after,
      long rows,
      long bytesBefore,
      long bytesAfter,
      Optional<String> left) {}

  /**
   * The files of a table, as its log says, by name.
   *
   * @return empty if there is no such table
   * @throws io.wexrun.core.diagnose.OutsideException if the store fails
   */
  Optional<List<RowsFile>> files(String table);

  /**
   * A file that is not as the table's log says.
   *
   * @param name below the table's folder
   * @param kind what is wrong with it
   */
  record FileFault(String name, Kind kind) {
    /** What is wrong with a file. */
    public enum Kind {
      /** Its bytes are not those that were written. */
      CHANGED,
      /** It is gone. */
      MISSING,
      /** It stands among the files of the table, and the log does not name it. */
      FOREIGN
    }
  }

  /**
   * Reads all files of a table and compares them with its log. Changes nothing; pipelines may load
   * meanwhile. The content of files that an earlier version wrote is not known.
   *
   * @return the files that are not as they were written, by name; empty also if there is no table
   * @throws io.wexrun.core.diagnose.OutsideException if the store fails
   */
  List<FileFault> faults(String table);

  /**
   * Merges small files of a table, folder by folder, each folder in one step. Pipelines may load
   * meanwhile, and readers read.
   *
   * @param bytes files that are smaller are merged, into ones that are not longer than about this
   * @param told of each folder that had something to merge
   * @throws io.wexrun.core.diagnose.OutsideException if the store fails, or cannot do it in one
   *     step; folders that were told are done
   */
  void merge(Table table, long bytes, Consumer<Merged> told);
}

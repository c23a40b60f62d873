package io.wexrun.core.connect;

import io.wexrun.core.schema.Schema;
import io.wexrun.core.secret.Keys;
import io.wexrun.core.target.Answer;
import io.wexrun.core.target.QueryBounds;
import java.nio.file.Path;
import java.util.List;

/**
 * Answers SQL over files that hold rows of tables. Found by {@link java.util.ServiceLoader}: needs
 * a public constructor without parameters. Has no state; for several threads.
 */
public interface FileQueries {
  /**
   * A table whose rows are in files.
   *
   * @param name by which SQL names it
   * @param columns that it has; one that a file lacks is absent in its rows, and what a file has
   *     beside them is passed over
   * @param files none if there are no rows
   */
  record FileTable(String name, Schema columns, List<TableFile> files) {}

  /**
   * A file of rows.
   *
   * @param name that is its own, or will be when it is moved to its place
   * @param path where it is
   */
  record TableFile(String name, Path path, FileFormat format) {}

  /**
   * Runs one SQL statement that only reads. What is encrypted is not written anywhere, not for a
   * moment either.
   *
   * @param who is asked, for messages
   * @param keys for files that are encrypted
   * @throws io.wexrun.core.diagnose.OutsideException with what is wrong with the statement, or with
   *     a file; if it is more than one statement, one that does not only read, or out of its bounds
   */
  Answer query(Object who, String sql, List<FileTable> tables, Keys keys, QueryBounds bounds);
}

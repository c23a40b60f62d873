package ostrel;

import io.wexrun.contract.StoreContract;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.schema.Type;
import io.wexrun.core.target.Store;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.io.TempDir;
import tools.jackson.databind.json.JsonMapper;

class SqliteStoreTest extends StoreContract {
  @TempDir private Path folder;
  private Sqlite sqlite;

  @BeforeEach
  void prepare() {
    sqlite = new Sqlite(folder);
  }

  @Override
  protected Store open() {
    return sqlite.open();
  }

  @Override
  protected boolean replaces() {
    return false;
  }

  @Override
  protected boolean rollsUp() {
    return false;
  }

  @Override
  protected void remove() {
    try {
      Files.delete(sqlite.file());
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }

  @Override
  protected void drop(String table) {
    sqlite.run("drop table " + SqliteStore.quoted(table));
  }

  @Override
  protected List<List<Object>> rows(Table table) {
    List<List<Object>> found = new ArrayList<>();
    for (List<Object> row : sqlite.rows("select * from " + SqliteStore.quoted(table.name()))) {
      List<Object> values = new ArrayList<>();
      for (int i = 0; i < row.size(); i++) {
        values.add(value(table.schema().column(i).type(), row.get(i)));
      }
      found.add(values);
    }
    return found;
  }

  /** Lists and structs are kept as JSON, a bool as a number. */
  private static Object value(Type type, Object kept) {
    if (kept != null && type.nested()) {
      return JsonMapper.shared().readValue(kept.toString(), Object.class);
    }
    return kept != null && type == Type.Scalar.BOOL ? kept.equals(1) : kept;
  }
}

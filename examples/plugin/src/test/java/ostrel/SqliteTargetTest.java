package ostrel;

import io.wexrun.contract.TargetContract;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.target.Target;
import java.nio.file.Path;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.io.TempDir;

class SqliteTargetTest extends TargetContract {
  @TempDir private Path folder;

  private Sqlite sqlite() {
    return new Sqlite(folder);
  }

  @Override
  protected Target open(String writer) {
    return sqlite().open().target(writer, new Table("rows", "s", SCHEMA, Map.of()));
  }

  @Override
  protected boolean refuses() {
    sqlite().run("create table rows (key text check (key not like '%" + REFUSED + "'))");
    return true;
  }

  @Override
  protected List<String> committed() {
    return sqlite().rows("select key from rows").stream().map(row -> (String) row.get(0)).toList();
  }
}

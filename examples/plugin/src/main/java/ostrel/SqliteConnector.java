package ostrel;

import io.wexrun.core.connect.Site;
import io.wexrun.core.connect.StoreConnector;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.target.Store;
import java.nio.file.Files;
import java.util.List;
import java.util.Optional;

/** {@code stores: {depot: {sqlite: depot.db}}}: tables in an SQLite file. */
public final class SqliteConnector implements StoreConnector {
  @Override
  public String kind() {
    return "sqlite";
  }

  @Override
  public List<String> keys() {
    return List.of("sqlite");
  }

  @Override
  public void check(Settings settings, Site site, KeyPath path, Diagnostics diagnostics) {
    if (settings.main().isEmpty()) {
      diagnostics.error(
          "missing-value",
          path.key(kind()),
          "the store has no file name",
          Optional.of("write {sqlite: depot.db}"));
    }
  }

  @Override
  public boolean exists(Settings settings, Site site) {
    return Files.exists(site.folder().resolve(settings.main()));
  }

  @Override
  public Store open(String name, Settings settings, Site site) {
    return new SqliteStore(name, site.folder().resolve(settings.main()));
  }
}

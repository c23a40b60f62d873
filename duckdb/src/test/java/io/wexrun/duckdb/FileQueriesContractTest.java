package io.wexrun.duckdb;

import io.wexrun.contract.FolderSite;
import io.wexrun.contract.Folders;
import io.wexrun.contract.StoreContract;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.schema.Column;
import io.wexrun.core.secret.EncryptionKey;
import io.wexrun.core.target.Comparing;
import io.wexrun.core.target.Querying;
import io.wexrun.core.target.Store;
import io.wexrun.files.folder.FolderConnector;
import io.wexrun.sql.Names;
import java.nio.file.Path;
import java.util.Arrays;
import java.util.List;
import org.junit.jupiter.api.Nested;
import org.junit.jupiter.api.io.TempDir;

/** What folders hold is what queries of them give, whatever the format. */
class FileQueriesContractTest {
  /** A folder of one format, whose rows are asked for by SQL. */
  abstract static class Asked extends StoreContract {
    @TempDir private Path folder;

    abstract Settings form(Settings settings);

    @Override
    protected Store open() {
      byte[] secret = new byte[EncryptionKey.BYTES];
      Arrays.fill(secret, (byte) 7);
      FolderSite site = new FolderSite(folder).with(new EncryptionKey("k", secret));
      return new FolderConnector().open("w", form(Settings.of("folder", "out")), site);
    }

    @Override
    protected boolean replaces() {
      return false;
    }

    @Override
    protected void remove() {
      Folders.remove(folder.resolve("out"));
    }

    @Override
    protected void drop(String table) {
      Folders.remove(folder.resolve("out").resolve(table));
    }

    @Override
    protected List<List<Object>> rows(Table table) {
      List<String> columns = table.schema().columns().stream().map(Column::name).toList();
      try (Store store = open()) {
        return ((Comparing) store).has(table.name())
            ? ((Querying) store)
                .query("select " + Names.list(columns) + " from " + Names.name(table.name()))
                .rows()
            : List.of();
      }
    }
  }

  @Nested
  class Parquet extends Asked {
    @Override
    Settings form(Settings settings) {
      return settings.with("format", "parquet");
    }
  }

  @Nested
  class Ndjson extends Asked {
    @Override
    Settings form(Settings settings) {
      return settings.with("format", "ndjson");
    }
  }

  @Nested
  class Csv extends Asked {
    @Override
    Settings form(Settings settings) {
      return settings.with("format", "csv").with("compress", "none");
    }
  }

  @Nested
  class EncryptedParquet extends Asked {
    @Override
    Settings form(Settings settings) {
      return settings.with("format", "parquet").with("encrypt", "k");
    }
  }

  @Nested
  class EncryptedNdjson extends Asked {
    @Override
    Settings form(Settings settings) {
      return settings.with("format", "ndjson").with("encrypt", "k");
    }
  }
}

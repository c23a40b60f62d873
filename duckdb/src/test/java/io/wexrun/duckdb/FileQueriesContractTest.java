package io.wexrun.duckdb;

import io.wexrun.contract.FolderSite;
import io.wexrun.contract.Folders;
import io.wexrun.contract.StoreContract;
import io.wexrun.contract.ValuesContract;
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
  private static final Settings OUT = Settings.of("folder", "out");

  private static Store open(Path folder, Settings settings) {
    byte[] secret = new byte[EncryptionKey.BYTES];
    Arrays.fill(secret, (byte) 7);
    FolderSite site = new FolderSite(folder).with(new EncryptionKey("k", secret));
    return new FolderConnector().open("w", settings, site);
  }

  private static List<List<Object>> rows(Store store, Table table) {
    List<String> columns = table.schema().columns().stream().map(Column::name).toList();
    String sql = "select " + Names.list(columns) + " from " + Names.name(table.name());
    try (store) {
      return ((Comparing) store).has(table.name())
          ? ((Querying) store).query(sql).rows()
          : List.of();
    }
  }

  @Nested
  class Parquet extends StoreContract {
    @TempDir private Path folder;

    @Override
    protected Store open() {
      return FileQueriesContractTest.open(folder, OUT.with("format", "parquet"));
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
      return FileQueriesContractTest.rows(open(), table);
    }
  }

  /** Values in files of one form. */
  abstract static class InForm extends ValuesContract {
    private final Settings settings;
    @TempDir private Path folder;

    InForm(Settings settings) {
      this.settings = settings;
    }

    @Override
    protected Store open() {
      return FileQueriesContractTest.open(folder, settings);
    }

    @Override
    protected List<List<Object>> rows(Table table) {
      return FileQueriesContractTest.rows(open(), table);
    }
  }

  @Nested
  class Ndjson extends InForm {
    Ndjson() {
      super(OUT.with("format", "ndjson"));
    }
  }

  @Nested
  class Csv extends InForm {
    Csv() {
      super(OUT.with("format", "csv").with("compress", "none"));
    }
  }

  @Nested
  class EncryptedParquet extends InForm {
    EncryptedParquet() {
      super(OUT.with("format", "parquet").with("encrypt", "k"));
    }
  }

  @Nested
  class EncryptedNdjson extends InForm {
    EncryptedNdjson() {
      super(OUT.with("format", "ndjson").with("encrypt", "k"));
    }
  }

  @Nested
  class EncryptedCsv extends InForm {
    EncryptedCsv() {
      super(OUT.with("format", "csv").with("encrypt", "k"));
    }
  }
}

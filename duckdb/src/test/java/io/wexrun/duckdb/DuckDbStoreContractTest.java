package io.wexrun.duckdb;

import io.wexrun.contract.FolderSite;
import io.wexrun.contract.StoreContract;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.schema.Column;
import io.wexrun.core.target.Store;
import io.wexrun.sql.Names;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.stream.Collectors;
import org.junit.jupiter.api.io.TempDir;

class DuckDbStoreContractTest extends StoreContract {
  @TempDir private Path folder;

  @Override
  protected Store open() {
    return new DuckDbConnector().open("w", DuckDbConnector.file("w.db"), new FolderSite(folder));
  }

  @Override
  protected void remove() {
    try {
      Files.delete(folder.resolve("w.db"));
      Files.deleteIfExists(folder.resolve("w.db.wal"));
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }

  @Override
  protected void drop(String table) {
    try (DuckDbStore store = (DuckDbStore) open()) {
      store.change("drop table " + Names.name(table));
    }
  }

  @Override
  protected List<List<Object>> rows(Table table) {
    String columns =
        table.schema().columns().stream()
            .map(Column::name)
            .map(Names::name)
            .collect(Collectors.joining(", "));
    try (DuckDbStore store = (DuckDbStore) open()) {
      return store.query("select " + columns + " from " + Names.name(table.name())).rows();
    }
  }
}

package io.wexrun.files.folder;

import io.wexrun.contract.FolderSite;
import io.wexrun.contract.Folders;
import io.wexrun.contract.JsonRows;
import io.wexrun.contract.StoreContract;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.target.Store;
import java.io.BufferedReader;
import java.io.IOException;
import java.io.InputStreamReader;
import java.io.UncheckedIOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.stream.Stream;
import java.util.zip.GZIPInputStream;
import org.junit.jupiter.api.io.TempDir;

class FolderStoreContractTest extends StoreContract {
  @TempDir private Path folder;

  @Override
  protected Store open() {
    Settings settings = Settings.of("folder", "out").with("format", "ndjson");
    return new FolderConnector().open("w", settings, new FolderSite(folder));
  }

  @Override
  protected boolean replaces() {
    return false;
  }

  @Override
  protected boolean answers() {
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
    List<List<Object>> rows = new ArrayList<>();
    Path of = folder.resolve("out").resolve(Cut.escaped(table.name())).resolve(Cut.ALL);
    if (!Files.exists(of)) {
      return rows;
    }
    try (Stream<Path> files = Files.list(of)) {
      for (Path file : files.filter(f -> f.toString().endsWith(".ndjson.gz")).toList()) {
        try (BufferedReader lines =
            new BufferedReader(
                new InputStreamReader(
                    new GZIPInputStream(Files.newInputStream(file)), StandardCharsets.UTF_8))) {
          lines.lines().forEach(line -> rows.add(JsonRows.values(table, line)));
        }
      }
      return rows;
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }
}

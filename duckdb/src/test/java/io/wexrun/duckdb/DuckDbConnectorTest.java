package io.wexrun.duckdb;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.contract.FolderSite;
import io.wexrun.core.connect.StoreConnector;
import io.wexrun.core.diagnose.Diagnostic;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.target.Querying;
import io.wexrun.core.target.Store;
import java.nio.file.Path;
import java.util.List;
import java.util.ServiceLoader;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

class DuckDbConnectorTest {
  private static List<String> mistakes(Settings settings) {
    Diagnostics diagnostics = Diagnostics.of("test");
    new DuckDbConnector().check(settings, new FolderSite(Path.of(".")), KeyPath.ROOT, diagnostics);
    return diagnostics.all().stream().map(Diagnostic::code).toList();
  }

  @Test
  void itIsFoundAsAService() {
    assertThat(ServiceLoader.load(StoreConnector.class))
        .hasExactlyElementsOfTypes(DuckDbConnector.class);
  }

  @Test
  void settingsAreCheckedWithoutOpeningAnything() {
    assertThat(mistakes(DuckDbConnector.file("w.db").with("memory", "512MB"))).isEmpty();
    assertThat(mistakes(DuckDbConnector.file("w.db").with("memory", "much")))
        .containsExactly("bad-size");
    assertThat(mistakes(DuckDbConnector.file(""))).containsExactly("missing-value");
  }

  @Test
  void memoryIsBoundedAsAskedAndWithoutBeingAsked(@TempDir Path folder) {
    Settings file = DuckDbConnector.file("w.db");
    assertThat(memoryLimit(file.with("memory", "256MB"), folder)).isEqualTo("256.0 MiB");
    assertThat(memoryLimit(file, folder)).isEqualTo("1.0 GiB");
  }

  private static Object memoryLimit(Settings settings, Path folder) {
    try (Store store = new DuckDbConnector().open("w", settings, new FolderSite(folder))) {
      return ((Querying) store)
          .query("select current_setting('memory_limit')")
          .rows()
          .get(0)
          .get(0);
    }
  }
}

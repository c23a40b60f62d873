package io.wexrun.duckdb;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.contract.FolderSite;
import io.wexrun.core.connect.StoreConnector;
import io.wexrun.core.diagnose.Diagnostic;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.target.Querying;
import io.wexrun.core.target.Store;
import java.io.InputStream;
import java.nio.charset.StandardCharsets;
import java.nio.file.Path;
import java.util.ArrayList;
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
        .hasAtLeastOneElementOfType(DuckDbConnector.class);
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

  /** A program that was started without the option that Arrow needs. */
  static final class Program {
    public static void main(String[] args) {
      try (Store store =
          new DuckDbConnector()
              .open("w", DuckDbConnector.file("w.db"), new FolderSite(Path.of(args[0])))) {
        System.out.println("opened " + store);
      } catch (OutsideException e) {
        System.out.println(e.getMessage());
      }
    }
  }

  @Test
  void aProgramWithoutTheOptionIsToldWhich(@TempDir Path folder) throws Exception {
    String java = Path.of(System.getProperty("java.home"), "bin", "java").toString();
    List<String> command = new ArrayList<>(List.of(java));
    command.addAll(List.of("-cp", System.getProperty("java.class.path")));
    command.addAll(List.of(Program.class.getName(), folder.toString()));
    assertThat(output(command)).startsWith("DuckDB stores need the Java option --add-opens=");
    command.add(1, "--add-opens=java.base/java.nio=ALL-UNNAMED");
    assertThat(output(command)).contains("opened store w");
  }

  private static String output(List<String> command) throws Exception {
    Process process = new ProcessBuilder(command).redirectErrorStream(true).start();
    try (InputStream out = process.getInputStream()) {
      return new String(out.readAllBytes(), StandardCharsets.UTF_8);
    } finally {
      process.waitFor();
    }
  }
}

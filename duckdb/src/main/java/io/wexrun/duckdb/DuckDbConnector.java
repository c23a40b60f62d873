package io.wexrun.duckdb;

import io.wexrun.core.connect.Site;
import io.wexrun.core.connect.StoreConnector;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.pipeline.Sizes;
import io.wexrun.core.target.Store;
import java.nio.ByteBuffer;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;

/**
 * {@code stores: {warehouse: {duckdb: warehouse.db, memory: 1GB, reads: /data/old}}}. SQL reaches
 * only files of the workspace, and of the folder that {@code reads} names.
 */
public final class DuckDbConnector implements StoreConnector {
  /** What DuckDB may use unless the settings say otherwise: loading needs no more. */
  static final long MEMORY = 1L << 30;

  /** Settings of a DuckDB file; a relative name starts from the workspace's folder. */
  public static Settings file(String name) {
    return Settings.of("duckdb", name);
  }

  private static final String READS = "reads";

  @Override
  public String kind() {
    return "duckdb";
  }

  @Override
  public List<String> keys() {
    return List.of("duckdb", "memory", READS);
  }

  @Override
  public void check(Settings settings, Site site, KeyPath path, Diagnostics diagnostics) {
    if (settings.main().isEmpty()) {
      diagnostics.error(
          "missing-value",
          path.key("duckdb"),
          "the store has no file name",
          Optional.of("write {duckdb: warehouse.db}"));
    }
    Optional<String> memory = settings.text("memory");
    if (memory.isPresent() && Sizes.bytes(memory.get()).isEmpty()) {
      diagnostics.error(
          "bad-size",
          path.key("memory"),
          "'" + memory.get() + "' is not a size",
          Optional.of("write it like 512MB or 2GB"));
    }
  }

  @Override
  public boolean addsColumns() {
    return true;
  }

  @Override
  public boolean swaps() {
    return true;
  }

  @Override
  public boolean exists(Settings settings, Site site) {
    return Files.exists(site.folder().resolve(settings.main()));
  }

  @Override
  public Store open(String name, Settings settings, Site site) {
    requireOption();
    long memory = settings.text("memory").flatMap(Sizes::bytes).orElse(MEMORY);
    List<Path> folders = new ArrayList<>(List.of(site.folder()));
    settings.text(READS).ifPresent(reads -> folders.add(site.folder().resolve(reads)));
    return new DuckDbStore(name, site.folder().resolve(settings.main()), memory, folders);
  }

  /** Arrow reaches into {@code java.nio}, and would say so only when the first rows are loaded. */
  static void requireOption() {
    if (!ByteBuffer.class.getModule().isOpen("java.nio", DuckDbConnector.class.getModule())) {
      throw OutsideException.lasting(
          "DuckDB stores need the Java option --add-opens=java.base/java.nio=ALL-UNNAMED: start"
              + " this program with it (java --add-opens=java.base/java.nio=ALL-UNNAMED ...)");
    }
  }
}

package io.wexrun.project.read;

import io.wexrun.core.connect.ColumnsReader;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.schema.Schema;
import io.wexrun.project.yaml.YamlMap;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.stream.Stream;

/**
 * Finds the columns of tables that are like something described in a file.
 *
 * @param folder the workspace's, where names of files start
 * @param readers by what they read
 * @param live looks at tables that are there
 */
record Likeness(Path folder, Map<String, ColumnsReader> readers, Live live) {
  private static final String LIKE = "like";
  private static final String TABLE = "table";

  /** Looks at the tables of a store. */
  @FunctionalInterface
  interface Live {
    /**
     * The columns of a table.
     *
     * @return empty if there is no such table
     * @throws OutsideException if the store cannot be asked
     */
    Optional<Schema> columns(String store, String table);
  }

  private static final ColumnsReader.Columns NONE =
      new ColumnsReader.Columns(Schema.EMPTY, Map.of());

  /** The columns that a table's definition takes over; none if it does not, or cannot. */
  ColumnsReader.Columns columns(String table, YamlMap map) {
    Optional<Settings> written = map.map(LIKE).flatMap(PipelineReader::settings);
    if (written.isEmpty()) {
      return NONE;
    }
    Settings settings = written.get();
    if (settings.kind().equals(TABLE) && settings.values().size() == 1) {
      return live(map, settings.main());
    }
    ColumnsReader reader = readers.get(settings.kind());
    if (reader == null) {
      map.error(
          LIKE,
          "unknown-like",
          "columns are not read out of a '" + settings.kind() + "'",
          Diagnostics.nearestOrKnown(settings.kind(), kinds(), all -> "the kinds are " + all));
      return NONE;
    }
    for (String key : settings.unknown(reader.keys())) {
      map.error(
          LIKE,
          "unknown-key",
          "'" + settings.kind() + "' has no key '" + key + "' here",
          Diagnostics.nearestOrKnown(key, reader.keys(), all -> "the keys are " + all));
    }
    Path file = folder.resolve(settings.main());
    if (!Files.isRegularFile(file)) {
      map.error(
          LIKE,
          "missing-file",
          "there is no file " + file,
          Optional.of("names start from the workspace's folder"));
      return NONE;
    }
    try {
      return reader.read(file, settings, table);
    } catch (IllegalArgumentException e) {
      map.error(LIKE, "bad-like", settings.main() + ": " + e.getMessage(), Optional.empty());
    } catch (IOException e) {
      String why = e.getMessage() == null ? e.getClass().getSimpleName() : e.getMessage();
      map.error(LIKE, "bad-like", "cannot read " + settings.main() + ": " + why, Optional.empty());
    }
    return NONE;
  }

  private List<String> kinds() {
    return Stream.concat(readers.keySet().stream(), Stream.of(TABLE)).sorted().toList();
  }

  /** The columns of a table that is there, in the store that is to have this one. */
  private ColumnsReader.Columns live(YamlMap map, String like) {
    String store = map.text("in").orElse("");
    try {
      Optional<Schema> columns = live.columns(store, like);
      if (columns.isPresent()) {
        return new ColumnsReader.Columns(columns.get(), Map.of());
      }
      map.error(
          LIKE,
          "missing-table",
          "there is no table '" + like + "' in store " + store + " yet",
          Optional.of("make it there, or write its columns here"));
    } catch (OutsideException e) {
      map.error(LIKE, "unreachable-store", e.getMessage(), Optional.empty());
    }
    return NONE;
  }
}

package io.wexrun.project.read;

import io.wexrun.core.connect.ColumnsReader;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.schema.Schema;
import io.wexrun.project.yaml.YamlMap;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/**
 * Finds the columns of tables that are like something described in a file.
 *
 * @param folder the workspace's, where names of files start
 * @param readers by what they read
 */
record Likeness(Path folder, Map<String, ColumnsReader> readers) {
  private static final String LIKE = "like";

  private static final ColumnsReader.Columns NONE =
      new ColumnsReader.Columns(Schema.EMPTY, Map.of());

  /** The columns that a table's definition takes over; none if it does not, or cannot. */
  ColumnsReader.Columns columns(String table, YamlMap map) {
    Optional<Settings> written = map.map(LIKE).flatMap(PipelineReader::settings);
    if (written.isEmpty()) {
      return NONE;
    }
    Settings settings = written.get();
    ColumnsReader reader = readers.get(settings.kind());
    if (reader == null) {
      map.error(
          LIKE,
          "unknown-like",
          "columns are not read out of a '" + settings.kind() + "'",
          Diagnostics.nearestOrKnown(
              settings.kind(), List.copyOf(readers.keySet()), all -> "the kinds are " + all));
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
}

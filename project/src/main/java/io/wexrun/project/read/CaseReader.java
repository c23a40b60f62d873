package io.wexrun.project.read;

import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.schema.Instants;
import io.wexrun.project.definition.SampleCase;
import io.wexrun.project.yaml.YamlFile;
import io.wexrun.project.yaml.YamlMap;
import java.time.OffsetDateTime;
import java.time.format.DateTimeParseException;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.snakeyaml.engine.v2.nodes.Node;
import org.snakeyaml.engine.v2.nodes.SequenceNode;

/** Reads sample records and what pipelines should make of them. */
final class CaseReader {
  private static final List<String> KEYS =
      List.of("record", "header", "written", "to", "row", "rows", "dies", "field");

  private final DefinitionPlaces places;
  private final Diagnostics diagnostics;

  /**
   * A reader.
   *
   * @param places takes the cases
   */
  CaseReader(DefinitionPlaces places, Diagnostics diagnostics) {
    this.places = places;
    this.diagnostics = diagnostics;
  }

  /** Reads a file that is a list of cases. */
  void read(String pipeline, YamlFile file) {
    for (Node list : file.documents()) {
      if (list instanceof SequenceNode sequence) {
        read(pipeline, sequence.getValue(), file);
      } else {
        file.at(diagnostics, list)
            .error(
                "wrong-form",
                KeyPath.ROOT,
                "a file of cases is a list: one '- record: ' for each",
                Optional.empty());
      }
    }
  }

  /** Reads items of a list of cases. */
  void read(String pipeline, List<Node> items, YamlFile file) {
    for (Node item : items) {
      read(new YamlMap(file, item, "a case", diagnostics))
          .ifPresent(expected -> places.addCase(pipeline, expected, file, item));
    }
  }

  private static Optional<SampleCase> read(YamlMap map) {
    map.allow("a case", KEYS);
    Optional<String> record = map.requiredText("a case", "record");
    List<Map<String, String>> rows = new ArrayList<>();
    map.map("row").ifPresent(row -> rows.add(fields(row)));
    map.items("rows").forEach(row -> rows.add(fields(map.mapAt(row, "a row"))));
    boolean tells = map.value("to").isPresent() || map.value("dies").isPresent() || !rows.isEmpty();
    if (record.isPresent() && !tells) {
      map.error(
          map.node(),
          "missing-key",
          "the case expects nothing",
          Optional.of("add to: TABLE, row: {FIELD: VALUE}, or dies: REASON"));
    }
    return record
        .filter(text -> tells)
        .map(
            text ->
                new SampleCase(
                    text,
                    map.text("header").orElse(""),
                    written(map),
                    map.texts("to"),
                    rows,
                    map.text("dies"),
                    map.text("field")));
  }

  /** By when the record had been written; 0 if that is not told. */
  private static long written(YamlMap map) {
    Optional<String> text = map.text("written");
    if (text.isEmpty()) {
      return 0;
    }
    try {
      return Instants.micros(OffsetDateTime.parse(text.get()).toInstant());
    } catch (DateTimeParseException e) {
      map.error(
          map.value("written").orElseThrow(),
          "bad-value",
          "'" + text.get() + "' is not a time with a zone",
          Optional.of("such as 2026-05-03T05:00:00Z"));
      return 0;
    }
  }

  private static Map<String, String> fields(YamlMap row) {
    Map<String, String> fields = new LinkedHashMap<>();
    row.keys().forEach(key -> fields.put(key, String.valueOf(YamlMap.texts(row.value(key).get()))));
    return fields;
  }
}

package io.wexrun.project.read;

import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.pipeline.FlushPolicy;
import io.wexrun.core.pipeline.Kind;
import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.core.pipeline.Rollup;
import io.wexrun.core.pipeline.Route;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.pipeline.Sizes;
import io.wexrun.core.pipeline.StepDefinition;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.schema.Column;
import io.wexrun.project.yaml.YamlFile;
import io.wexrun.project.yaml.YamlMap;
import io.wexrun.project.yaml.YamlText;
import java.nio.file.Path;
import java.util.Collection;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.snakeyaml.engine.v2.nodes.Node;

/** Writes definitions as the YAML that they could have been read from. */
public final class DefinitionText {
  private static final String TABLES = "tables";

  private DefinitionText() {}

  /** A pipeline as the document of a pipeline file. */
  public static String of(Pipeline pipeline) {
    return YamlText.of(map(pipeline));
  }

  /** Reads back what {@link #of} wrote. */
  public static Optional<Pipeline> read(String name, String text, Diagnostics diagnostics) {
    YamlFile file = YamlFile.parse("the kept text of " + name, text, diagnostics);
    Optional<Node> document = file.documents().stream().findFirst();
    return document.flatMap(d -> PipelineReader.read(file, d, diagnostics));
  }

  /**
   * The tables that a pipeline loads, as far as they say what becomes of a record: a document that
   * goes behind the pipeline's.
   */
  public static String of(Collection<Table> tables) {
    Map<String, Object> all = new LinkedHashMap<>();
    tables.forEach(table -> all.put(table.name(), map(table)));
    return "---\n" + YamlText.of(Map.of(TABLES, all));
  }

  /** The tables behind a pipeline in a text that was kept; what has mistakes now is left out. */
  public static Map<String, Table> keptTables(String name, String text) {
    return readTables(name, text, Diagnostics.of("the kept text of " + name));
  }

  /** Reads back the tables behind a pipeline; none if there is no such document. */
  public static Map<String, Table> readTables(String name, String text, Diagnostics diagnostics) {
    YamlFile file = YamlFile.parse("the kept text of " + name, text, diagnostics);
    Map<String, Table> tables = new LinkedHashMap<>();
    if (file.documents().size() > 1) {
      YamlMap map = new YamlMap(file, file.documents().get(1), "tables", diagnostics);
      Optional<YamlMap> all = map.map(TABLES);
      for (String table : all.map(YamlMap::keys).orElse(List.of())) {
        all.get()
            .map(table)
            .ifPresent(
                written ->
                    tables.put(
                        table,
                        TableReader.read(
                            table,
                            written,
                            new Likeness(Path.of(""), Map.of(), (s, t) -> Optional.empty()))));
      }
    }
    return tables;
  }

  private static Map<String, Object> map(Table table) {
    Map<String, Object> map = new LinkedHashMap<>();
    Map<String, Object> columns = new LinkedHashMap<>();
    List<Column> kept = table.rollup().map(Rollup::kept).orElse(List.of());
    for (Column column : table.schema().columns()) {
      if (!kept.contains(column)) {
        columns.put(column.name(), spelled(table, column));
      }
    }
    map.put("in", table.store());
    map.put("columns", columns);
    table.rollup().ifPresent(rollup -> map.put("group", rollup.group()));
    if (table.rollup().isEmpty() && !table.key().isEmpty()) {
      map.put("key", table.key());
    }
    table
        .details()
        .drift()
        .ifPresent(drift -> map.put("drift", Map.of(drift.field(), drift.policy().toString())));
    return map;
  }

  /** The columns of a table as they are written, by name. */
  public static Map<String, String> columns(Table table) {
    Map<String, String> columns = new LinkedHashMap<>();
    table.schema().columns().forEach(column -> columns.put(column.name(), spelled(table, column)));
    return columns;
  }

  private static String spelled(Table table, Column column) {
    Integer length = table.details().lengths().get(column.name());
    String byDefault = table.defaults().get(column.name());
    Optional<String> filled =
        table.rollup().stream()
            .flatMap(rollup -> rollup.measures().stream())
            .filter(measure -> measure.column().equals(column.name()))
            .map(measure -> measure.function() + "(" + measure.of() + ")")
            .findFirst()
            .or(() -> Optional.ofNullable(table.computed().get(column.name())));
    return (length == null ? column.type().toString() : "text(" + length + ")")
        + (column.required() ? " required" : "")
        + (byDefault == null ? "" : " default " + byDefault)
        + filled.map(expression -> " = " + expression).orElse("");
  }

  private static Map<String, Object> map(Pipeline pipeline) {
    Map<String, Object> map = new LinkedHashMap<>();
    map.put("pipeline", pipeline.name());
    if (!pipeline.about().isEmpty()) {
      map.put("about", pipeline.about());
    }
    if (!pipeline.patterns().isEmpty()) {
      map.put("patterns", pipeline.patterns());
    }
    map.put("intake", map(pipeline.intake()));
    if (!pipeline.channel().equals(Pipeline.IN_MEMORY)) {
      map.put("channel", map(pipeline.channel()));
    }
    shape(pipeline.shape(), map);
    if (pipeline.kinds().isEmpty()) {
      map.put("route", pipeline.route().stream().map(DefinitionText::map).toList());
    } else {
      Map<String, Object> kinds = new LinkedHashMap<>();
      pipeline.kinds().forEach(kind -> kinds.put(kind.name(), map(kind)));
      map.put("kinds", kinds);
      map.put("others", pipeline.others().toString());
    }
    if (!pipeline.dead().isEmpty()) {
      map.put("dead", pipeline.dead().stream().map(DefinitionText::map).toList());
    }
    map.put("flush", map(pipeline.flush()));
    return map;
  }

  private static void shape(List<StepDefinition> shape, Map<String, Object> map) {
    if (!shape.isEmpty()) {
      map.put("shape", shape.stream().map(s -> Map.of(s.kind(), s.value())).toList());
    }
  }

  private static Map<String, Object> map(Kind kind) {
    Map<String, Object> map = new LinkedHashMap<>();
    if (!kind.has().isEmpty()) {
      map.put("has", kind.has());
    }
    if (!kind.where().isEmpty()) {
      map.put("where", kind.where());
    }
    kind.when().ifPresent(when -> map.put("when", when));
    shape(kind.shape(), map);
    map.put("route", kind.route().stream().map(DefinitionText::map).toList());
    return map;
  }

  private static Map<String, Object> map(Settings settings) {
    Map<String, Object> map = new LinkedHashMap<>();
    map.put(settings.kind(), settings.values().get(settings.kind()));
    settings.values().forEach(map::putIfAbsent);
    return map;
  }

  private static Map<String, Object> map(Route route) {
    Map<String, Object> map = new LinkedHashMap<>();
    route.when().ifPresent(when -> map.put("when", when));
    map.put("to", route.to());
    route.key().ifPresent(key -> map.put("key", key));
    return map;
  }

  private static Map<String, Object> map(FlushPolicy flush) {
    Map<String, Object> map = new LinkedHashMap<>();
    map.put("rows", flush.rows());
    map.put("size", Sizes.show(flush.bytes()));
    map.put("age", Sizes.show(flush.age()));
    return map;
  }
}

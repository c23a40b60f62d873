package io.wexrun.project.read;

import io.wexrun.core.connect.ColumnsReader;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.pipeline.Drift;
import io.wexrun.core.pipeline.OriginColumns;
import io.wexrun.core.pipeline.Rollup;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type;
import io.wexrun.project.yaml.YamlMap;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalInt;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import org.snakeyaml.engine.v2.nodes.MappingNode;
import org.snakeyaml.engine.v2.nodes.Node;
import org.snakeyaml.engine.v2.nodes.ScalarNode;

/** Reads the definition of a table. */
final class TableReader {
  /**
   * What a column is written as: {@code timestamp required}, {@code int default 0} or {@code bool =
   * ms > 500}.
   */
  private static final Pattern COLUMN =
      Pattern.compile("(.+?)(\\s+required)?(?:\\s+default\\s+(.+)|\\s*=\\s*(.+))?", Pattern.DOTALL);

  /** A text with the most characters that it may have. */
  private static final Pattern LENGTH = Pattern.compile("text\\(([1-9][0-9]{0,8})\\)");

  private static final List<String> TYPES =
      Stream.concat(
              Stream.of(Type.Scalar.values()).map(Type::toString),
              Stream.of("text(n)", "decimal(p,s)", "list<...>"))
          .toList();

  private static final List<String> DRIFT = List.of("ignore", "keep", "add", "die");

  private static final List<String> MANAGE = List.of("create", "never", "follow");

  private TableReader() {}

  /** The table; with columns of text where a type is wrong. */
  static Table read(String name, YamlMap map, Likeness likeness) {
    map.allow(
        "a table",
        List.of(
            "in",
            "about",
            "like",
            "columns",
            "comments",
            "drift",
            "group",
            "key",
            "origin",
            "sort",
            "manage"));
    String store = map.requiredText("a table", "in").orElse("");
    ColumnsReader.Columns taken = likeness.columns(name, map);
    Schema schema = taken.schema();
    Map<String, String> defaults = new LinkedHashMap<>();
    Map<String, String> computed = new LinkedHashMap<>();
    Map<String, Integer> lengths = new LinkedHashMap<>(taken.lengths());
    Optional<YamlMap> columns = map.map("columns");
    if (columns.isEmpty() && map.value("like").isEmpty()) {
      map.error("columns", "missing-key", "a table needs 'columns', or 'like'", Optional.empty());
    }
    for (String column : columns.map(YamlMap::keys).orElse(List.of())) {
      String text = columns.get().value(column).map(TableReader::spelling).orElse("");
      Matcher written = COLUMN.matcher(text.strip());
      Matcher length = LENGTH.matcher(written.matches() ? written.group(1) : "");
      lengths.remove(column);
      if (length.matches()) {
        lengths.put(column, Integer.parseInt(length.group(1)));
      }
      Optional<Type> type =
          length.matches()
              ? Optional.of(Type.Scalar.TEXT)
              : written.matches() ? Type.parse(written.group(1)) : Optional.empty();
      if (type.isEmpty()) {
        String word = written.matches() ? written.group(1) : text;
        columns
            .get()
            .error(
                column,
                "unknown-type",
                "'"
                    + text
                    + "' is not a column: it is a type, then 'required', 'default VALUE' or"
                    + " '= EXPRESSION'",
                Diagnostics.nearestOrKnown(word, TYPES, all -> "the types are " + all));
      }
      boolean required = written.matches() && written.group(2) != null;
      schema = schema.with(new Column(column, type.orElse(Type.Scalar.TEXT), required));
      if (written.matches() && written.group(3) != null) {
        defaults.put(column, written.group(3));
      }
      if (written.matches() && written.group(4) != null) {
        computed.put(column, written.group(4).strip());
      }
    }
    schema = withOrigin(map, schema);
    Table table =
        new Table(name, store, schema, defaults)
            .managed(manage(map))
            .with(
                new Table.Details(
                    map.text("about").orElse(""),
                    comments(map, schema),
                    lengths,
                    columnsOf("sort", map, schema),
                    drift(map, schema)));
    if (map.value("group").isPresent()) {
      return rollup(map, table, computed);
    }
    return table.computed(computed).keyed(columnsOf("key", map, schema));
  }

  /** With the columns of origin, if the table is to have them. */
  private static Schema withOrigin(YamlMap map, Schema schema) {
    Optional<String> written = map.text("origin");
    if (written.isEmpty()) {
      return schema;
    }
    if (!List.of("true", "false").contains(written.get())) {
      map.error(
          "origin",
          "bad-value",
          "'" + written.get() + "' is neither true nor false",
          Optional.of("origin: true keeps for each row which record it was made of"));
    } else if (map.value("group").isPresent()) {
      map.error(
          "origin",
          "wrong-form",
          "a table with 'group' keeps no rows, so it has no 'origin'",
          Optional.of("remove it"));
    } else if (schema.names().stream().anyMatch(OriginColumns::is)) {
      map.error(
          "columns",
          "bad-name",
          "columns named "
              + OriginColumns.SOURCE
              + " and "
              + OriginColumns.POSITION
              + " are those of 'origin'",
          Optional.of("give them other names"));
    } else if (written.get().equals("true")) {
      return OriginColumns.behind(schema);
    }
    return schema;
  }

  /** A table that keeps groups of rows: its other columns are measures. */
  private static Table rollup(YamlMap map, Table table, Map<String, String> computed) {
    Schema schema = table.schema();
    List<String> group = columnsOf("group", map, schema);
    YamlMap columns = map.map("columns").orElse(map);
    if (map.value("key").isPresent()) {
      map.error(
          "key",
          "wrong-form",
          "a table with 'group' has one row for each group: it takes no 'key'",
          Optional.of("remove it"));
    }
    List<Rollup.Measure> measures = new ArrayList<>();
    Map<String, String> plain = new LinkedHashMap<>(computed);
    for (Column column : schema.columns()) {
      if (group.contains(column.name())) {
        continue;
      }
      String text = plain.remove(column.name());
      Optional<Rollup.Measure> measure =
          Optional.ofNullable(text)
              .flatMap(of -> Rollup.Measure.parse(column.name(), column.type(), of));
      Optional<String> fault =
          measure.isEmpty()
              ? Optional.of(
                  text == null
                      ? "'"
                          + column.name()
                          + "' is neither in 'group', nor does it say what is kept of the rows"
                      : "'" + text + "' does not say what is kept of the rows")
              : measure.get().fault().map(what -> "'" + column.name() + "': " + what);
      if (fault.isPresent()) {
        columns.error(
            column.name(),
            "bad-measure",
            fault.get(),
            Optional.of(
                "such as: "
                    + column.name()
                    + ": long = count(), or sum, min, max, avg, distinct of an expression"));
      } else {
        measures.add(measure.get());
      }
    }
    Rollup rollup = new Rollup(group, measures);
    for (Column kept : rollup.kept()) {
      if (schema.find(kept.name()).isPresent()) {
        columns.error(
            kept.name(),
            "reserved-name",
            "'" + kept.name() + "' is the name of a column that the table keeps by itself",
            Optional.of("choose another name"));
      }
    }
    return table.computed(plain).rolledUp(rollup);
  }

  /** {@code drift: {FIELD: POLICY}}. */
  private static Optional<Drift> drift(YamlMap map, Schema schema) {
    Optional<YamlMap> written = map.map("drift");
    List<String> fields = written.map(YamlMap::keys).orElse(List.of());
    if (written.isPresent() && fields.size() != 1) {
      map.error(
          "drift",
          "wrong-form",
          "'drift' names one field and what becomes of what is new in it",
          Optional.of("drift: {others: keep}, or ignore, add, die"));
    }
    if (fields.size() != 1) {
      return Optional.empty();
    }
    String field = fields.get(0);
    String policy = written.get().text(field).orElse("");
    if (!DRIFT.contains(policy)) {
      written
          .get()
          .error(
              field,
              "bad-value",
              "'" + policy + "' does not say what becomes of new fields",
              Diagnostics.nearestOrKnown(policy, DRIFT, all -> "write " + all));
      return Optional.empty();
    }
    Drift drift = new Drift(field, Drift.Policy.valueOf(policy.toUpperCase(Locale.ROOT)));
    boolean kept =
        schema.find(field).stream()
            .anyMatch(place -> schema.column(place).type() == Type.Scalar.JSON);
    if (drift.policy() == Drift.Policy.KEEP && !kept) {
      written
          .get()
          .error(
              field,
              "missing-column",
              "new fields are kept in a column '" + field + "', which the table does not have",
              Optional.of("add it to 'columns': " + field + ": json"));
    }
    if (map.value("group").isPresent()) {
      map.error(
          "drift",
          "wrong-form",
          "a table with 'group' has no rows that could have new fields",
          Optional.of("remove 'drift'"));
    }
    return Optional.of(drift);
  }

  private static Map<String, String> comments(YamlMap map, Schema schema) {
    Map<String, String> comments = new LinkedHashMap<>();
    Optional<YamlMap> written = map.map("comments");
    for (String column : written.map(YamlMap::keys).orElse(List.of())) {
      if (schema.find(column).isEmpty()) {
        written
            .get()
            .error(
                column,
                "unknown-column",
                "the table has no column '" + column + "'",
                Diagnostics.nearestOrKnown(
                    column, schema.names(), all -> "the columns are " + all));
      }
      written.get().text(column).ifPresent(text -> comments.put(column, text));
    }
    return comments;
  }

  /** The columns that a key of the definition names, none of them nested. */
  private static List<String> columnsOf(String key, YamlMap map, Schema schema) {
    List<String> names = schema.columns().stream().map(Column::name).toList();
    List<String> written = map.texts(key);
    for (String column : written) {
      OptionalInt place = schema.find(column);
      if (place.isEmpty()) {
        map.error(
            key,
            "unknown-column",
            "the table has no column '" + column + "'",
            Diagnostics.nearestOrKnown(column, names, all -> "the columns are " + all));
      } else if (schema.column(place.getAsInt()).type().nested()) {
        map.error(
            key,
            "wrong-form",
            "'" + column + "' is nested, and cannot be in '" + key + "'",
            Optional.empty());
      }
    }
    return written.stream().filter(names::contains).distinct().toList();
  }

  private static Table.Manage manage(YamlMap map) {
    String written = map.text("manage").orElse("create");
    if (!MANAGE.contains(written)) {
      map.error(
          "manage",
          "bad-value",
          "'" + written + "' does not say how the table is managed",
          Diagnostics.nearestOrKnown(written, MANAGE, all -> "write " + all));
      return Table.Manage.CREATE;
    }
    return Table.Manage.valueOf(written.toUpperCase(Locale.ROOT));
  }

  /** A type as one text: a mapping is a struct. */
  private static String spelling(Node node) {
    if (node instanceof MappingNode mapping) {
      return mapping.getValue().stream()
          .map(field -> spelling(field.getKeyNode()) + ": " + spelling(field.getValueNode()))
          .collect(Collectors.joining(", ", "{", "}"));
    }
    return node instanceof ScalarNode scalar ? scalar.getValue() : "a list";
  }
}

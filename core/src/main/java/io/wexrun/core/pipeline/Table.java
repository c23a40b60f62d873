package io.wexrun.core.pipeline;

import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/**
 * A table in a store.
 *
 * @param name unique in its workspace
 * @param store the name of the store that holds it
 * @param schema its columns in order
 * @param defaults for some columns the value that stands where a record has none, as written
 * @param manage what may be done to the table in its store beside loading rows
 * @param computed for some columns the CEL expression over a pipeline's fields that fills them
 * @param manage what may be done to the table in its store beside loading rows
 * @param key the columns by which a row takes the place of one that is there; empty if none does
 * @param rollup what it keeps of its rows, if it does not keep the rows themselves
 * @param details what else is said of it
 */
public record Table(
    String name,
    String store,
    Schema schema,
    Map<String, String> defaults,
    Map<String, String> computed,
    Manage manage,
    List<String> key,
    Optional<Rollup> rollup,
    Details details) {
  /** What may be done to a table in its store. */
  public enum Manage {
    /** It is made if it is not there, and not changed. */
    CREATE,
    /** Nothing: its makers keep it elsewhere. */
    NEVER,
    /** It is made if it is not there, and gets columns that are defined and that it lacks. */
    FOLLOW
  }

  /**
   * What may be said of a table beside what its rows are.
   *
   * @param about what it is, for people; may be empty
   * @param comments what some columns are, for people
   * @param lengths the most characters (code points) of some columns of texts
   * @param sort the columns by which rows of a file are in order
   * @param drift what becomes of fields that it has no column for, if that is said
   */
  public record Details(
      String about,
      Map<String, String> comments,
      Map<String, Integer> lengths,
      List<String> sort,
      Optional<Drift> drift) {
    /** Nothing. */
    public static final Details NONE =
        new Details("", Map.of(), Map.of(), List.of(), Optional.empty());

    /** Copies the collections. */
    public Details {
      comments = Map.copyOf(comments);
      lengths = Map.copyOf(lengths);
      sort = List.copyOf(sort);
    }
  }

  /** A table that is made if it is not there. */
  public Table(String name, String store, Schema schema, Map<String, String> defaults) {
    this(
        name,
        store,
        schema,
        defaults,
        Map.of(),
        Manage.CREATE,
        List.of(),
        Optional.empty(),
        Details.NONE);
  }

  /** The same table, managed in another way. */
  public Table managed(Manage other) {
    return new Table(name, store, schema, defaults, computed, other, key, rollup, details);
  }

  /**
   * The same table, in which rows with the same values in some columns replace each other. Every
   * row must fill these columns.
   */
  public Table keyed(List<String> columns) {
    Schema filled = Schema.EMPTY;
    for (Column column : schema.columns()) {
      boolean required = column.required() || columns.contains(column.name());
      filled = filled.with(new Column(column.name(), column.type(), required));
    }
    return new Table(name, store, filled, defaults, computed, manage, columns, rollup, details);
  }

  /** The same table, of which something else is said. */
  public Table with(Details other) {
    return new Table(name, store, schema, defaults, computed, manage, key, rollup, other);
  }

  /** The same table with other columns, such as more of them. */
  public Table wider(Schema other) {
    return new Table(name, store, other, defaults, computed, manage, key, rollup, details);
  }

  /** The same table under another name. */
  public Table named(String other) {
    return new Table(other, store, schema, defaults, computed, manage, key, rollup, details);
  }

  /** The same table, some of whose columns are computed from a pipeline's fields. */
  public Table computed(Map<String, String> expressions) {
    return new Table(name, store, schema, defaults, expressions, manage, key, rollup, details);
  }

  /**
   * The same table, which has a row for each group of rows, and beside the written columns those
   * that merging needs.
   */
  public Table rolledUp(Rollup kept) {
    Table all =
        new Table(
            name,
            store,
            kept.stored(schema),
            defaults,
            computed,
            manage,
            key,
            Optional.of(kept),
            details);
    return all.keyed(List.of(Rollup.ID));
  }

  /** Copies the collections. */
  public Table {
    defaults = Map.copyOf(defaults);
    computed = Map.copyOf(computed);
    key = List.copyOf(key);
  }

  /** Begins a table in a store. */
  public static Builder in(String store, String name) {
    return new Builder(store, name);
  }

  /** Collects the columns of a table. */
  public static final class Builder {
    private final String store;
    private final String name;
    private Schema schema = Schema.EMPTY;
    private final Map<String, String> defaults = new LinkedHashMap<>();
    private final Map<String, String> computed = new LinkedHashMap<>();
    private final List<Rollup.Measure> measures = new ArrayList<>();
    private List<String> group;

    private Builder(String store, String name) {
      this.store = store;
      this.name = name;
    }

    /** Adds a column whose values may be absent. */
    public Builder column(String column, Type type) {
      schema = schema.with(Column.of(column, type));
      return this;
    }

    /** Adds a column that every row must fill. */
    public Builder required(String column, Type type) {
      schema = schema.with(Column.required(column, type));
      return this;
    }

    /** Adds a column with the value that stands where a record has none. */
    public Builder column(String column, Type type, String defaultValue) {
      defaults.put(column, defaultValue);
      return column(column, type);
    }

    /** Adds a column that a CEL expression over a pipeline's fields gives. */
    public Builder computed(String column, Type type, String expression) {
      computed.put(column, expression);
      return column(column, type);
    }

    /** Makes the table a rollup: one row for each combination of values in some columns. */
    public Builder group(String... columns) {
      group = List.of(columns);
      return this;
    }

    /**
     * Adds a column of a rollup.
     *
     * @param kept what is kept of the rows, such as {@code sum(ms)}
     * @throws IllegalArgumentException if that is not a measure, or gives another type
     */
    public Builder measure(String column, Type type, String kept) {
      Rollup.Measure measure =
          Rollup.Measure.parse(column, type, kept)
              .orElseThrow(() -> new IllegalArgumentException("'" + kept + "' is not a measure"));
      measure
          .fault()
          .ifPresent(
              what -> {
                throw new IllegalArgumentException("column " + column + ": " + what);
              });
      measures.add(measure);
      return column(column, type);
    }

    /** The table. */
    public Table build() {
      Table table = new Table(name, store, schema, defaults).computed(computed);
      return group == null ? table : table.rolledUp(new Rollup(group, measures));
    }
  }
}

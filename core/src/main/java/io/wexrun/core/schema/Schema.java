package io.wexrun.core.schema;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.OptionalInt;

/** Columns in order, with distinct names. Immutable; equal by value. */
public final class Schema {
  /** No columns: the schema of raw records before any step. */
  public static final Schema EMPTY = new Schema(List.of());

  private final List<Column> columns;
  private final Map<String, Integer> places;

  /**
   * Makes a schema.
   *
   * @throws IllegalArgumentException if two columns have one name
   */
  public Schema(List<Column> columns) {
    this.columns = List.copyOf(columns);
    this.places = new HashMap<>();
    for (int i = 0; i < columns.size(); i++) {
      if (places.put(columns.get(i).name(), i) != null) {
        throw new IllegalArgumentException("two columns named " + columns.get(i).name());
      }
    }
  }

  /** A schema of the given columns. */
  public static Schema of(Column... columns) {
    return new Schema(List.of(columns));
  }

  /** The columns in order; unmodifiable. */
  public List<Column> columns() {
    return columns;
  }

  /** How many columns there are. */
  public int size() {
    return columns.size();
  }

  /** The column at a place, from 0. */
  public Column column(int place) {
    return columns.get(place);
  }

  /** The place of a column, from 0; empty if there is none of that name. */
  public OptionalInt find(String name) {
    Integer place = places.get(name);
    return place == null ? OptionalInt.empty() : OptionalInt.of(place);
  }

  /** The names in order. */
  public List<String> names() {
    return columns.stream().map(Column::name).toList();
  }

  /** This schema with a column put in the place of its namesake, or at the end. */
  public Schema with(Column column) {
    List<Column> changed = new ArrayList<>(columns);
    OptionalInt place = find(column.name());
    if (place.isPresent()) {
      changed.set(place.getAsInt(), column);
    } else {
      changed.add(column);
    }
    return new Schema(changed);
  }

  @Override
  public boolean equals(Object other) {
    return other instanceof Schema that && columns.equals(that.columns);
  }

  @Override
  public int hashCode() {
    return columns.hashCode();
  }

  @Override
  public String toString() {
    return columns.toString();
  }
}

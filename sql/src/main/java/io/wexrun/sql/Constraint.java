package io.wexrun.sql;

import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Set;
import java.util.TreeSet;
import java.util.stream.Collectors;

/**
 * A constraint of a table, so that a query can tell which rows break it. In its expressions {@code
 * s} is a row that is to be inserted.
 *
 * @param kind what it asks for
 * @param columns of the table; of a condition, none
 * @param broken of a condition, what is true of a row that breaks it
 * @param other of a reference, the table that rows refer to
 * @param otherColumns of a reference, the columns there, in the order of {@code columns}
 * @param why an expression that gives the reason why a row is refused
 */
public record Constraint(
    Kind kind,
    List<String> columns,
    String broken,
    String other,
    List<String> otherColumns,
    String why) {
  /** What constraints ask for. */
  public enum Kind {
    /** A condition over the values of a row. */
    CONDITION,
    /** No two rows have the same values in the columns. */
    UNIQUE,
    /** A row of another table has the values of the columns. */
    REFERENCE
  }

  /** A condition over a row. */
  public static Constraint condition(String broken, String why) {
    return new Constraint(Kind.CONDITION, List.of(), broken, "", List.of(), why);
  }

  /** Columns whose values no two rows have. */
  public static Constraint unique(List<String> columns, String why) {
    return new Constraint(Kind.UNIQUE, columns, "", "", List.of(), why);
  }

  /** Columns whose values a row of another table has. */
  public static Constraint reference(
      List<String> columns, String other, List<String> otherColumns, String why) {
    return new Constraint(Kind.REFERENCE, columns, "", other, otherColumns, why);
  }

  /** An expression for the values of columns, with commas between them. */
  public static String values(List<String> columns) {
    return columns.stream()
        .map(column -> "coalesce(s." + Names.name(column) + "::varchar, 'null')")
        .collect(Collectors.joining(" || ', ' || "));
  }

  /** The columns, in one case and order. */
  static Set<String> folded(List<String> columns) {
    return columns.stream()
        .map(name -> name.toLowerCase(Locale.ROOT))
        .collect(Collectors.toCollection(TreeSet::new));
  }

  /** Whether a row has a value in each of the columns: only then it can break the constraint. */
  String given() {
    return columns.stream()
        .map(column -> "s." + Names.name(column) + " is not null")
        .collect(Collectors.joining(" and "));
  }

  /** Whether a row {@code o} of a table has the values of the columns. */
  String same(List<String> others) {
    List<String> pairs = new ArrayList<>();
    for (int i = 0; i < columns.size(); i++) {
      pairs.add("o." + Names.name(others.get(i)) + " = s." + Names.name(columns.get(i)));
    }
    return String.join(" and ", pairs);
  }
}

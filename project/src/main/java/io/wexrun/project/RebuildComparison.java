package io.wexrun.project;

import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.OriginColumns;
import io.wexrun.core.pipeline.Rollup;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type;
import io.wexrun.core.target.Answer;
import io.wexrun.core.target.Querying;
import io.wexrun.project.facts.TableComparison;
import io.wexrun.project.facts.TableComparison.Count;
import io.wexrun.project.facts.TableComparison.Example;
import io.wexrun.project.facts.TableComparison.Values;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.function.Function;
import java.util.stream.Collectors;

/**
 * Compares a table with one that was built again, by statements that every store takes that swaps
 * tables. Values are compared as the texts that the store makes of them, so that a column of
 * another type is compared too.
 */
final class RebuildComparison {
  /** So many differing values of a column are shown. */
  private static final int MOST_VALUES = 3;

  private static final int MOST_EXAMPLES = 4;

  private final Function<String, Answer> store;
  private final Table table;
  private final String before;
  private final String after;

  /**
   * Of two tables of one store.
   *
   * @param store answers statements
   * @param table the one that was built, as it is defined
   * @param before the name of the one of before
   * @param after the name of what was built
   */
  RebuildComparison(Function<String, Answer> store, Table table, String before, String after) {
    this.store = store;
    this.table = table;
    this.before = before;
    this.after = after;
  }

  /**
   * Compares them.
   *
   * @param there the columns of the one of before
   * @param built the columns of what was built
   * @param reached up to where it was built, by source partition; empty if it is complete
   * @param behind whether the pipeline has got further than that
   */
  TableComparison compare(
      Schema there, Schema built, Map<SourcePartition, Long> reached, boolean behind) {
    List<String> columns = names(there);
    columns.retainAll(names(built));
    // What merging needs is not for people.
    table.rollup().ifPresent(rollup -> columns.removeIf(c -> isKept(rollup, c)));
    boolean origins = columns.contains(OriginColumns.SOURCE) && OriginColumns.in(table);
    List<String> by =
        table.rollup().isPresent()
            ? table.rollup().get().group()
            : !table.key().isEmpty()
                ? table.key()
                : origins ? List.of(OriginColumns.SOURCE, OriginColumns.POSITION) : List.of();
    List<String> values = columns.stream().filter(c -> !OriginColumns.is(c)).toList();
    List<String> compared = new ArrayList<>(values);
    by.stream().filter(column -> !compared.contains(column)).forEach(compared::add);
    boolean bounded = origins && behind && !reached.isEmpty();
    Set<String> numbers =
        columns.stream()
            .filter(column -> isNumber(there, column) && isNumber(built, column))
            .filter(column -> !type(there, column).equals(type(built, column)))
            .collect(Collectors.toSet());
    String with = with(compared, numbers, bounded ? bounds(reached) : "");
    List<Object> counts =
        store
            .apply(
                with
                    + "select (select count(*) from b), (select count(*) from a),"
                    + " (select coalesce(sum(x - y), 0) from d where x > y),"
                    + " (select coalesce(sum(y - x), 0) from d where y > x), "
                    + changed(by, compared))
            .rows()
            .get(0);
    List<String> missing = names(there);
    missing.removeAll(names(built));
    List<String> fresh = names(built);
    fresh.removeAll(names(there));
    boolean differ = number(counts, 2) + number(counts, 3) > 0;
    return new TableComparison(
        table.name(),
        number(counts, 0),
        number(counts, 1),
        number(counts, 2),
        number(counts, 3),
        number(counts, 4),
        by,
        differ ? values(with, values) : List.of(),
        columns.stream()
            .filter(column -> !type(there, column).equals(type(built, column)))
            .map(c -> c + ": " + type(there, c) + ", now " + type(built, c))
            .toList(),
        missing,
        fresh,
        differ ? examples(with, compared, by) : List.of(),
        behind && !bounded);
  }

  private static List<String> names(Schema schema) {
    return new ArrayList<>(schema.columns().stream().map(Column::name).toList());
  }

  private static boolean isKept(Rollup rollup, String column) {
    return rollup.kept().stream().anyMatch(kept -> kept.name().equals(column));
  }

  private static Type type(Schema schema, String column) {
    return schema.column(schema.find(column).orElseThrow()).type();
  }

  private static boolean isNumber(Schema schema, String column) {
    Type type = type(schema, column);
    return type == Type.Scalar.INT || type == Type.Scalar.LONG || type == Type.Scalar.DOUBLE;
  }

  private static long number(List<Object> row, int column) {
    return ((Number) row.get(column)).longValue();
  }

  /**
   * The rows of both, and those that only one of them has.
   *
   * @param numbers columns of numbers of different kinds
   */
  private String with(List<String> columns, Set<String> numbers, String bounds) {
    String list =
        columns.stream()
            .map(
                c -> {
                  String value = "t." + Querying.quoted(c);
                  return "cast("
                      + (numbers.contains(c) ? "cast(" + value + " as double precision)" : value)
                      + " as varchar) as "
                      + Querying.quoted(c);
                })
            .collect(Collectors.joining(", "));
    return "with b as (select "
        + list
        + " from "
        + Querying.quoted(before)
        + " t"
        + bounds
        + "), a as (select "
        + list
        + " from "
        + Querying.quoted(after)
        + " t), d as materialized (select h, sum(x) as x, sum(y) as y from (select "
        + digest(columns)
        + " as h, 1 as x, 0 as y from b union all select "
        + digest(columns)
        + ", 0, 1 from a) u group by h having sum(x) <> sum(y)) ";
  }

  /** What stands for values in few bytes: different for different ones, as far as MD5 is. */
  private static String digest(List<String> columns) {
    return columns.stream()
        .map(Querying::quoted)
        .map(column -> "coalesce(length(" + column + ") || ':' || " + column + ", '-')")
        .collect(Collectors.joining(" || ", "cast(md5(", ") as uuid)"));
  }

  /** Rows of which one side has more than the other. */
  private static String more(String side, List<String> compared) {
    String which = side.equals("b") ? "x > y" : "y > x";
    return side + " where " + digest(compared) + " in (select h from d where " + which + ")";
  }

  private static String bounds(Map<SourcePartition, Long> reached) {
    return reached.entrySet().stream()
        .map(each -> "(" + OriginColumns.id(each.getKey().name()) + ", " + each.getValue() + ")")
        .collect(
            Collectors.joining(
                ", ",
                " join (values ",
                ") r(source, bound) on t."
                    + OriginColumns.SOURCE
                    + " = r.source and t."
                    + OriginColumns.POSITION
                    + " < r.bound"));
  }

  private static String list(List<String> columns) {
    return columns.stream().map(Querying::quoted).collect(Collectors.joining(", "));
  }

  private static String changed(List<String> by, List<String> compared) {
    String key = by.isEmpty() ? "" : "(select " + digest(by) + " from ";
    return by.isEmpty()
        ? "0"
        : "(select count(*) from ("
            + key
            + more("b", compared)
            + ") intersect "
            + key
            + more("a", compared)
            + ")) c)";
  }

  /** Of each column the values that one side has more often; rows that both have do not count. */
  private List<Values> values(String with, List<String> columns) {
    List<Values> all = new ArrayList<>();
    for (String column : columns) {
      String value = Querying.quoted(column);
      List<List<Object>> rows =
          store
              .apply(
                  with
                      + ", e as materialized (select v, sum(x) as x, sum(y) as y from (select "
                      + value
                      + " as v, 1 as x, 0 as y from b union all select "
                      + value
                      + ", 0, 1 from a) u group by v having sum(x) <> sum(y))"
                      + " select v, x, y, (select count(*) from e) from e"
                      + " order by abs(x - y) desc, v limit "
                      + MOST_VALUES)
              .rows();
      if (!rows.isEmpty()) {
        all.add(
            new Values(
                column,
                number(rows.get(0), 3),
                rows.stream()
                    .map(row -> new Count(text(row.get(0)), number(row, 1), number(row, 2)))
                    .toList()));
      }
    }
    return all;
  }

  private static String text(Object value) {
    return value == null ? null : value.toString();
  }

  private List<Example> examples(String with, List<String> columns, List<String> by) {
    String order = by.isEmpty() ? list(columns) : list(by);
    Answer answer =
        store.apply(
            with
                + "select * from (select 'before' as side, * from (select * from "
                + more("b", columns)
                + " order by "
                + order
                + " limit "
                + MOST_EXAMPLES / 2
                + ") p union all select 'after', * from (select * from "
                + more("a", columns)
                + " order by "
                + order
                + " limit "
                + MOST_EXAMPLES / 2
                + ") q) s order by side desc, "
                + order);
    List<Example> examples = new ArrayList<>();
    for (List<Object> row : answer.rows()) {
      Map<String, String> values = new LinkedHashMap<>();
      for (int i = 0; i < columns.size(); i++) {
        values.put(columns.get(i), text(row.get(i + 1)));
      }
      examples.add(new Example((String) row.get(0), values));
    }
    return examples;
  }
}

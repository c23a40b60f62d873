package io.wexrun.core.shape;

import io.wexrun.core.pipeline.Drift;
import io.wexrun.core.pipeline.Rollup;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;

/**
 * A column in which rows are to come to a table.
 *
 * @param column its name
 * @param type its type; empty if it takes the one that it comes with
 * @param required whether every row must fill it
 * @param longest the most characters of a text; empty for any number
 * @param byDefault what stands where a row has nothing, as written
 * @param from the name of a field, or the expression that gives it
 * @param computed whether {@code from} may be an expression
 * @param use what takes the values of a rollup's column
 */
record Wanted(
    String column,
    Optional<Type> type,
    boolean required,
    Optional<Integer> longest,
    Optional<String> byDefault,
    String from,
    boolean computed,
    Optional<Rollup.Function> use) {

  /** What a table wants: its columns, or if it is a rollup those of its group and its measures. */
  static List<Wanted> of(Table table) {
    List<Wanted> wanted = new ArrayList<>();
    Schema schema = table.schema();
    List<String> plain = table.rollup().map(Rollup::group).orElse(schema.names());
    for (String name : plain) {
      Column column = schema.column(schema.find(name).orElseThrow());
      String computed = table.computed().get(name);
      wanted.add(
          new Wanted(
              name,
              Optional.of(column.type()),
              column.required(),
              Optional.ofNullable(table.details().lengths().get(name)),
              Optional.ofNullable(table.defaults().get(name)),
              computed == null ? name : computed,
              computed != null,
              Optional.empty()));
    }
    Optional<Drift> adds = table.details().drift().filter(d -> d.policy() == Drift.Policy.ADD);
    if (adds.isPresent() && schema.find(adds.get().field()).isEmpty()) {
      wanted.add(plain(adds.get().field(), Type.Scalar.JSON));
    }
    for (Rollup.Measure measure : table.rollup().map(Rollup::measures).orElse(List.of())) {
      if (!measure.of().isEmpty()) {
        wanted.add(of(measure));
      }
    }
    return wanted;
  }

  /** A column of a field's name that need not be filled. */
  private static Wanted plain(String field, Type type) {
    return new Wanted(
        field,
        Optional.of(type),
        false,
        Optional.empty(),
        Optional.empty(),
        field,
        false,
        Optional.empty());
  }

  private static Wanted of(Rollup.Measure measure) {
    boolean same =
        switch (measure.function()) {
          case SUM, MIN, MAX -> true;
          case COUNT, AVG, DISTINCT -> false;
        };
    return new Wanted(
        measure.column(),
        same ? Optional.of(measure.type()) : Optional.empty(),
        false,
        Optional.empty(),
        Optional.empty(),
        measure.of(),
        true,
        Optional.of(measure.function()));
  }

  /** What it needs, if values of a type cannot stand in it; empty if they can. */
  Optional<String> fault(Type from) {
    if (type.isPresent()) {
      return from.mayFit(type.get()) ? Optional.empty() : Optional.of(type.get().withArticle());
    }
    boolean number =
        from == Type.Scalar.INT
            || from == Type.Scalar.LONG
            || from == Type.Scalar.DOUBLE
            || from instanceof Type.Decimal;
    if (use.equals(Optional.of(Rollup.Function.AVG)) && !number) {
      return Optional.of("numbers");
    }
    return use.equals(Optional.of(Rollup.Function.DISTINCT)) && from.nested()
        ? Optional.of("single values")
        : Optional.empty();
  }
}

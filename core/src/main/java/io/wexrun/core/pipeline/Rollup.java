package io.wexrun.core.pipeline;

import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type;
import java.util.List;
import java.util.Locale;
import java.util.Optional;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import java.util.stream.Stream;

/**
 * What a table keeps of its rows if it has one row for each group of them. Immutable.
 *
 * @param group the columns by whose values rows are grouped; an absent value is a value, too; none
 *     for one group of all rows
 * @param measures the other columns
 */
public record Rollup(List<String> group, List<Measure> measures) {
  /** The column that tells a group from all others: a hash of its values. */
  public static final String ID = "wexrun_group";

  private static final Pattern CALL =
      Pattern.compile("(count|sum|min|max|avg|distinct)\\s*\\((.*)\\)", Pattern.DOTALL);

  /** What is kept of the values of a group; absent values do not count. */
  public enum Function {
    /** How many values there are, or how many rows. */
    COUNT,
    /** Their sum; absent if there are none. Exact, in whatever order they come. */
    SUM,
    /** The least of them; texts by their code points. */
    MIN,
    /** The greatest of them; texts by their code points. */
    MAX,
    /** Their exact sum by their number, rounded once. */
    AVG,
    /** About how many different ones there are. */
    DISTINCT;

    /** The types that a column of this function may have; empty if it is right. */
    Optional<String> fault(Type type) {
      boolean right =
          switch (this) {
            case COUNT, DISTINCT -> type == Type.Scalar.LONG;
            case AVG -> type == Type.Scalar.DOUBLE;
            case SUM ->
                type == Type.Scalar.LONG
                    || type == Type.Scalar.DOUBLE
                    || type instanceof Type.Decimal;
            case MIN, MAX ->
                !type.nested()
                    && type != Type.Scalar.BOOL
                    && type != Type.Scalar.BYTES
                    && type != Type.Scalar.JSON;
          };
      String wanted =
          switch (this) {
            case COUNT, DISTINCT -> "a long";
            case AVG -> "a double";
            case SUM -> "a long, double or decimal";
            case MIN, MAX -> "a number, a time, text or a uuid";
          };
      return right
          ? Optional.empty()
          : Optional.of(this + " gives " + wanted + ", not " + type.withArticle());
    }

    @Override
    public String toString() {
      return name().toLowerCase(Locale.ROOT);
    }
  }

  /**
   * A column that is kept current.
   *
   * @param type of the column
   * @param of a CEL expression over the pipeline's fields; empty for whole rows, only with {@link
   *     Function#COUNT}
   */
  public record Measure(String column, Type type, Function function, String of) {
    /**
     * Reads a measure.
     *
     * @param text such as {@code sum(ms)}
     * @return empty if it is not one
     */
    public static Optional<Measure> parse(String column, Type type, String text) {
      Matcher call = CALL.matcher(text.strip());
      if (!call.matches()) {
        return Optional.empty();
      }
      Function function = Function.valueOf(call.group(1).toUpperCase(Locale.ROOT));
      String of = call.group(2).strip();
      return of.isEmpty() && function != Function.COUNT
          ? Optional.empty()
          : Optional.of(new Measure(column, type, function, of));
    }

    /** What is wrong with it, for people; empty if nothing is. */
    public Optional<String> fault() {
      return function.fault(type);
    }

    /**
     * The columns that keep, beside the measure itself, what merging needs: exact sums as decimal
     * numbers, counts, sketches.
     */
    public List<Column> kept() {
      return switch (function) {
        case COUNT, MIN, MAX -> List.of();
        case SUM ->
            type == Type.Scalar.DOUBLE
                ? List.of(Column.of(column + "_exact", Type.Scalar.TEXT))
                : List.of();
        case AVG ->
            List.of(
                Column.of(column + "_sum", Type.Scalar.TEXT),
                Column.required(column + "_count", Type.Scalar.LONG));
        case DISTINCT -> List.of(Column.required(column + "_sketch", Type.Scalar.BYTES));
      };
    }
  }

  /** Copies the lists. */
  public Rollup {
    group = List.copyOf(group);
    measures = List.copyOf(measures);
  }

  /** The columns that the table has beside those that are written. */
  public List<Column> kept() {
    return Stream.concat(
            measures.stream().flatMap(measure -> measure.kept().stream()),
            Stream.of(Column.required(ID, Type.Scalar.UUID)))
        .toList();
  }

  /** Written columns with those that are kept beside them. */
  Schema stored(Schema written) {
    Schema all = written;
    for (Column column : kept()) {
      all = all.with(column);
    }
    return all;
  }
}

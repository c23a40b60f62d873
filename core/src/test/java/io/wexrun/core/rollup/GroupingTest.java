package io.wexrun.core.rollup;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;
import static org.assertj.core.api.Assertions.within;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.DoubleVector;
import io.wexrun.core.batch.LongVector;
import io.wexrun.core.batch.Rows;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.batch.Vectors;
import io.wexrun.core.field.ValueText;
import io.wexrun.core.intake.Records;
import io.wexrun.core.pipeline.Rollup;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type;
import java.math.BigDecimal;
import java.math.MathContext;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Random;
import java.util.TreeMap;
import net.jqwik.api.ForAll;
import net.jqwik.api.Property;
import org.junit.jupiter.api.Test;

class GroupingTest {
  /** The columns of a rollup: those of its group, then measures with the types of their values. */
  private static final List<String> GROUP = List.of("at", "stop", "ratio");

  private static final Schema INPUT =
      Schema.of(
          Column.of("at", Type.Scalar.TIMESTAMP),
          Column.of("stop", Type.Scalar.TEXT),
          Column.of("ratio", Type.Scalar.DOUBLE),
          Column.of("present", Type.Scalar.TEXT),
          Column.of("whole", Type.Scalar.LONG),
          Column.of("price", new Type.Decimal(12, 2)),
          Column.of("real", Type.Scalar.DOUBLE),
          Column.of("mean_whole", Type.Scalar.INT),
          Column.of("mean_price", new Type.Decimal(12, 2)),
          Column.of("mean_real", Type.Scalar.DOUBLE),
          Column.of("first", Type.Scalar.TIMESTAMP),
          Column.of("last", Type.Scalar.TEXT),
          Column.of("peak", Type.Scalar.DOUBLE),
          Column.of("cards", Type.Scalar.TEXT));

  private static final Table TABLE =
      rollup(
          "rows: long = count()",
          "present: long = count(x)",
          "whole: long = sum(x)",
          "price: decimal(12,2) = sum(x)",
          "real: double = sum(x)",
          "mean_whole: double = avg(x)",
          "mean_price: double = avg(x)",
          "mean_real: double = avg(x)",
          "first: timestamp = min(x)",
          "last: text = max(x)",
          "peak: double = max(x)",
          "cards: long = distinct(x)");

  private static Table rollup(String... measures) {
    Schema schema = Schema.EMPTY;
    for (String column : GROUP) {
      schema = schema.with(INPUT.column(INPUT.find(column).orElseThrow()));
    }
    List<Rollup.Measure> all = new ArrayList<>();
    for (String measure : measures) {
      String[] parts = measure.split(": | = ");
      Type type = Type.parse(parts[1]).orElseThrow();
      schema = schema.with(Column.of(parts[0], type));
      all.add(Rollup.Measure.parse(parts[0], type, parts[2]).orElseThrow());
      assertThat(all.get(all.size() - 1).fault()).isEmpty();
    }
    return new Table("t", "s", schema, Map.of()).rolledUp(new Rollup(GROUP, all));
  }

  private static Rows rows(Schema schema, List<List<String>> texts) {
    List<Vector> columns = new ArrayList<>();
    for (int c = 0; c < schema.size(); c++) {
      Vector vector = Vectors.forType(schema.column(c).type(), texts.size());
      for (List<String> row : texts) {
        byte[] text = row.get(c) == null ? null : row.get(c).getBytes();
        if (text == null) {
          vector.appendAbsent();
        } else {
          assertThat(ValueText.append(schema.column(c).type(), text, 0, text.length, vector))
              .isTrue();
        }
      }
      columns.add(vector);
    }
    int[] of = new int[texts.size()];
    Records one = Records.numbered(new byte[0], new int[1], new int[1], 1, 0, null);
    return Rows.all(new Batch(schema, columns, texts.size(), one, of));
  }

  /** Rows whose numbers are hard to add up: of all sizes, nearly cancelling, beyond a long. */
  private static List<List<String>> random(Random dice, int count) {
    List<List<String>> rows = new ArrayList<>();
    for (int i = 0; i < count; i++) {
      String time = "2026-05-03T0" + dice.nextInt(3) + ":00:00Z";
      double real =
          switch (dice.nextInt(6)) {
            case 0 -> dice.nextInt(100) / 10.0;
            case 1 -> dice.nextGaussian() * 1e15;
            case 2 -> Double.longBitsToDouble(dice.nextLong() & 0x7FDFFFFFFFFFFFFFL);
            case 3 -> -Double.MAX_VALUE;
            case 4 -> Double.MAX_VALUE;
            default -> dice.nextGaussian() * 1e-300;
          };
      long whole = dice.nextInt(4) == 0 ? dice.nextLong() / 500 : dice.nextInt(1000);
      String price = BigDecimal.valueOf(dice.nextInt(2_000_000) - 1_000_000, 2).toPlainString();
      String text = "card " + dice.nextInt(300) + " Ünï".substring(0, dice.nextInt(5));
      List<String> row =
          Arrays.asList(
              time,
              "stop " + dice.nextInt(3),
              dice.nextBoolean() ? "0.5" : "-0.0",
              text,
              Long.toString(whole),
              price,
              Double.toString(real),
              Integer.toString(dice.nextInt()),
              price,
              Double.toString(real),
              time.replace(":00Z", ":" + (10 + dice.nextInt(50)) + "Z"),
              text,
              Double.toString(real),
              text);
      for (int c = 0; c < row.size(); c++) {
        if (dice.nextInt(12) == 0) {
          row.set(c, null);
        }
      }
      rows.add(row);
    }
    return rows;
  }

  /** Puts rows into a table part by part, as flushes do. */
  private static Batch inParts(Random dice, List<List<String>> rows, int parts) {
    List<List<List<String>>> flushes = new ArrayList<>();
    for (int i = 0; i < parts; i++) {
      flushes.add(new ArrayList<>());
    }
    rows.forEach(row -> flushes.get(dice.nextInt(parts)).add(row));
    Map<String, Rows> table = new TreeMap<>();
    for (List<List<String>> flush : flushes) {
      if (flush.isEmpty()) {
        continue;
      }
      int cut = dice.nextInt(flush.size() + 1);
      List<Rows> blocks = new ArrayList<>();
      blocks.add(rows(INPUT, flush.subList(0, cut)));
      blocks.add(rows(INPUT, flush.subList(cut, flush.size())));
      Grouping grouping = Grouping.of(TABLE, blocks);
      table.values().forEach(stored -> grouping.absorb(only(stored)));
      Batch merged = grouping.rows();
      for (int row = 0; row < merged.rows(); row++) {
        table.put(value(merged, Rollup.ID, row), Rows.of(merged, new int[] {row}, 1));
      }
    }
    List<Rows> all = List.copyOf(table.values());
    List<Vector> columns = new ArrayList<>();
    for (Column column : TABLE.schema().columns()) {
      Vector vector = Vectors.forType(column.type(), all.size());
      int place = TABLE.schema().find(column.name()).orElseThrow();
      all.forEach(row -> vector.appendFrom(row.batch().column(place), row.row(0)));
      columns.add(vector);
    }
    Records one = Records.numbered(new byte[0], new int[1], new int[1], 1, 0, null);
    return new Batch(TABLE.schema(), columns, all.size(), one, new int[all.size()]);
  }

  private static Batch only(Rows stored) {
    int[] row = {stored.row(0)};
    return stored.batch().only(row, 1);
  }

  private static String value(Batch batch, String name, int row) {
    int place = batch.schema().find(name).orElseThrow();
    Vector vector = batch.column(place);
    return vector.absent(row)
        ? null
        : ValueText.text(batch.schema().column(place).type(), vector, row);
  }

  /** What each group must have, computed from all rows at once. */
  private static List<String> expected(List<List<String>> rows) {
    Map<String, List<List<String>>> groups = new TreeMap<>();
    rows.forEach(
        row ->
            groups
                .computeIfAbsent(
                    row.get(0) + "|" + row.get(1) + "|" + zero(row.get(2)), k -> new ArrayList<>())
                .add(row));
    List<String> expected = new ArrayList<>();
    groups.forEach(
        (key, of) -> {
          List<String> values = new ArrayList<>(List.of(key, "" + of.size()));
          values.add("" + column(of, 3).size());
          values.add(whole(of, 4));
          values.add(column(of, 5).isEmpty() ? null : sum(of, 5).setScale(2).toPlainString());
          values.add(column(of, 6).isEmpty() ? null : "" + sum(of, 6).doubleValue());
          for (int c = 7; c <= 9; c++) {
            values.add(column(of, c).isEmpty() ? null : "" + mean(of, c));
          }
          values.add(column(of, 10).stream().min(String::compareTo).orElse(null));
          values.add(column(of, 11).stream().max(String::compareTo).orElse(null));
          values.add(
              column(of, 12).stream()
                  .map(Double::valueOf)
                  .max(Double::compare)
                  .map(String::valueOf)
                  .orElse(null));
          expected.add(String.join(" ", values.stream().map(String::valueOf).toList()));
        });
    return expected.stream().sorted().toList();
  }

  private static String zero(String ratio) {
    return "-0.0".equals(ratio) ? "0.0" : ratio;
  }

  private static List<String> column(List<List<String>> rows, int column) {
    return rows.stream().map(row -> row.get(column)).filter(Objects::nonNull).toList();
  }

  private static BigDecimal sum(List<List<String>> rows, int column) {
    return column(rows, column).stream()
        .map(
            text ->
                column == 6 || column == 9
                    ? new BigDecimal(Double.parseDouble(text))
                    : new BigDecimal(text))
        .reduce(BigDecimal.ZERO, BigDecimal::add);
  }

  private static String whole(List<List<String>> rows, int column) {
    return column(rows, column).isEmpty() ? null : sum(rows, column).toPlainString();
  }

  private static double mean(List<List<String>> rows, int column) {
    BigDecimal count = BigDecimal.valueOf(column(rows, column).size());
    return sum(rows, column).divide(count, MathContext.DECIMAL128).doubleValue();
  }

  private static List<String> found(Batch table) {
    List<String> found = new ArrayList<>();
    for (int row = 0; row < table.rows(); row++) {
      List<String> values = new ArrayList<>();
      String key =
          value(table, "at", row)
              + "|"
              + value(table, "stop", row)
              + "|"
              + zero(value(table, "ratio", row));
      values.add(key);
      for (Rollup.Measure measure : TABLE.rollup().orElseThrow().measures()) {
        if (!measure.column().equals("cards")) {
          values.add(value(table, measure.column(), row));
        }
      }
      found.add(String.join(" ", values.stream().map(String::valueOf).toList()));
    }
    return found.stream().sorted().toList();
  }

  @Property(tries = 60)
  void howeverRowsComeEachGroupHasWhatAllOfThemMakeToTheLastDigit(@ForAll long seed) {
    Random dice = new Random(seed);
    List<List<String>> rows = random(dice, 1 + dice.nextInt(200));
    Batch parts = inParts(dice, rows, 1 + dice.nextInt(9));
    assertThat(found(parts)).isEqualTo(expected(rows));
    Batch once = inParts(new Random(1), rows, 1);
    assertThat(state(parts)).as("what is kept for merging").isEqualTo(state(once));
  }

  /** The other columns, but for the bytes of sketches, of which only what they tell is compared. */
  private static Map<String, List<String>> state(Batch table) {
    Map<String, List<String>> state = new TreeMap<>();
    for (int row = 0; row < table.rows(); row++) {
      List<String> values = new ArrayList<>(List.of("" + value(table, "cards", row)));
      for (Column kept : TABLE.rollup().orElseThrow().kept()) {
        if (kept.type() != Type.Scalar.BYTES) {
          values.add(kept.name() + " " + value(table, kept.name(), row));
        }
      }
      state.put(value(table, Rollup.ID, row), values);
    }
    return state;
  }

  @Test
  void manyDifferentValuesAreCountedNearly() {
    Table table = rollup("cards: long = distinct(x)");
    Random dice = new Random(7);
    for (int of : List.of(0, 1, 50, 400, 5_000, 200_000)) {
      TextVector cards = new TextVector(of, of * 8);
      HashSet<String> different = new HashSet<>();
      for (int i = 0; i < of; i++) {
        String card = i == 0 ? "" : Integer.toHexString(dice.nextInt(of * 2));
        different.add(card);
        cards.append(card);
      }
      if (of == 0) {
        cards.appendAbsent();
      }
      int rows = cards.size();
      List<Vector> columns = new ArrayList<>();
      Schema schema = Schema.EMPTY;
      for (String column : GROUP) {
        Type type = INPUT.column(INPUT.find(column).orElseThrow()).type();
        schema = schema.with(Column.of(column, type));
        columns.add(Vectors.absent(type, rows));
      }
      schema = schema.with(Column.of("cards", Type.Scalar.TEXT));
      columns.add(cards);
      Records one = Records.numbered(new byte[0], new int[1], new int[1], 1, 0, null);
      Batch batch = new Batch(schema, columns, rows, one, new int[rows]);
      Batch merged = Grouping.of(table, List.of(Rows.all(batch))).rows();
      assertThat(merged.rows()).isEqualTo(1);
      long about = Long.parseLong(value(merged, "cards", 0));
      long most = of <= 400 ? different.size() / 100 : different.size() / 16;
      assertThat(about).isCloseTo(different.size(), within(most));
    }
  }

  @Test
  void whatDoesNotFitIntoItsColumnIsToldAndWhatComesBackIntoItIsNot() {
    Table table = rollup("whole: long = sum(x)", "price: decimal(4,2) = sum(x)");
    String most = Long.toString(Long.MAX_VALUE);
    Schema schema =
        Schema.of(
            INPUT.column(0),
            INPUT.column(1),
            INPUT.column(2),
            Column.of("whole", Type.Scalar.LONG),
            Column.of("price", new Type.Decimal(4, 2)));
    List<String> group = Arrays.asList(null, "a", null);
    Grouping well =
        Grouping.of(
            table,
            List.of(
                rows(
                    schema,
                    List.of(
                        with(group, most, "60.00"),
                        with(group, "1", "60.00"),
                        with(group, "-1", "-60.00")))));
    assertThat(value(well.rows(), "whole", 0)).isEqualTo(most);
    Grouping whole =
        Grouping.of(
            table, List.of(rows(schema, List.of(with(group, most, null), with(group, "1", null)))));
    assertThatThrownBy(whole::rows)
        .isInstanceOf(OutOfRange.class)
        .hasMessage("column whole cannot hold the sum 9223372036854775808");
    Grouping price =
        Grouping.of(
            table,
            List.of(rows(schema, List.of(with(group, null, "60"), with(group, null, "40.01")))));
    assertThatThrownBy(price::rows)
        .isInstanceOf(OutOfRange.class)
        .hasMessage("column price cannot hold the sum 100.01");
  }

  private static List<String> with(List<String> group, String... values) {
    List<String> row = new ArrayList<>(group);
    row.addAll(Arrays.asList(values));
    return row;
  }

  @Test
  void infinitiesAndWhatIsNoNumberGoOn() {
    ExactSum sum = new ExactSum();
    sum.add(1);
    sum.add(Double.POSITIVE_INFINITY);
    assertThat(sum.value()).isEqualTo(Double.POSITIVE_INFINITY);
    ExactSum again = new ExactSum();
    again.addText(sum.text());
    assertThat(again.by(2)).isEqualTo(Double.POSITIVE_INFINITY);
    again.add(Double.NEGATIVE_INFINITY);
    assertThat(again.value()).isNaN();
    ExactSum none = new ExactSum();
    none.addText(again.text());
    assertThat(none.value()).isNaN();
  }

  @Test
  void aGroupHasOneIdWhateverTheMachine() {
    Batch one =
        Grouping.of(
                TABLE,
                List.of(
                    rows(
                        INPUT,
                        List.of(
                            Arrays.asList(
                                "2026-05-03T00:00:00Z",
                                "Glassworks",
                                null,
                                null,
                                null,
                                null,
                                null,
                                null,
                                null,
                                null,
                                null,
                                null,
                                null,
                                null)))))
            .rows();
    assertThat(value(one, Rollup.ID, 0)).isEqualTo("f8974da7-68f3-87e7-8dd7-b2383fe84591");
    assertThat(((LongVector) one.column(3)).get(0)).isEqualTo(1);
    assertThat(((DoubleVector) one.column(one.schema().find("peak").orElseThrow())).absent(0))
        .isTrue();
  }
}

package io.wexrun.core.batch;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import io.wexrun.core.intake.Records;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type.Scalar;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.Collections;
import java.util.List;
import java.util.stream.IntStream;
import net.jqwik.api.Arbitraries;
import net.jqwik.api.Arbitrary;
import net.jqwik.api.ForAll;
import net.jqwik.api.Property;
import net.jqwik.api.Provide;
import net.jqwik.api.constraints.IntRange;
import net.jqwik.api.constraints.Size;
import net.jqwik.api.constraints.UniqueElements;
import org.junit.jupiter.api.Test;

class VectorTest {
  /** Adds values to a vector and to a list; "cut" takes the last half back from both. */
  private static void play(List<String> script, Vector vector, List<String> model) {
    for (String word : script) {
      if (word.equals("cut")) {
        vector.truncate(model.size() / 2);
        model.subList(model.size() / 2, model.size()).clear();
      } else if (word.equals("absent")) {
        vector.appendAbsent();
        model.add(null);
      } else if (vector instanceof TextVector text) {
        byte[] padded = ("##" + word + "####").getBytes(StandardCharsets.UTF_8);
        text.append(padded, 2, padded.length - 4);
        model.add(word);
      } else if (vector instanceof LongVector longs) {
        longs.append(word.length());
        model.add(Integer.toString(word.length()));
      } else {
        ((DoubleVector) vector).append(word.length() / 2.0);
        model.add(Double.toString(word.length() / 2.0));
      }
    }
  }

  private static String value(Vector vector, int row) {
    if (vector.absent(row)) {
      return null;
    }
    return vector instanceof TextVector text
        ? text.text(row)
        : vector instanceof LongVector longs
            ? Long.toString(longs.get(row))
            : Double.toString(((DoubleVector) vector).get(row));
  }

  private static List<String> values(Vector vector) {
    List<String> values = new ArrayList<>();
    for (int row = 0; row < vector.size(); row++) {
      values.add(value(vector, row));
    }
    return values;
  }

  @Provide
  Arbitrary<List<String>> scripts() {
    Arbitrary<String> words =
        Arbitraries.oneOf(
            Arbitraries.strings().withChars("aé日").ofMaxLength(40),
            Arbitraries.of("absent", "cut"));
    return words.list().ofMaxSize(200);
  }

  @Property
  void aVectorHoldsWhatWasAddedAndNotTakenBack(@ForAll("scripts") List<String> script) {
    for (Scalar type : List.of(Scalar.TEXT, Scalar.LONG, Scalar.DOUBLE)) {
      Vector vector = Vectors.forType(type, 1);
      List<String> model = new ArrayList<>();
      play(script, vector, model);
      assertThat(values(vector)).isEqualTo(model);
      assertThat(vector.allocated()).isGreaterThanOrEqualTo(vector.bytes());
      if (!vector.hasAbsent()) {
        assertThat(model).doesNotContainNull();
      }
    }
  }

  @Property
  void rowsCanBeCopiedOneByOne(@ForAll("scripts") List<String> script) {
    for (Scalar type : List.of(Scalar.TEXT, Scalar.LONG, Scalar.DOUBLE)) {
      Vector vector = Vectors.forType(type, 1);
      play(script, vector, new ArrayList<>());
      Vector reversed = Vectors.forType(type, 1);
      for (int row = vector.size() - 1; row >= 0; row--) {
        reversed.appendFrom(vector, row);
      }
      List<String> expected = values(vector);
      Collections.reverse(expected);
      assertThat(values(reversed)).isEqualTo(expected);
    }
  }

  @Test
  void absentVectorsAreAbsentThroughout() {
    Vector absent = Vectors.absent(Scalar.DATE, 130);
    assertThat(IntStream.range(0, 130)).allMatch(absent::absent);
  }

  private static Batch batch(int rows) {
    LongVector numbers = new LongVector(rows);
    IntStream.range(0, rows).forEach(numbers::append);
    int[] places = IntStream.range(0, rows).toArray();
    Records records = Records.numbered(null, places, places, rows, 1000, null);
    Schema schema = Schema.of(Column.of("n", Scalar.LONG));
    return new Batch(schema, List.of(numbers), rows, records, places);
  }

  @Property
  void runsCoverTheSelectedRowsInOrder(
      @ForAll @UniqueElements @Size(max = 60) List<@IntRange(min = 0, max = 99) Integer> chosen,
      @ForAll @IntRange(min = 0, max = 120) int from) {
    int[] selected = chosen.stream().sorted().mapToInt(Integer::intValue).toArray();
    Rows rows = Rows.of(batch(100), selected, selected.length);
    List<Integer> seen = new ArrayList<>();
    for (int i = 0; i < rows.count(); i += rows.run(i)) {
      int first = rows.row(i);
      IntStream.range(first, first + rows.run(i)).forEach(seen::add);
    }
    assertThat(seen).isEqualTo(IntStream.of(selected).boxed().toList());
    Rows later = rows.from(1000 + from);
    assertThat(IntStream.range(0, later.count()).mapToObj(later::row))
        .isEqualTo(seen.stream().filter(row -> row >= from).toList());
  }

  @Test
  void aSelectionOfAllRowsIsAllRows() {
    assertThat(Rows.of(batch(3), new int[] {0, 1, 2}, 3).isAll()).isTrue();
    assertThat(Rows.all(batch(3)).run(1)).isEqualTo(2);
    assertThat(Rows.all(batch(3)).from(0).isAll()).isTrue();
  }

  @Test
  void aBatchRefusesColumnsOfAnotherLength() {
    Batch three = batch(3);
    assertThatThrownBy(() -> three.with(three.schema(), List.of(new LongVector(1))))
        .isInstanceOf(IllegalArgumentException.class)
        .hasMessage("n: long has 0 values for 3 rows");
    assertThatThrownBy(() -> three.with(Schema.EMPTY, three.columns()))
        .hasMessageContaining("1 vectors for []");
  }
}

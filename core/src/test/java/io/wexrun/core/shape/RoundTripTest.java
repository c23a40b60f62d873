package io.wexrun.core.shape;

import static io.wexrun.core.shape.JsonStepTest.map;
import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.core.batch.Rows;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.batch.Vectors;
import io.wexrun.core.field.ValueText;
import io.wexrun.core.framing.Lines;
import io.wexrun.core.framing.QuotedLines;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Framing;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.StepDefinition;
import io.wexrun.core.schema.Type;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.stream.Collectors;
import net.jqwik.api.Arbitraries;
import net.jqwik.api.Arbitrary;
import net.jqwik.api.ForAll;
import net.jqwik.api.Property;
import net.jqwik.api.Provide;
import net.jqwik.api.constraints.LongRange;

/** What is written by the rules of a format is read back as it was. */
class RoundTripTest {
  private static final List<String> NAMES = List.of("a", "b", "c");

  @Provide
  Arbitrary<List<List<String>>> rows() {
    Arbitrary<String> value =
        Arbitraries.strings().withChars("ab\",;= \\\u00e9\u2603'{}[]").ofMaxLength(8);
    return value.list().ofSize(3).list().ofMinSize(1).ofMaxSize(6);
  }

  private static List<List<String>> read(StepDefinition step, List<String> lines, Framing framing) {
    byte[] data = (String.join("\n", lines) + "\n").getBytes(StandardCharsets.UTF_8);
    Block block = new Block(new SourcePartition("x"), 0, data.length, data, data.length, framing);
    Shaped shaped = Shaping.over(step).shaper().shape(block);
    assertThat(Shaping.dead(shaped)).isEmpty();
    Rows rows = shaped.rows().get("all");
    List<List<String>> read = new ArrayList<>();
    for (Map<String, Object> row : Shaping.maps(rows)) {
      read.add(NAMES.stream().map(n -> (String) row.get(n)).toList());
    }
    return read;
  }

  @Property(tries = 500)
  void csv(@ForAll("rows") List<List<String>> rows) {
    List<String> lines =
        rows.stream()
            .map(
                row ->
                    row.stream()
                        .map(v -> '"' + v.replace("\"", "\"\"") + '"')
                        .collect(Collectors.joining(";")))
            .toList();
    StepDefinition step =
        StepDefinition.of("csv", map("columns", NAMES, "separator", ";", "quote", "\""));
    assertThat(read(step, lines, QuotedLines.FRAMING)).isEqualTo(rows);
  }

  @Property(tries = 500)
  void pairs(@ForAll("rows") List<List<String>> rows) {
    List<String> lines =
        rows.stream()
            .map(
                row -> {
                  StringBuilder line = new StringBuilder();
                  for (int i = 0; i < row.size(); i++) {
                    String value = row.get(i).replace("\\", "\\\\").replace("\"", "\\\"");
                    line.append(NAMES.get(i)).append("=\"").append(value).append("\"  ");
                  }
                  return line.toString();
                })
            .toList();
    StepDefinition step =
        StepDefinition.of("pairs", map("fields", map("a", "text", "b", "text", "c", "text")));
    assertThat(read(step, lines, Lines.FRAMING)).isEqualTo(rows);
  }

  @Property(tries = 500)
  void json(@ForAll("rows") List<List<String>> rows) {
    List<String> lines =
        rows.stream()
            .map(
                row ->
                    "{\"z\": {\"b\": "
                        + quoted(row.get(1), true)
                        + "}, \"a\": "
                        + quoted(row.get(0), false)
                        + ", \"c\":["
                        + quoted(row.get(2), true)
                        + "]}")
            .toList();
    StepDefinition step =
        StepDefinition.of(
            "json",
            map("fields", map("a", "text", "b", "text from $.z.b", "c", "text from $.c[0]")));
    assertThat(read(step, lines, Lines.FRAMING)).isEqualTo(rows);
  }

  /** A JSON string; with every character beyond ASCII escaped, if wanted. */
  private static String quoted(String text, boolean escapes) {
    StringBuilder json = new StringBuilder("\"");
    for (char c : text.toCharArray()) {
      if (c == '"' || c == '\\') {
        json.append('\\').append(c);
      } else if (escapes && c > 126) {
        json.append(String.format("\\u%04x", (int) c));
      } else {
        json.append(c);
      }
    }
    return json.append('"').toString();
  }

  private static boolean same(Type type, String text) {
    Vector one = Vectors.forType(type, 1);
    byte[] bytes = text.getBytes(StandardCharsets.UTF_8);
    assertThat(ValueText.append(type, bytes, 0, bytes.length, one)).as(type + " " + text).isTrue();
    String again = ValueText.text(type, one, 0);
    Vector two = Vectors.forType(type, 1);
    byte[] more = again.getBytes(StandardCharsets.UTF_8);
    assertThat(ValueText.append(type, more, 0, more.length, two)).as(type + " " + again).isTrue();
    return ValueText.text(type, two, 0).equals(again);
  }

  @Property(tries = 500)
  void valuesOfEveryTypeAsText(
      @ForAll @LongRange(min = -60_000_000_000_000_000L, max = 200_000_000_000_000_000L) long n,
      @ForAll double d) {
    assertThat(same(Type.Scalar.LONG, "" + n)).isTrue();
    assertThat(same(Type.Scalar.INT, "" + (int) n)).isTrue();
    assertThat(same(new Type.Decimal(18, 0), "" + n)).isTrue();
    assertThat(same(Type.Scalar.BOOL, "" + (n > 0))).isTrue();
    assertThat(same(Type.Scalar.DOUBLE, "" + (Double.isFinite(d) ? d : 0))).isTrue();
    String day = java.time.LocalDate.ofEpochDay(Math.floorMod(n, 40_000)).toString();
    assertThat(same(Type.Scalar.DATE, day)).isTrue();
    assertThat(same(Type.Scalar.TIMESTAMP, day + "T01:02:03.000004Z")).isTrue();
    assertThat(same(Type.Scalar.UUID, new java.util.UUID(n, ~n).toString())).isTrue();
  }
}

package io.wexrun.core.shape;

import static io.wexrun.core.shape.JsonStepTest.map;
import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.core.pipeline.StepDefinition;
import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.Base64;
import java.util.List;
import java.util.zip.GZIPOutputStream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

/** Steps from fields to fields: keep, remove, rename, default, cast, unwrap. */
class FieldStepsTest {
  private static List<String> all(StepDefinition step, String... lines) {
    Shaped shaped = Shaping.over(StepDefinition.template("{a} {b} {c?}"), step).lines(lines);
    List<String> all = new ArrayList<>(Shaping.rows(shaped, "all"));
    all.addAll(Shaping.dead(shaped));
    return all;
  }

  private static List<String> mistakes(StepDefinition step) {
    return new Shaping().shape(StepDefinition.template("{a} {b} {c?}"), step).mistakes();
  }

  @Test
  void fieldsAreKeptInTheOrderThatIsWritten() {
    assertThat(all(StepDefinition.of("keep", List.of("c", "a")), "1 2 3"))
        .containsExactly("{c=3, a=1}");
    assertThat(all(StepDefinition.of("remove", "b"), "1 2 3")).containsExactly("{a=1, c=3}");
    assertThat(mistakes(StepDefinition.of("keep", List.of("a", "d"))))
        .anyMatch(m -> m.startsWith("unknown-field shape[1].keep[1]"));
  }

  @Test
  void anExpressionThatWantsTooMuchKillsOnlyItsRecord() {
    Shaping shaping =
        Shaping.over(
            StepDefinition.template("{n:int} {t}"),
            StepDefinition.set("r", "lists.range(n).size()"),
            StepDefinition.set("m", "lists.range(n).map(x, lists.range(n).map(y, x * y)).size()"),
            StepDefinition.set("d", "t.replace('x', 'xxxxxxxxxx')"),
            StepDefinition.set("d", "d.replace('x', 'xxxxxxxxxx')"),
            StepDefinition.set("d", "d.replace('x', 'xxxxxxxxxx')"),
            StepDefinition.set("d", "d.replace('x', 'xxxxxxxxxx')"),
            StepDefinition.set("d", "size(d)"));
    Shaped shaped = shaping.lines("3 x", "2000000000 x", "50000 x", "1 " + "x".repeat(900), "2 xx");
    assertThat(Shaping.rows(shaped, "all")).hasSize(2);
    assertThat(Shaping.dead(shaped))
        .hasSize(3)
        .allMatch(death -> death.startsWith("failed-expression"));
  }

  @Test
  void namesAreExchangedAtOnceAndNeverDoubled() {
    assertThat(all(StepDefinition.of("rename", map("a", "b", "b", "a")), "1 2 3"))
        .containsExactly("{b=1, a=2, c=3}");
    assertThat(mistakes(StepDefinition.of("rename", map("a", "b"))))
        .anyMatch(m -> m.startsWith("duplicate-name"));
    assertThat(mistakes(StepDefinition.of("rename", map("x", "y"))))
        .anyMatch(m -> m.startsWith("unknown-field shape[1].rename.x"));
  }

  @Test
  void aDefaultStandsInForWhatIsAbsent() {
    assertThat(all(StepDefinition.of("default", map("c", "none")), "1 2 -", "1 2 3"))
        .containsExactly("{a=1, b=2, c=none}", "{a=1, b=2, c=3}");
    assertThat(mistakes(StepDefinition.of("default", map("a", "x"))))
        .anyMatch(m -> m.startsWith("needless-default"));
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      quoteCharacter = '`',
      value = {
        "int                   |          | 5    | {a=5, b=x}",
        "int                   |          | y    | bad-value shape[1].cast a \"y\" is not an int",
        "int                   | absent   | y    | {b=x}",
        "int                   | =7       | y    | {a=7, b=x}",
        "timestamp 'epoch'     |          | 2    | {a=2000000, b=x}",
        "decimal(4,1)          |          | 2.5  | {a=25, b=x}",
      })
  void aTextIsCast(String to, String otherwise, String value, String expected) {
    Object cast = to;
    if (otherwise != null) {
      cast =
          otherwise.startsWith("=")
              ? map("to", to, "default", otherwise.substring(1))
              : map("to", to, "else", otherwise);
    }
    assertThat(all(StepDefinition.of("cast", map("a", cast)), value + " x -"))
        .containsExactly(expected);
  }

  @Test
  void othersAreCastThroughTheirText() {
    List<String> rows =
        Shaping.rows(
            Shaping.over(
                    StepDefinition.template("{n:int} {d:double} {t:timestamp} {f:bool}"),
                    StepDefinition.of(
                        "cast", map("n", "text", "d", "long", "t", "text", "f", "text")))
                .lines("7 3.0 1970-01-01T00:00:01Z true"),
            "all");
    assertThat(rows).containsExactly("{n=7, d=3, t=1970-01-01T00:00:01Z, f=true}");
    assertThat(
            new Shaping()
                .shape(
                    StepDefinition.template("{t:timestamp}"),
                    StepDefinition.of("cast", map("t", "int")))
                .mistakes())
        .anyMatch(m -> m.startsWith("type-clash shape[1].cast.t: 't' is a timestamp"));
  }

  @Test
  void wrappingsAreTakenOffFromTheOutside() throws IOException {
    ByteArrayOutputStream packed = new ByteArrayOutputStream();
    try (GZIPOutputStream gzip = new GZIPOutputStream(packed)) {
      gzip.write("door stuck".getBytes(StandardCharsets.UTF_8));
    }
    byte[] bytes = packed.toByteArray();
    String whole = Base64.getEncoder().encodeToString(bytes);
    bytes[bytes.length - 8] ^= 1;
    String wrong = Base64.getEncoder().encodeToString(bytes);
    StepDefinition unwrap = StepDefinition.of("unwrap", map("a", List.of("base64", "gzip")));
    assertThat(all(unwrap, whole + " x -", wrong + " x -", "%% x -", "AAAA x -"))
        .containsExactly(
            "{a=door stuck, b=x}",
            "bad-value shape[1].unwrap a not gzip: its checksum is wrong",
            "bad-value shape[1].unwrap a not base64: it holds the byte 0x25",
            "bad-value shape[1].unwrap a not gzip: it does not begin like a gzip member");
  }

  @Test
  void valuesForWhichOthersAreTakenAreCounted() {
    Shaped shaped =
        Shaping.over(
                StepDefinition.template("{a} {b}"),
                StepDefinition.of(
                    "cast",
                    map(
                        "a",
                        map("to", "int", "else", "absent"),
                        "b",
                        map("to", "int", "default", "0"))))
            .lines("1 2", "x 2", "1 y", "x y");
    assertThat(Shaping.dead(shaped)).isEmpty();
    assertThat(shaped.efforts().values().stream().mapToLong(Effort::defaults).sum()).isEqualTo(4);
    assertThat(shaped.efforts().get("shape[0].template").defaults()).isZero();
  }
}

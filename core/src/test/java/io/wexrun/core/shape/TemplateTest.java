package io.wexrun.core.shape;

import static io.wexrun.core.pipeline.StepDefinition.template;
import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Doubtful;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type;
import io.wexrun.core.step.StepContext;
import java.io.ByteArrayOutputStream;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import net.jqwik.api.Arbitraries;
import net.jqwik.api.Arbitrary;
import net.jqwik.api.ForAll;
import net.jqwik.api.Property;
import net.jqwik.api.Provide;
import net.jqwik.api.constraints.Size;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

class TemplateTest {
  /** A table with a column for each field of a template. */
  private static Shaping over(String template) {
    return Shaping.over(template(template));
  }

  private static String row(String template, String line) {
    return String.join("", Shaping.rows(over(template).lines(line), "all"));
  }

  private static String death(String template, String line) {
    return String.join("", Shaping.dead(over(template).lines(line)));
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      quoteCharacter = '`',
      value = {
        "{a}/{b} {c}             | x/y z             | {a=x, b=y, c=z}",
        "{a} {b}                 | x   y             | {a=x, b=y}",
        "{a} card={b}            | door open card=7  | {a=door open, b=7}",
        "[{a}] {b}               | [x] y z           | {a=x, b=y z}",
        "{a:int} {b:long}        | -7 9876543210     | {a=-7, b=9876543210}",
        "{a:bool} {b:double}     | true 2.5          | {a=1, b=2.5}",
        "{a:date}                | 1970-01-03        | {a=2}",
        "{a:decimal(6,2)}        | 12.5              | {a=1250}",
        "{a:timestamp}           | 1970-01-01T01:00:00.5+01:00 | {a=500000}",
        "{a:timestamp 'dd/MMM/yyyy HH:mm:ss Z'} x | 01/Jan/1970 00:00:01 +0000 x | {a=1000000}",
        "{a:timestamp @UTC}      | 1970-01-01 00:00:02 | {a=2000000}",
        "{a:timestamp 'yyyy-MM-dd HH:mm:ss' @+01:00} x | 1970-01-01 01:00:02 x | {a=2000000}",
        "{a:timestamp 'dd MMM yyyy HH:mm:ss Z'} {b} | 01 Jan 1970 00:00:01 +0000 x y | {a=1000000,"
            + " b=x y}",
        "{a:timestamp 'dd MMM yyyy HH:mm' @UTC};{b} | 01 Jan 1970 00:01;x | {a=60000000, b=x}",
        "{a:timestamp 'epoch us'} {b} {} | 1000 x y z | {a=1000, b=x}",
        "{a:timestamp @UTC} {b}  | 1970-01-01 00:00:02 x | {a=2000000, b=x}",
        "{a:timestamp @UTC} {b}  | 1970-01-01T00:00:02 x | {a=2000000, b=x}",
        "{a:timestamp} {b}       | 1970-01-01 00:00:02.5Z x | {a=2500000, b=x}",
        "{a:date 'd.M.yyyy'} x   | 2.1.1970 x        | {a=1}",
        "{a:uuid}                | 123E4567-e89b-12d3-a456-426614174000 |"
            + " {a=123e4567-e89b-12d3-a456-426614174000}",
        "{} {a}                  | skipped kept      | {a=kept}",
        "{a?};{b:int?};{c}       | -;;x              | {c=x}",
        "{a:int?};{c}            | -;x               | {c=x}",
        "{{{a}}} {b}             | {x} y             | {a=x, b=y}",
        "`\"{a}\" {b}`           | `\"x \\\"y\\\" \\\\ z\" w` | `{a=x \"y\" \\ z, b=w}`",
        "`{b} \"{a}\"`           | `w \"\"`          | {b=w, a=}",
        "{a}é{b}                 | xéy               | {a=x, b=y}",
        "{a:double 'duration'};{b:int 'duration ms'} | 1.9s;0.0155s | {a=1.9, b=16}",
        "{a:list<int> by ','} {b} | 7,8 x y        | {a=[7, 8], b=x y}",
        "{a:list<text> by ';'}    | x; y           | `{a=[\"x\", \"y\"]}`",
        "{a:long 'size'};{b:double 'duration ms'}    | 12 kB;2m     | {a=12000, b=120000.0}",
        "`{a:int}`               | `7  `             | {a=7}",
        "`[{a}]`                 | `[x] `            | {a=x}",
        "`{a}`                   | `x `              | `{a=x }`",
      })
  void fieldsTakeWhatTheTemplateSays(String template, String line, String row) {
    assertThat(row(template, line)).isEqualTo(row);
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      quoteCharacter = '`',
      value = {
        "{a} card={b}     | x kard=7  | `no-match shape[0].template a no \" card=\" after 'a'`",
        "log: {a}         | lag: x    | `no-match shape[0].template the line does not start with"
            + " \"log: \"`",
        "{a};{b}          | ``        | no-match shape[0].template a the line is empty",
        "{a:int};{b}      | fast;x    | `bad-value shape[0].template a \"fast\" is not an int`",
        "{a:int};{b}      | ;x        | bad-value shape[0].template a the value is empty",
        "{a:int};{b}      | 3000000000;x | `bad-value shape[0].template a \"3000000000\" is not an"
            + " int`",
        "{a} \"{b}\"      | `x \"y\" z` | `no-match shape[0].template text is left after the end:"
            + " \" z\"`",
        "{a} \"{b}\"      | `x \"y\\\"` | `no-match shape[0].template b no \"\"\" after 'b'`",
        "{a:timestamp};{b} | 2026-05-03 06:14:09;x | `bad-value shape[0].template a \"2026-05-03"
            + " 06:14:09\" is not a timestamp: it has no zone (give one, as in timestamp @UTC)`",
        "{a:date 'yyyy-MM-dd'};{b} | 2026-02-30;x | `bad-value shape[0].template a"
            + " \"2026-02-30\" is not a date`",
      })
  void whatDoesNotFitDiesWithTheFieldAtFault(String template, String line, String death) {
    assertThat(death(template, line)).isEqualTo(death);
  }

  @Test
  void whatIsNotUtf8DiesAndLeavesItsNeighboursAlone() throws Exception {
    ByteArrayOutputStream data = new ByteArrayOutputStream();
    data.write("a;1\nb".getBytes(StandardCharsets.UTF_8));
    data.write(0xE9);
    data.write(";2\né;3\n".getBytes(StandardCharsets.UTF_8));
    Shaped shaped = over("{x};{n:int}").lines(data.toByteArray());
    assertThat(Shaping.rows(shaped, "all")).containsExactly("{x=a, n=1}", "{x=é, n=3}");
    assertThat(Shaping.dead(shaped))
        .containsExactly("bad-encoding shape[0].template byte 2 is 0xE9");
    assertThat(shaped.dead().batch().records().bytes(shaped.dead().batch().record(0)))
        .isEqualTo(new byte[] {'b', (byte) 0xE9, ';', '2'});
  }

  @Test
  void aLineThatIsTooLongDiesWhole() {
    Shaped shaped = over("{x}").lines("short", "y".repeat(1025));
    assertThat(Shaping.rows(shaped, "all")).containsExactly("{x=short}");
    assertThat(Shaping.dead(shaped))
        .containsExactly("too-long intake 1025 bytes, 1024 are allowed (intake: longest)");
  }

  @Property
  void whatIsWrittenByATemplateIsReadByIt(@ForAll("words") @Size(4) List<String> words) {
    String line = words.get(0) + " <" + words.get(1) + "> k=" + words.get(2) + ";" + words.get(3);
    assertThat(row("{a} <{b}> k={c};{d}", line))
        .isEqualTo(
            "{a="
                + words.get(0)
                + ", b="
                + words.get(1)
                + ", c="
                + words.get(2)
                + ", d="
                + words.get(3)
                + "}");
  }

  @Provide
  Arbitrary<List<String>> words() {
    return Arbitraries.strings().withChars("ab-é.=").ofMinLength(1).ofMaxLength(9).list().ofSize(4);
  }

  @Property(tries = 2000)
  void anyBytesAreTakenOrDieOnce(@ForAll("wild") byte[] data) {
    Shaped shaped =
        over("{time:timestamp @UTC} {gate}/{stop} card={card?} ms={ms:int} \"{note}\"").lines(data);
    long rows = shaped.rows().values().stream().mapToLong(r -> r.count()).sum();
    assertThat(rows + shaped.dead().count()).isEqualTo(shaped.taken());
  }

  @Provide
  Arbitrary<byte[]> wild() {
    Arbitrary<String> pieces =
        Arbitraries.of(
            "2026-05-03T06:14:09",
            " ",
            "gate-1/Stop",
            "card=",
            "ms=",
            "42",
            "\"",
            "\\",
            "\n",
            "\r",
            "-",
            "/",
            "é");
    return pieces
        .list()
        .ofMaxSize(40)
        .map(
            parts -> {
              byte[] data = String.join("", parts).getBytes(StandardCharsets.UTF_8);
              for (int i = 7; i < data.length; i += 31) {
                data[i] ^= (byte) (i * 37);
              }
              return data;
            });
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '~',
      quoteCharacter = '`',
      value = {
        "{a}{([{b:int}])?}: {c}  ~ x[7]: y ~ {a=x, b=7, c=y}",
        "{a}{([{b:int}])?}: {c}  ~ x: y    ~ {a=x, c=y}",
        "{a} {(in {b}|out {c})}  ~ x out y ~ {a=x, c=y}",
        "{a} {(in {b}|out {b})}  ~ x out y ~ {a=x, b=y}",
        "{(<{p:int}>)?}{a}       ~ <7>x    ~ {p=7, a=x}",
        "{(<{p:int}>)?}{a}       ~ <y>x    ~ {a=<y>x}",
        "{a}{( {b:int}{(/{c:int})?})?} ~ x 1/2 ~ {a=x, b=1, c=2}",
        "{a}{( {b:int}{(/{c:int})?})?} ~ x 1   ~ {a=x, b=1}",
        "{a}{( {b:int}{(/{c:int})?})?} ~ x     ~ {a=x}",
        "{a}{(||{b})?}           ~ x|y     ~ {a=x, b=y}",
        "{a} {(on|off)}          ~ x off   ~ {a=x}",
        "{a} {({{{b}}}|{b})}     ~ x {y}   ~ {a=x, b=y}",
      })
  void aChoiceTakesTheFirstWayThatFits(String template, String line, String row) {
    assertThat(row(template, line)).isEqualTo(row);
  }

  @Test
  void whatOnlySomeWaysHaveMayBeAbsent() {
    assertThat(compile("{a}{( {b})?}", Diagnostics.of("test")).columns())
        .containsExactly(Column.required("a", Type.Scalar.TEXT), Column.of("b", Type.Scalar.TEXT));
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      quoteCharacter = '`',
      value = {
        "{a} {(b        | 4 | this choice has no end",
        "{a}{({b})?}    | 5 | two fields stand side by side, so nothing says where the first one"
            + " ends",
        "{a} {({a})?}   | 7 | a second field is named 'a'",
        "x{({a})?}      | 0 | one way to read the template names no field",
        "{a}{(b)?}{(c)?}{(d)?}{(e)?}{(f)?}{(g)?}{(h)?} | 44 | there are more than 64 ways to read"
            + " the template up to here",
        "{a} {b         | 4 | this field has no closing brace",
        "{a} b}         | 5 | this closing brace opens nowhere",
        "{a}{b}         | 3 | two fields stand side by side, so nothing says where the first one"
            + " ends",
        "{a:itn}        | 3 | there is no type 'itn'",
        "{a} {a}        | 5 | a second field is named 'a'",
        "{1a}           | 1 | '1a' is not a name",
        "{a:timestamp 'yyyy-MM-dd HH:mm'} | 14 | the format has no zone, so the instant is not"
            + " known",
        "{a:timestamp 'yyyy-QQQQQQ Z'}    | 14 | `this is not a date pattern: Too many pattern"
            + " letters: Q`",
        "{a:timestamp @Mars}              | 14 | there is no time zone 'Mars'",
        "{a:int 'x'} {b}                  | 8  | numbers have no format 'x'",
        "{a:text 'x'} {b}                 | 3  | only timestamps, dates and numbers have a format"
            + " or a zone",
        "nothing                          | 0  | the template names no field",
      })
  void mistakesInATemplateSayWhere(String template, int offset, String message) {
    int[] place = {-1};
    List<String> messages = new ArrayList<>();
    Diagnostics diagnostics =
        Diagnostics.of("test")
            .about(
                "test",
                (path, at, length) -> {
                  place[0] = place[0] < 0 ? at : place[0];
                  return Optional.empty();
                });
    compile(template, diagnostics);
    diagnostics.all().forEach(d -> messages.add(d.message()));
    assertThat(messages).containsExactly(message);
    assertThat(place[0]).isEqualTo(offset);
  }

  @Test
  void aFieldWithoutAQuestionMarkIsAlwaysThere() {
    assertThat(compile("{a} {b?}", Diagnostics.of("test")).columns())
        .containsExactly(Column.required("a", Type.Scalar.TEXT), Column.of("b", Type.Scalar.TEXT));
  }

  private static Schema compile(String template, Diagnostics diagnostics) {
    StepContext context =
        new StepContext(
            Schema.EMPTY,
            true,
            Settings.of("x", ""),
            Map.of(),
            Steps.ours().references(),
            new Doubtful(),
            new ArrayList<>());
    return Steps.ours()
        .compile(template(template), context, KeyPath.ROOT, diagnostics)
        .get(0)
        .output();
  }
}

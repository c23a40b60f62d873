package io.wexrun.core.shape;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.core.pipeline.StepDefinition;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

class JsonStepTest {
  /** A map in the order of its arguments. */
  static Map<String, Object> map(Object... keysAndValues) {
    Map<String, Object> map = new LinkedHashMap<>();
    for (int i = 0; i < keysAndValues.length; i += 2) {
      map.put((String) keysAndValues[i], keysAndValues[i + 1]);
    }
    return map;
  }

  private static StepDefinition json(Object... fields) {
    return StepDefinition.of("json", map("fields", map(fields)));
  }

  private static String row(StepDefinition step, String line) {
    Shaped shaped = Shaping.over(step).lines(line);
    return String.join("", Shaping.rows(shaped, "all")) + String.join("", Shaping.dead(shaped));
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      quoteCharacter = '`',
      value = {
        "text                   | {\"a\": \"x y\"}            | {a=x y}",
        "text                   | {\"b\": 1, \"a\" : \"x\" }  | {a=x}",
        "text                   | {\"a\": \"\\u00e9\\n\\\"\\ud83d\\ude8b\"} | `{a=é\n\"🚋}`",
        "text                   | {\"a\": 12.50}             | {a=12.50}",
        "text                   | {\"a\": true}              | {a=true}",
        "text                   | {\"a\": null}              | {}",
        "text                   | {}                        | {}",
        "int                    | {\"a\": -7}                | {a=-7}",
        "int                    | {\"a\": \"12\"}            | {a=12}",
        "double                 | {\"a\": 1e3}               | {a=1000.0}",
        "bool                   | {\"a\": false}             | {a=0}",
        "decimal(6,2)           | {\"a\": 3.5}               | {a=350}",
        "timestamp              | {\"a\": \"1970-01-01T00:00:01Z\"} | {a=1000000}",
        "timestamp 'epoch ms'   | {\"a\": 1500}              | {a=1500000}",
        "timestamp 'epoch'      | {\"a\": 1.25}              | {a=1250000}",
        "timestamp 'epoch'      | {\"a\": 1700000000.123456789} | {a=1700000000123456}",
        "timestamp 'epoch us'   | {\"a\": 77}                | {a=77}",
        "timestamp 'epoch ns'   | {\"a\": 1999}              | {a=1}",
        "timestamp 'dd.MM.yyyy HH:mm' 'iso' @UTC | {\"a\": \"1970-01-01T00:00:02Z\"} | {a=2000000}",
        "timestamp 'dd.MM.yyyy HH:mm' 'iso' @UTC | {\"a\": \"01.01.1970 00:01\"} | {a=60000000}",
        "json                   | {\"a\": [1, {\"b\":2}]}    | {a=[1, {\"b\":2}]}",
        "double from $.x.y[1].z | {\"x\": {\"y\": [0, {\"z\": 2.5}]}} | {a=2.5}",
        "text from $['x y']     | {\"x y\": \"in\"}          | {a=in}",
        "text from x-y          | {\"x-y\": \"in\"}          | {a=in}",
        "text from $.x.y        | {\"x\": 5}                 | {}",
        "text                   | {\"\\u0061\": \"x\"}       | {a=x}",
      })
  void aFieldIsPicked(String spec, String line, String row) {
    assertThat(row(json("a", spec), line)).isEqualTo(row);
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      quoteCharacter = '`',
      value = {
        "int    | {\"a\": 1e400}         | bad-value shape[0].json a \"1e400\" is not an int",
        "double | {\"a\": 1e400}         | bad-value shape[0].json a \"1e400\" is not a double",
        "long   | {\"a\": 99999999999999999999} | bad-value shape[0].json a"
            + " \"99999999999999999999\" is not a long",
        "text   | {\"a\": {}}            | bad-value shape[0].json a it is an object, not text",
        "int    | {\"a\": 1, \"a\": 2}   | bad-value shape[0].json a it stands there twice",
        "text   | {\"a\": \"\\ud83d\"}   | bad-value shape[0].json a half of a surrogate pair is"
            + " not a character",
        "text   | {\"a\": 01}            | not-json shape[0].json a comma or '}' is expected, but"
            + " there is \"1}\"",
        "text   | {\"a\": 1,}            | not-json shape[0].json a member begins with its name in"
            + " quotes, but there is \"}\"",
        "text   | {\"a\": 1} x           | not-json shape[0].json the text ends after one value,"
            + " but there is \"x\"",
        "text   | {\"a\": \"x            | not-json shape[0].json a string ends with a quote, but"
            + " the text ends",
        "text   | {\"b\": [1 2]}         | not-json shape[0].json a comma or ']' is expected, but"
            + " there is \"2]}\"",
        "text   | {'a': 1}               | not-json shape[0].json a member begins with its name in"
            + " quotes, but there is \"'a': 1}\"",
        "text   | nothing                | not-json shape[0].json a value is expected, but there is"
            + " \"nothing\"",
        "text   | ``                     | not-json shape[0].json a value is expected, but the text"
            + " ends",
      })
  void whatIsWrongDiesWithItsReason(String spec, String line, String death) {
    assertThat(row(json("a", spec), line)).isEqualTo(death);
  }

  @Test
  void aDeadLetterNamesTheFieldThatWasReadAndShowsItsText() {
    Shaping shaping =
        new Shaping()
            .shape(
                StepDefinition.template("{gate} {payload}"),
                StepDefinition.of("unwrap", map("payload", "base64")),
                StepDefinition.of("json", map("from", "payload", "fields", map("ms", "int"))));
    assertThat(Shaping.dead(shaping.lines("gate-07 eyJtcyI6IDQgeA==")))
        .hasSize(1)
        .first()
        .asString()
        .startsWith("not-json shape[2].json payload ")
        .endsWith(", in \"{\"ms\": 4 x\"");
  }

  @Test
  void membersThatNoFieldPicksAreKept() {
    StepDefinition step =
        StepDefinition.of("json", map("fields", map("a", "int"), "rest", "others"));
    assertThat(row(step, "{\"x\": [1], \"a\": 1, \"y\": \"z\"}"))
        .isEqualTo("{a=1, others={\"x\": [1],\"y\": \"z\"}}");
    assertThat(row(step, "{\"a\": 1}")).isEqualTo("{a=1}");
  }

  @Test
  void deepNestingDiesAndDoesNotOverflow() {
    String deep = "{\"b\": " + "[".repeat(400) + "]".repeat(400) + ", \"a\": 1}";
    assertThat(row(json("a", "int"), deep)).contains("not-json", "nested at most 200 deep");
    String shallow = "{\"b\": " + "[".repeat(190) + "]".repeat(190) + ", \"a\": 1}";
    assertThat(row(json("a", "int"), shallow)).isEqualTo("{a=1}");
  }

  @Test
  void brokenEncodingDiesWithItsPlace() {
    byte[] line = {'{', '"', 'a', '"', ':', '"', (byte) 0xFF, '"', '}', '\n'};
    assertThat(Shaping.dead(Shaping.over(json("a", "text")).lines(line)))
        .containsExactly("bad-encoding shape[0].json byte 7 is 0xFF");
  }

  @Test
  void aTextInAFieldIsReadBesideTheOthers() {
    Shaped shaped =
        Shaping.over(
                StepDefinition.template("{gate} {payload}"),
                StepDefinition.of("json", map("from", "payload", "fields", map("ms", "int"))),
                StepDefinition.of("remove", "payload"))
            .lines("g1 {\"ms\": 5}", "g2 {\"ms\": x}", "g3 {}");
    assertThat(Shaping.rows(shaped, "all")).containsExactly("{gate=g1, ms=5}", "{gate=g3}");
    assertThat(Shaping.dead(shaped)).hasSize(1).first().asString().startsWith("not-json shape[1]");
  }

  @Test
  void unfoldMakesARowOfEachElementAndTheBooksBalance() {
    StepDefinition top = json("car", "text", "readings", "json");
    StepDefinition unfold =
        StepDefinition.of(
            "unfold",
            map("field", "readings", "fields", map("axle", "int", "kwh", "double from $.e.kwh")));
    Shaped shaped =
        Shaping.over(top, unfold)
            .lines(
                "{\"car\": \"A\", \"readings\": [{\"axle\": 1, \"e\": {\"kwh\": 2.5}}, {\"axle\":"
                    + " 2}]}",
                "{\"car\": \"B\", \"readings\": []}",
                "{\"car\": \"C\", \"readings\": [{\"axle\": 1}, {\"axle\": \"x\"}]}",
                "{\"car\": \"D\", \"readings\": 5}");
    assertThat(Shaping.rows(shaped, "all"))
        .containsExactly("{car=A, axle=1, kwh=2.5}", "{car=A, axle=2}", "{car=B}");
    assertThat(Shaping.dead(shaped))
        .containsExactly(
            "bad-value shape[1].unfold axle \"x\" is not an int",
            "bad-value shape[1].unfold readings \"5\" is not an array");
    assertThat(shaped.taken() + shaped.unfolded()).isEqualTo(3 + 2);
  }

  @Test
  void nestedArraysUnfoldOneAfterTheOtherAndEmptyOnesMayBeDropped() {
    Shaped shaped =
        Shaping.over(
                json("rows", "json"),
                StepDefinition.of("unfold", map("field", "rows", "empty", "drop")),
                StepDefinition.of(
                    "unfold",
                    map("field", "rows", "fields", map("n", "int from $"), "empty", "drop")))
            .lines("{\"rows\": [[1, 2], [], [3]]}", "{\"rows\": []}", "{\"rows\": [[]]}");
    assertThat(Shaping.rows(shaped, "all")).containsExactly("{n=1}", "{n=2}", "{n=3}");
    assertThat(List.of(shaped.taken(), shaped.unfolded(), shaped.dropped()))
        .containsExactly(3L, 2L, 2L);
  }

  @Test
  void mistakesAreToldBeforeTheRun() {
    assertThat(new Shaping().shape(json("a", "int from $.x[*]")).mistakes())
        .anyMatch(m -> m.startsWith("bad-path shape[0].json.fields.a: 'a' cannot be read: a path"));
    assertThat(new Shaping().shape(json("a", "int from $.x", "b", "int from x")).mistakes())
        .anyMatch(m -> m.contains("another field is read from there"));
    assertThat(new Shaping().shape(StepDefinition.of("json", map("feilds", "x"))).mistakes())
        .anyMatch(m -> m.startsWith("unknown-key shape[0].json.feilds"))
        .anyMatch(m -> m.startsWith("missing-key shape[0].json: no field is read"));
  }
}

package io.wexrun.core.shape;

import static io.wexrun.core.shape.JsonStepTest.map;
import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.core.pipeline.StepDefinition;
import java.util.List;
import java.util.stream.Stream;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.Arguments;
import org.junit.jupiter.params.provider.MethodSource;

/** What is wrong with a step is told with its place, before anything runs. */
class StepMistakesTest {
  private static Arguments of(String kind, Object value, String told) {
    return Arguments.of(kind, value, told);
  }

  static Stream<Arguments> firstSteps() {
    return Stream.of(
        of("tempalte", "{a}", "unknown-step shape[0].tempalte: there is no step 'tempalte'"),
        of("template", map("from", "x"), "missing-key shape[0].template: a template needs 'lines'"),
        of(
            "template",
            List.of("{a}", "{b"),
            "bad-template shape[0].template[1]: this field has no"),
        of("regex", map("fields", map()), "missing-key shape[0].regex: a regex needs 'pattern'"),
        of("regex", "abc", "bad-pattern shape[0].regex: the pattern names no group"),
        of("json", "a", "wrong-form shape[0].json: this is written as 'key: value' lines"),
        of("json", map("fields", map("a b", "int")), "bad-name shape[0].json.fields.a b"),
        of("json", map("fields", map("a", "itn")), "unknown-type shape[0].json.fields.a: there is"),
        of("json", map("fields", map("a", "5 x")), "bad-field shape[0].json.fields.a: '5 x' does"),
        of(
            "json",
            map("fields", map("a", "timestamp 'yyyy-MM-dd'")),
            "bad-field shape[0].json.fields.a: the format has no zone"),
        of(
            "json",
            map("fields", map("a", "timestamp @Mars")),
            "bad-field shape[0].json.fields.a: there is no time zone 'Mars'"),
        of("csv", map(), "missing-key shape[0].csv: csv needs 'columns'"),
        of("csv", map("columns", List.of("a", "a")), "duplicate-name shape[0].csv.columns: two"),
        of("csv", map("columns", List.of("a b", "c")), "bad-name shape[0].csv.columns: 'a b'"),
        of(
            "csv",
            map("columns", List.of("a", "b"), "fields", map("c", "int")),
            "unknown-column shape[0].csv.fields.c: there is no column 'c'"),
        of(
            "csv",
            map("columns", List.of("a", "b"), "separator", "::"),
            "bad-value shape[0].csv.separator: '::' is not one character"),
        of(
            "csv",
            map("columns", List.of("a", "b"), "extra", "keep"),
            "bad-value shape[0].csv.extra: 'keep' is not one of reject, ignore"),
        of("pairs", map("assign", ":"), "missing-key shape[0].pairs: no field is read"),
        of("syslog", map("year", "26"), "bad-value shape[0].syslog.year: '26' is not a year"),
        of("syslog", map("zone", "X"), "bad-value shape[0].syslog.zone: there is no time zone"),
        of(
            "syslog",
            map("fields", map("host", "text from a.b")),
            "duplicate-name shape[0].syslog.fields.host"));
  }

  @ParameterizedTest
  @MethodSource("firstSteps")
  void inAFirstStep(String kind, Object value, String told) {
    assertThat(new Shaping().shape(StepDefinition.of(kind, value)).mistakes())
        .anyMatch(mistake -> mistake.startsWith(told));
  }

  static Stream<Arguments> laterSteps() {
    return Stream.of(
        of("json", map("fields", map("x", "int")), "misplaced-step shape[1].json: this step reads"),
        of(
            "json",
            map("from", "n", "fields", map("x", "int")),
            "type-clash shape[1].json.from: 'n'"),
        of("pairs", map("from", "tex", "rest", "r"), "unknown-field shape[1].pairs.from: there is"),
        of("unfold", map("empty", "drop"), "missing-key shape[1].unfold: unfold needs 'field'"),
        of("unfold", "n", "type-clash shape[1].unfold: 'n' is an int, which holds no array"),
        of("unwrap", map("text", "zip"), "bad-value shape[1].unwrap.text: 'zip' is not one of"),
        of("unwrap", map("n", "gzip"), "type-clash shape[1].unwrap.n: 'n' is an int"),
        of("cast", map("n", map("else", "die")), "missing-key shape[1].cast.n: a cast needs 'to'"),
        of(
            "cast",
            map("text", map("to", "int", "default", "x")),
            "bad-value shape[1].cast.text.default: \"x\" is not an int"),
        of("default", map("o", "x"), "unknown-field shape[1].default.o: there is no field 'o'"),
        of("rename", map("n", "1n"), "bad-name shape[1].rename.n: '1n' is not a name"),
        of("remove", map("n", "x"), "wrong-form shape[1].remove: this is a list"),
        of("keep", List.of("text", "m"), "unknown-field shape[1].keep[1]: there is no field 'm'"));
  }

  @ParameterizedTest
  @MethodSource("laterSteps")
  void inALaterStep(String kind, Object value, String told) {
    assertThat(
            new Shaping()
                .shape(StepDefinition.template("{text} {n:int}"), StepDefinition.of(kind, value))
                .mistakes())
        .anyMatch(mistake -> mistake.startsWith(told));
  }
}

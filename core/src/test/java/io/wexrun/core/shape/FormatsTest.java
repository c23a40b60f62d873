package io.wexrun.core.shape;

import static io.wexrun.core.shape.JsonStepTest.map;
import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.core.framing.QuotedLines;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.pipeline.StepDefinition;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.List;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

/** Templates in alternatives, regular expressions, CSV, pairs and syslog. */
class FormatsTest {
  /** Rows and then deaths of some lines. */
  private static List<String> all(Shaping shaping, String... lines) {
    Shaped shaped = shaping.lines(lines);
    List<String> all = new ArrayList<>(Shaping.rows(shaped, "all"));
    all.addAll(Shaping.dead(shaped));
    return all;
  }

  @Test
  void theFirstTemplateThatFitsWinsAndIsCounted() {
    Shaped shaped =
        Shaping.over(
                StepDefinition.template("{time:int} door {door:int} {what}", "{time:int} {note}"))
            .lines("1 door 7 open", "2 all quiet", "3 door x open", "x");
    assertThat(Shaping.rows(shaped, "all"))
        .containsExactly(
            "{time=1, door=7, what=open}",
            "{time=2, note=all quiet}",
            "{time=3, note=door x open}");
    assertThat(Shaping.dead(shaped))
        .containsExactly("no-match shape[0].template[0] time no \" door \" after 'time'");
    assertThat(shaped.fitted())
        .containsEntry("shape[0].template[0]", 1L)
        .containsEntry("shape[0].template[1]", 2L);
  }

  @Test
  void templatesThatDisagreeAboutATypeAreAMistake() {
    assertThat(new Shaping().shape(StepDefinition.template("{a:int} x", "{a} y")).mistakes())
        .anyMatch(m -> m.startsWith("type-clash shape[0].template[1]: 'a' is text here"));
  }

  @Test
  void aNamedPatternStandsForATypeAndInsideARegex() {
    Shaping template =
        new Shaping()
            .pattern("gate", "gate-[0-9]+")
            .pattern("place", "(?&gate)/[A-Z]\\w+")
            .shape(StepDefinition.template("{p:place} {rest}"))
            .table(
                io.wexrun.core.pipeline.Table.in("s", "all")
                    .column("p", text())
                    .column("rest", text()))
            .route(io.wexrun.core.pipeline.Route.to("all"));
    assertThat(all(template, "gate-7/Castle open", "gate-x/Castle open"))
        .containsExactly(
            "{p=gate-7/Castle, rest=open}",
            "bad-value shape[0].template p \"gate-x/Castle\" does not match its pattern");
  }

  private static io.wexrun.core.schema.Type text() {
    return io.wexrun.core.schema.Type.Scalar.TEXT;
  }

  @Test
  void aRegexGivesAFieldForEachNamedGroup() {
    Shaping regex =
        Shaping.over(
            StepDefinition.of(
                "regex",
                map(
                    "pattern",
                    "^(?<gate>\\S+) ms=(?P<ms>\\d+)( note=(?<note>.*))?$",
                    "fields",
                    map("ms", "int"))));
    assertThat(all(regex, "g1 ms=5 note=x y", "g2 ms=6", "g3 ms=", "g4 ms=99999999999"))
        .containsExactly(
            "{gate=g1, ms=5, note=x y}",
            "{gate=g2, ms=6}",
            "no-match shape[0].regex the pattern does not match",
            "bad-value shape[0].regex ms \"99999999999\" is not an int");
    assertThat(new Shaping().shape(StepDefinition.of("regex", "((?<a>x)")).mistakes())
        .anyMatch(m -> m.startsWith("bad-pattern shape[0].regex: this is not a pattern"));
    assertThat(new Shaping().shape(StepDefinition.of("regex", "(?<a>(?&b))")).mistakes())
        .anyMatch(m -> m.contains("there is no pattern 'b'"));
    assertThat(
            new Shaping()
                .shape(
                    StepDefinition.of(
                        "regex", map("pattern", "(?<gate>x)", "fields", map("gaet", "int"))))
                .mistakes())
        .anyMatch(m -> m.startsWith("unknown-group shape[0].regex.fields.gaet"));
  }

  private static Shaping csv(Object... entries) {
    return Shaping.over(StepDefinition.of("csv", map(entries)));
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      quoteCharacter = '`',
      value = {
        "x,5,y          | {a=x, n=5, c=y}",
        "\"x,z\",5,\"y\"\"q\" | {a=x,z, n=5, c=y\"q}",
        ",,             | {}",
        "\"\",1,        | {a=, n=1}",
        " x ,5, y       | `{a= x , n=5, c= y}`",
        "x,five,y       | bad-value shape[0].csv n \"five\" is not an int",
        "x,5            | not-csv shape[0].csv 2 values for 3 columns",
        "x,5,y,z        | not-csv shape[0].csv 4 values for 3 columns",
        "\"x,5,y        | not-csv shape[0].csv a quote is open at the end (a record over several"
            + " lines needs framing: csv)",
        "\"x\"y,5,z     | not-csv shape[0].csv \"y,5,z\" follows a closing quote",
      })
  void separatedValuesAreRead(String line, String expected) {
    // The source of the test strips lines, so blanks at their start are marked.
    String raw = expected.contains("a= x") ? " x ,5, y" : line;
    assertThat(
            String.join(
                "", all(csv("columns", List.of("a", "n", "c"), "fields", map("n", "int")), raw)))
        .isEqualTo(expected);
  }

  @Test
  void otherSeparatorsAndTooManyOrTooFewValuesAreToleratedIfAsked() {
    Shaping tolerant =
        csv(
            "columns", List.of("a", "", "b"),
            "separator", ";",
            "quote", "'",
            "extra", "ignore",
            "missing", "absent");
    assertThat(all(tolerant, "'1;2';skip;3;4", "only")).containsExactly("{a=1;2, b=3}", "{a=only}");
    assertThat(new Shaping().shape(StepDefinition.of("csv", map("columns", "header"))).mistakes())
        .anyMatch(m -> m.startsWith("missing-header"))
        .anyMatch(m -> m.startsWith("missing-key"));
  }

  @Test
  void columnsOfTheHeaderAreFoundByNameInAnyOrder() {
    Shaping byHeader =
        new Shaping()
            .intake(Settings.of("files", "x").with("header", true))
            .shape(
                StepDefinition.of(
                    "csv",
                    map("columns", "header", "fields", map("n", "int from No.", "a", "text?"))))
            .table(
                io.wexrun.core.pipeline.Table.in("s", "all")
                    .column("n", io.wexrun.core.schema.Type.Scalar.INT)
                    .column("a", text()))
            .route(io.wexrun.core.pipeline.Route.to("all"));
    assertThat(shaped(byHeader, "a,skip,No.", "x,y,5\n")).containsExactly("{n=5, a=x}");
    assertThat(shaped(byHeader, "No.", "7\n\"8\"\n")).containsExactly("{n=7}", "{n=8}");
    assertThat(shaped(byHeader, "a,b", "x,y\n"))
        .containsExactly("missing-field shape[0].csv n column 'No.': the header lacks it");
  }

  private static List<String> shaped(Shaping shaping, String header, String body) {
    byte[] data = body.getBytes(StandardCharsets.UTF_8);
    Shaped shaped =
        shaping
            .shaper()
            .shape(
                new Block(
                    new SourcePartition("x.csv"),
                    header.length() + 1,
                    header.length() + 1 + data.length,
                    data,
                    data.length,
                    QuotedLines.FRAMING,
                    header.getBytes(StandardCharsets.UTF_8)));
    List<String> all = new ArrayList<>(Shaping.rows(shaped, "all"));
    all.addAll(Shaping.dead(shaped));
    return all;
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      quoteCharacter = '`',
      value = {
        "a=1 b=x                | {a=1, b=x}",
        "b=\"x \\\"y\\\"\"   a=2 | {a=2, b=x \"y\"}",
        "a=1 c=3 d=\"\"         | {a=1, others={\"c\":\"3\",\"d\":\"\"}}",
        "a=x                    | bad-value shape[0].pairs a \"x\" is not an int",
        "a=1 a=2                | bad-value shape[0].pairs a it stands there twice",
        "a=1 word               | no-match shape[0].pairs \"word\" is not a pair: = is missing",
        "a=1 b=\"x              | no-match shape[0].pairs a quote is open at the end",
        "b=\"x\"y               | no-match shape[0].pairs \"y\" follows a closing quote",
      })
  void pairsAreRead(String line, String expected) {
    Shaping pairs =
        Shaping.over(
            StepDefinition.of(
                "pairs", map("fields", map("a", "int", "b", "text"), "rest", "others")));
    assertThat(String.join("", all(pairs, line))).isEqualTo(expected);
  }

  @Test
  void syslogOfBothKindsIsRead() {
    Shaping syslog =
        Shaping.over(
            StepDefinition.of(
                "syslog",
                map(
                    "fields",
                    map("line", "int from tram@32473.line"),
                    "year",
                    1970,
                    "zone",
                    "UTC")),
            StepDefinition.of("remove", List.of("facility")));
    assertThat(
            all(
                syslog,
                "<165>1 1970-01-01T00:00:01Z depot.ostrel switchd 42 ID47 [tram@32473 line=\"7\""
                    + " to=\"a\\]b\"] moved",
                "<14>1 - - - - - - only text",
                "<34>Jan  1 00:00:02 depot switchd[7]: stuck",
                "<13>Jan  1 00:00:03 depot no tag here",
                "<999>1 - - - - - -",
                "<13>1 - - - - - [open",
                "hello"))
        .containsExactly(
            "{severity=notice, time=1000000, host=depot.ostrel, app=switchd, process=42,"
                + " message_id=ID47, structured={\"tram@32473\":{\"line\":\"7\",\"to\":\"a]b\"}},"
                + " message=moved, line=7}",
            "{severity=info, message=only text}",
            "{severity=critical, time=2000000, host=depot, app=switchd, process=7, message=stuck}",
            "{severity=notice, time=3000000, host=depot, message=no tag here}",
            "no-match shape[0].syslog a message begins with a priority from <0> to <191>:"
                + " \"<999>1 - - - - - -\"",
            "no-match shape[0].syslog structured structured data is not closed: it ends",
            "no-match shape[0].syslog a message begins with a priority from <0> to <191>:"
                + " \"hello\"");
  }

  @Test
  void anOldSyslogTimeNeedsItsZone() {
    assertThat(all(Shaping.over(StepDefinition.of("syslog", map())), "<34>Jan  1 00:00:02 d s: x"))
        .containsExactly(
            "bad-value shape[0].syslog time a time of RFC 3164 has no zone: write zone");
  }
}

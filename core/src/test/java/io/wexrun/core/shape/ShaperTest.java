package io.wexrun.core.shape;

import static io.wexrun.core.pipeline.Route.when;
import static io.wexrun.core.pipeline.StepDefinition.require;
import static io.wexrun.core.pipeline.StepDefinition.set;
import static io.wexrun.core.pipeline.StepDefinition.template;
import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.core.dead.Reason;
import io.wexrun.core.pipeline.Route;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.schema.Type;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.Test;

class ShaperTest {
  private static final Type.Scalar TEXT = Type.Scalar.TEXT;
  private static final Type.Scalar INT = Type.Scalar.INT;

  private static Table.Builder scans() {
    return Table.in("store", "scans").required("card", TEXT).column("ms", INT);
  }

  private static Shaping events() {
    return new Shaping().shape(template("{event} {card?} {ms:int?}"));
  }

  @Test
  void theFirstConditionThatHoldsTakesTheRecord() {
    Shaped shaped =
        events()
            .table(scans())
            .table(Table.in("store", "faults").column("card", TEXT))
            .route(
                when("event == 'scan'").to("scans"),
                when("event.startsWith('f') || ms > 5").to("faults"),
                Route.otherwiseDead())
            .lines("scan A 1", "fault B 2", "ping C 9", "ping D 3");
    assertThat(Shaping.rows(shaped, "scans")).containsExactly("{card=A, ms=1}");
    assertThat(Shaping.rows(shaped, "faults")).containsExactly("{card=B}", "{card=C}");
    assertThat(Shaping.dead(shaped))
        .containsExactly("unknown-kind route[2] no route takes it: event is \"ping\"");
  }

  @Test
  void blankLinesAreDroppedAndCountedUnlessTheyAreWanted() {
    for (String blank : List.of("", "drop", "take")) {
      Settings intake = Settings.of("lines", "");
      Shaped shaped =
          events()
              .intake(blank.isEmpty() ? intake : intake.with("blank", blank))
              .table(scans())
              .route(Route.to("scans"))
              .lines("scan A 1", "", " \t\r", "scan B 2");
      assertThat(shaped.taken()).isEqualTo(4);
      assertThat(shaped.dropped()).isEqualTo(blank.equals("take") ? 0 : 2);
      assertThat(shaped.dead().count()).isEqualTo(blank.equals("take") ? 2 : 0);
    }
    assertThat(events().intake(Settings.of("lines", "").with("blank", "x")).mistakes())
        .anyMatch(m -> m.contains("'x' is neither drop nor take"));
  }

  @Test
  void copiesAndDropsAreCounted() {
    Shaped shaped =
        events()
            .table(scans())
            .queue("audit")
            .route(when("event == 'scan'").to("scans", "audit"), Route.otherwiseDrop())
            .lines("scan A 1", "ping B 2", "scan C 3");
    assertThat(shaped.taken()).isEqualTo(3);
    assertThat(shaped.copied()).isEqualTo(2);
    assertThat(shaped.dropped()).isEqualTo(1);
    assertThat(Shaping.rows(shaped, "scans")).containsExactly("{card=A, ms=1}", "{card=C, ms=3}");
    assertThat(shaped.rows().get("audit").count()).isEqualTo(2);
  }

  @Test
  void aRecordWithoutARequiredFieldDies() {
    Shaped shaped =
        events()
            .shape(require("card", "ms"))
            .table(scans())
            .route(Route.to("scans"))
            .lines("scan A 1", "scan - 2", "scan B -");
    assertThat(Shaping.rows(shaped, "scans")).containsExactly("{card=A, ms=1}");
    assertThat(Shaping.dead(shaped))
        .containsExactly(
            "missing-field shape[1].require card 'card' is absent",
            "missing-field shape[1].require ms 'ms' is absent");
    assertThat(shaped.reasons()).isEqualTo(Map.of(Reason.MISSING_FIELD, 2L));
  }

  @Test
  void anEmptyTextCountsAsLacking() {
    Shaped shaped =
        new Shaping()
            .shape(template("card={card};"), require("card"))
            .table(scans())
            .route(Route.to("scans"))
            .lines("card=;");
    assertThat(Shaping.dead(shaped))
        .containsExactly("missing-field shape[1].require card 'card' is empty");
  }

  @Test
  void computedFieldsSeeThoseBeforeThem() {
    Shaped shaped =
        events()
            .shape(set("twice", "ms * 2").and("big", "twice > 10").and("card", "card + '!'"))
            .table(
                Table.in("store", "t")
                    .column("card", TEXT)
                    .column("twice", Type.Scalar.LONG)
                    .column("big", Type.Scalar.BOOL))
            .route(Route.to("t"))
            .lines("scan A 4", "scan B 6", "scan C -");
    assertThat(Shaping.rows(shaped, "t"))
        .containsExactly(
            "{card=A!, twice=8, big=0}", "{card=B!, twice=12, big=1}", "{card=C!, big=0}");
  }

  @Test
  void anExpressionThatFailsKillsItsRecordOnly() {
    Shaped shaped =
        events()
            .shape(set("share", "100 / ms"))
            .table(Table.in("store", "t").column("share", Type.Scalar.LONG))
            .route(when("100 / (ms - 2) > 0").to("t"), Route.otherwiseDrop())
            .lines("scan A 5", "scan B 0", "scan C 2");
    assertThat(Shaping.rows(shaped, "t")).containsExactly("{share=20}");
    assertThat(Shaping.dead(shaped))
        .containsExactly(
            "failed-expression shape[1].set share divided by zero",
            "failed-expression route[0] divided by zero");
  }

  @Test
  void aTableTakesWhatFitsItsColumns() {
    Shaped shaped =
        new Shaping()
            .shape(template("{n:int} {big:long} {card?}"))
            .table(
                Table.in("store", "t")
                    .column("n", Type.Scalar.DOUBLE)
                    .column("big", INT)
                    .required("card", TEXT)
                    .column("colour", TEXT, "grey")
                    .column("note", TEXT))
            .route(Route.to("t"))
            .lines("1 2 A", "1 3000000000 B", "1 2 -");
    assertThat(Shaping.rows(shaped, "t")).containsExactly("{n=1.0, big=2, card=A, colour=grey}");
    assertThat(Shaping.dead(shaped))
        .containsExactly(
            "bad-value route big 3000000000 does not fit into the int column of table 't'",
            "missing-field route card 'card' is absent, and table 't' requires it");
  }

  @Test
  void aQueueTakesTheRawRecordsWithTheirKeys() {
    Shaped shaped =
        new Shaping()
            .queue("q")
            .route(Route.to("q").key("card=(\\w+)"))
            .lines("x card=7F y", "none");
    assertThat(Shaping.rows(shaped, "q")).containsExactly("{key=7F}", "{}");
    assertThat(shaped.rows().get("q").batch().records().bytes(0))
        .asString()
        .isEqualTo("x card=7F y");
  }

  @Test
  void theSameBlockGivesTheSameOnEveryRun() {
    Shaping shaping = events().table(scans()).route(when("ms > 1").to("scans"));
    String[] lines = {"scan A 1", "scan B 2", "broken", "scan C x"};
    assertThat(Shaping.rows(shaping.lines(lines), "scans"))
        .isEqualTo(Shaping.rows(shaping.lines(lines), "scans"));
    assertThat(Shaping.dead(shaping.lines(lines))).isEqualTo(Shaping.dead(shaping.lines(lines)));
  }

  @Test
  void allMistakesOfAPipelineAreTold() {
    List<String> mistakes =
        new Shaping()
            .shape(
                template("{event} {card} {ms}"),
                require("crad"),
                set("slow", "ms > 500"),
                template("{late}"))
            .table(scans())
            .queue("q")
            .route(
                when("evnt == 'scan' && slow").to("scans"),
                when("card").to("scanz"),
                Route.to("dead", "scans"),
                Route.to("q").key("(("))
            .mistakes();
    assertThat(mistakes)
        .containsExactly(
            "unknown-field shape[1].require: there is no field 'crad' here",
            "type-clash shape[2].set.slow: '>' does not work on string and int",
            "misplaced-step shape[3].template: this step reads the raw record, so it is the first"
                + " step",
            "unknown-field route[0].when: there is no field 'evnt' here",
            "type-clash route[0]: field 'ms' is text, but column 'ms' of table 'scans' is an int",
            "not-a-condition route[1].when: the condition gives text, not true or false",
            "unknown-target route[1].to: there is no table or queue 'scanz'",
            "bad-route route[2]: 'dead' stands alone, not beside other targets",
            "type-clash route[2]: field 'ms' is text, but column 'ms' of table 'scans' is an int",
            "unreachable-route route[3]: no record comes this far: the entry before takes"
                + " everything",
            "bad-pattern route[3].key: this is not a pattern: error parsing regexp: missing closing"
                + " ): `((`");
  }

  @Test
  void aClashBetweenTemplateAndColumnIsFoundBeforeTheRun() {
    var diagnostics =
        new Shaping()
            .shape(template("{card} {ms}"))
            .table(scans())
            .route(Route.to("scans"))
            .diagnostics();
    assertThat(diagnostics).hasSize(1);
    assertThat(diagnostics.get(0).render())
        .isEqualTo(
            "test, route[0]: error [type-clash] field 'ms' is text, but column 'ms' of table"
                + " 'scans' is an int\n      = read it as one: {ms:int}");
  }
}

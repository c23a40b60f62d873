package io.wexrun.core.shape;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.core.framing.Lines;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.StepDefinition;
import io.wexrun.core.schema.Instants;
import java.nio.charset.StandardCharsets;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

/** Times without a year get one by when their record had been written. */
class YearsTest {
  private static final String SYSLOG_TIME = "timestamp 'MMM [ ]d HH:mm:ss' @UTC";

  private static List<String> times(Shaping shaping, String written, String line) {
    byte[] data = (line + "\n").getBytes(StandardCharsets.UTF_8);
    long by = written.isEmpty() ? 0 : Instants.micros(Instant.parse(written));
    Block block =
        new Block(
            new SourcePartition("x.log"),
            0,
            data.length,
            data,
            data.length,
            Lines.FRAMING,
            new byte[0],
            0,
            by);
    RecordTrial trial = shaping.shaper().tryOut(block).trials().get(0);
    return trial.death().isPresent()
        ? List.of("dies: " + trial.death().get().detail())
        : trial.stages().get(trial.stages().size() - 1).rows().stream()
            .map(row -> row.get("t"))
            .toList();
  }

  private static Shaping template(String type) {
    return Shaping.over(StepDefinition.of("template", List.of("{t:" + type + "} {note}")));
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      textBlock =
          """
          2026-11-28T12:00:00Z | Nov 28 11:59:59 x | 2026-11-28T11:59:59Z
          2026-11-28T12:00:00Z | Nov 29 11:59:59 x | 2026-11-29T11:59:59Z
          2026-11-28T12:00:00Z | Nov 29 12:00:01 x | 2025-11-29T12:00:01Z
          2026-11-28T12:00:00Z | Dec 1 00:00:00 x  | 2025-12-01T00:00:00Z
          2026-01-01T00:00:05Z | Dec 31 23:59:59 x | 2025-12-31T23:59:59Z
          2025-12-31T23:59:59Z | Jan 1 00:00:05 x  | 2026-01-01T00:00:05Z
          2026-11-28T12:00:00Z | Feb 29 01:02:03 x | 2024-02-29T01:02:03Z
          2026-11-28T12:00:00Z | Nov  7 01:02:03 x | 2026-11-07T01:02:03Z
          1904-02-01T12:00:00Z | Feb 29 01:02:03 x | 1896-02-29T01:02:03Z
          2026-11-28T12:00:00Z | Feb 30 01:02:03 x | dies: "Feb 30 01:02:03" is not a timestamp
          """)
  void theYearIsTheLatestThatIsNotBehindTheRecord(String written, String line, String time) {
    assertThat(times(template(SYSLOG_TIME), written, line)).containsExactly(time);
  }

  @Test
  void aDayOfTheWeekTellsTheYear() {
    Shaping shaping = template("timestamp 'EEE MMM d HH:mm' @UTC");
    String now = "2026-11-28T12:00:00Z";
    assertThat(times(shaping, now, "Sat Nov 28 10:00 x")).containsExactly("2026-11-28T10:00:00Z");
    assertThat(times(shaping, now, "Fri Nov 28 10:00 x")).containsExactly("2025-11-28T10:00:00Z");
  }

  @Test
  void theZoneIsThatOfTheYear() {
    Shaping berlin = template("timestamp 'MMM d HH:mm' @Europe/Berlin");
    assertThat(times(berlin, "2026-11-28T12:00:00Z", "Mar 29 12:00 x"))
        .containsExactly("2026-03-29T10:00:00Z");
    assertThat(times(berlin, "2026-02-28T12:00:00Z", "Mar 29 12:00 x"))
        .containsExactly("2025-03-29T11:00:00Z");
    assertThat(
            times(
                template("timestamp 'MM-dd HH:mm XXX'"),
                "2026-11-28T12:00:00Z",
                "03-04 12:00 +02:00 x"))
        .containsExactly("2026-03-04T10:00:00Z");
  }

  @Test
  void partsOfAFormatMayBeMissing() {
    Shaping shaping = template("timestamp 'MMM [ ]d [uuuu ]HH:mm:ss[ XXX]' @UTC");
    String now = "2026-11-28T12:00:00Z";
    assertThat(times(shaping, now, "Nov  7 10:00:00 x")).containsExactly("2026-11-07T10:00:00Z");
    assertThat(times(shaping, now, "Nov 27 2019 10:00:00 x y"))
        .containsExactly("2019-11-27T10:00:00Z");
    assertThat(times(shaping, now, "Nov 27 2019 10:00:00 +01:00 x"))
        .containsExactly("2019-11-27T09:00:00Z");
    assertThat(times(shaping, now, "Nov 27 x y")).hasSize(1).first().asString().startsWith("dies");
    Shaping two = template("timestamp 'MMM d HH:mm:ss' 'iso' @UTC");
    assertThat(times(two, now, "2026-01-02T03:04:05 x y")).containsExactly("2026-01-02T03:04:05Z");
    assertThat(times(two, now, "Nov 7 03:04:05 x y")).containsExactly("2026-11-07T03:04:05Z");
  }

  @Test
  void withoutATimeItIsNotKnown() {
    assertThat(times(template(SYSLOG_TIME), "", "Nov 28 11:59:59 x"))
        .containsExactly(
            "dies: \"Nov 28 11:59:59\" has no year, and it is not known when it was written");
  }

  @Test
  void everyStepThatReadsFieldsKnowsTheYear() {
    String now = "2026-01-02T00:00:00Z";
    Map<String, Object> fields = Map.of("fields", Map.of("t", SYSLOG_TIME));
    String same = "2025-12-31T10:00:00Z";
    assertThat(
            times(
                Shaping.over(StepDefinition.of("json", fields)),
                now,
                "{\"t\": \"Dec 31 10:00:00\"}"))
        .containsExactly(same);
    assertThat(
            times(Shaping.over(StepDefinition.of("pairs", fields)), now, "t=\"Dec 31 10:00:00\""))
        .containsExactly(same);
    Map<String, Object> csv = Map.of("columns", List.of("t"), "fields", Map.of("t", SYSLOG_TIME));
    assertThat(times(Shaping.over(StepDefinition.of("csv", csv)), now, "Dec 31 10:00:00"))
        .containsExactly(same);
    Map<String, Object> regex = Map.of("pattern", "(?<t>.*)", "fields", Map.of("t", SYSLOG_TIME));
    assertThat(times(Shaping.over(StepDefinition.of("regex", regex)), now, "Dec 31 10:00:00"))
        .containsExactly(same);
    Shaping cast =
        Shaping.over(
            StepDefinition.of("template", List.of("{t}")),
            StepDefinition.of("cast", Map.of("t", SYSLOG_TIME)));
    assertThat(times(cast, now, "Dec 31 10:00:00")).containsExactly(same);
    assertThat(times(template("date 'dd.MM.'"), now, "31.12. x")).containsExactly("2025-12-31");
    Map<String, Object> list =
        Map.of("fields", Map.of("t", "list<timestamp 'MMM d HH:mm:ss' @UTC>"));
    assertThat(
            times(
                    Shaping.over(StepDefinition.of("json", list)),
                    now,
                    "{\"t\": [\"Dec 31 10:00:00\"]}")
                .toString())
        .contains("2025-12-31");
  }

  @Test
  void syslogOfOldHasTheYearToo() {
    Shaping shaping =
        Shaping.over(
            StepDefinition.of("syslog", Map.of("zone", "UTC")),
            StepDefinition.of("rename", Map.of("time", "t")));
    assertThat(times(shaping, "2026-01-02T00:00:00Z", "<34>Dec 31 10:00:00 depot s: x"))
        .containsExactly("2025-12-31T10:00:00Z");
    assertThat(times(shaping, "2026-01-02T00:00:00Z", "<34>Feb 31 10:00:00 depot s: x"))
        .containsExactly("dies: \"Feb 31 10:00:00\" is not a timestamp");
  }
}

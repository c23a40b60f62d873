package io.wexrun.core.path;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.core.batch.LongVector;
import io.wexrun.core.diagnose.Diagnostic;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.pipeline.Settings;
import java.time.LocalDate;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

class PathFieldsTest {
  private static PathFields of(Object patterns) {
    return PathFields.of(Settings.of("files", patterns));
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "logs/{day}/*.log | logs/monday/a.log | {day=monday}",
        "logs/{year:int}/{month:int}/{depot}/*.log | logs/2026/11/north/a.log |"
            + " {year=2026, month=11, depot=north}",
        "logs/dt={dt:date}/depot={depot}/* | logs/dt=2026-11-25/depot=n/x | {dt=2026-11-25,"
            + " depot=n}",
        "logs/{day:date 'yyyy/MM/dd'}/*.log | logs/2026/11/25/a.log | {day=2026/11/25}",
        "logs/**/{gate}-{n:int}.log | logs/x/y/north-7.log | {gate=north, n=7}",
        "logs/**/{gate}.log | logs/north.log | {gate=north}",
        "logs/{a}.{csv,log} | logs/x.log | {a=x}",
        "logs/[a-c]/{a} | logs/b/x | {a=x}",
        "logs/[!a]/{a} | logs/a/x | {}",
        "../logs/{a}/*.log | /var/logs/x/y.log | {a=x}",
        "logs/{a}/*.log | logs/x/y/z.log | {}",
        "logs/{a}/*.log | logs/x/y.log#2 | {a=x}",
        "logs/{a}/*.log | logs/x/y.log#again.1 | {a=x}",
        "logs/*.log | logs/x.log | {}"
      })
  void valuesAreReadOutOfNames(String pattern, String name, String values) {
    assertThat(of(pattern).texts(name)).hasToString(values);
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "logs/{day:date}/*.log | logs/*/*.log",
        "logs/{day:date 'yyyy/MM/dd'}/x-{n:int}.log | logs/*/*/*/x-*.log",
        "logs/{a,b}/*.log | logs/{a,b}/*.log"
      })
  void asAGlobAValueIsAnything(String pattern, String glob) {
    assertThat(PathFields.glob(pattern)).isEqualTo(glob);
  }

  @Test
  void valuesHaveTypesAndWhatIsNoneIsAbsent() {
    PathFields fields = of(List.of("a/{day:date}/{n:int}/*", "b/{n:int}/*"));
    assertThat(fields.schema()).hasToString("[day: date, n: int]");
    LongVector day = (LongVector) fields.values("a/2026-11-25/7/x").column(0);
    assertThat(day.get(0)).isEqualTo(LocalDate.of(2026, 11, 25).toEpochDay());
    assertThat(fields.values("a/tmp/7/x").column(0).absent(0)).isTrue();
    assertThat(fields.values("b/8/x").column(0).absent(0)).isTrue();
    assertThat(((LongVector) fields.values("b/8/x").column(1)).get(0)).isEqualTo(8);
    assertThat(fields.values("elsewhere").column(1).absent(0)).isTrue();
  }

  @Test
  void aConditionOnThemIsOneOnNames() {
    PathFields fields = of("a/{day:date}/{depot}/*");
    Diagnostics diagnostics = Diagnostics.of("x");
    var where =
        fields
            .where("day >= date('2026-11-25') && depot != 's'", KeyPath.ROOT, diagnostics)
            .orElseThrow();
    assertThat(where.test("a/2026-11-25/n/x")).isTrue();
    assertThat(where.test("a/2026-11-24/n/x")).isFalse();
    assertThat(where.test("a/2026-11-25/s/x")).isFalse();
    assertThat(where.test("a/tmp/n/x")).as("no day").isFalse();
    assertThat(fields.where("gate == 1", KeyPath.ROOT, diagnostics)).isEmpty();
    assertThat(fields.where("date('x') < day", KeyPath.ROOT, Diagnostics.of("x")).orElseThrow())
        .rejects("a/2026-11-25/n/x");
    assertThat(diagnostics.all()).hasSize(1);
  }

  @Test
  void whatIsNoTypeIsTold() {
    Diagnostics diagnostics = Diagnostics.of("x");
    Object patterns = List.of("a/{n:nothing}/*", "b/{m:int}/*", "c/{m:date}/*");
    PathFields.of(new Settings("files", Map.of("files", patterns)), KeyPath.ROOT, diagnostics);
    assertThat(diagnostics.all()).extracting(Diagnostic::code).contains("two-types").hasSize(2);
  }
}

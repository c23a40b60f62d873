package io.wexrun.core.expression;

import static org.assertj.core.api.Assertions.assertThat;

import dev.cel.common.CelAbstractSyntaxTree;
import dev.cel.runtime.CelEvaluationException;
import dev.cel.runtime.CelRuntime;
import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.DoubleVector;
import io.wexrun.core.batch.LongVector;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.batch.Vectors;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.intake.Records;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Instants;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type.Scalar;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import net.jqwik.api.Arbitraries;
import net.jqwik.api.Arbitrary;
import net.jqwik.api.Combinators;
import net.jqwik.api.ForAll;
import net.jqwik.api.Property;
import net.jqwik.api.Provide;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

class ExpressionTest {
  private static final Schema SCHEMA =
      Schema.of(
          Column.of("i", Scalar.LONG),
          Column.of("j", Scalar.INT),
          Column.of("x", Scalar.DOUBLE),
          Column.of("s", Scalar.TEXT),
          Column.of("t", Scalar.TEXT),
          Column.of("b", Scalar.BOOL),
          Column.of("at", Scalar.TIMESTAMP),
          Column.of("day", Scalar.DATE));

  /** A row: null is absent. */
  record Row(Long i, Long j, Double x, String s, String t, Boolean b, Instant at) {
    List<Object> values() {
      return Arrays.asList(i, j, x, s, t, b, at, null);
    }

    Map<String, Object> variables() {
      Map<String, Object> variables = new HashMap<>();
      for (int c = 0; c < 7; c++) {
        variables.put(SCHEMA.column(c).name(), values().get(c));
      }
      return variables;
    }
  }

  private static Batch batch(List<Row> rows) {
    List<Vector> columns = new ArrayList<>();
    for (int c = 0; c < SCHEMA.size(); c++) {
      Vector vector = Vectors.forType(SCHEMA.column(c).type(), 1);
      for (Row row : rows) {
        Object value = row.values().get(c);
        if (value == null) {
          vector.appendAbsent();
        } else {
          Library.append(vector, value);
        }
      }
      columns.add(vector);
    }
    int[] places = new int[rows.size()];
    return new Batch(
        SCHEMA,
        columns,
        rows.size(),
        Records.numbered(null, places, places, rows.size(), 0, null),
        places);
  }

  private static Expression compile(String text) {
    Diagnostics diagnostics = Diagnostics.of("test");
    Expression expression =
        new Expressions(SCHEMA).compile(text, KeyPath.ROOT, diagnostics).orElse(null);
    diagnostics.orThrow();
    return expression;
  }

  private static String evaluate(String text, Row row) {
    Evaluated evaluated = compile(text).evaluate(batch(List.of(row)));
    if (evaluated.failed(0)) {
      return "failed";
    }
    if (evaluated.values().absent(0)) {
      return "absent";
    }
    if (compile(text).type() == Scalar.TIMESTAMP) {
      return Instants.instant(((LongVector) evaluated.values()).get(0)).toString();
    }
    return evaluated.values() instanceof LongVector numbers
        ? Long.toString(numbers.get(0))
        : evaluated.values() instanceof DoubleVector doubles
            ? Double.toString(doubles.get(0))
            : ((TextVector) evaluated.values()).text(0);
  }

  private static final Row FULL =
      new Row(7L, -3L, 2.5, "Mühle bridge", "ü", true, Instant.parse("2026-05-03T06:14:09.118Z"));
  private static final Row EMPTY = new Row(null, null, null, null, null, null, null);

  @ParameterizedTest
  @CsvSource(
      delimiter = '~',
      value = {
        "i + j * 2              ~ 1",
        "i / 2                  ~ 3",
        "i % 4                  ~ 3",
        "-i                     ~ -7",
        "x * 2.0 - 1.0          ~ 4.0",
        "-x                     ~ -2.5",
        "i > 5 && s != t        ~ 1",
        "i in [1, 7]            ~ 1",
        "s in ['a', 'b']        ~ 0",
        "s.contains('ü')        ~ 1",
        "s.startsWith('Mühle')  ~ 1",
        "s.endsWith('bridge')   ~ 1",
        "s.contains(t)          ~ 1",
        "size(s)                ~ 12",
        "s.size()               ~ 12",
        "s.replace('ü', 'ue')   ~ Muehle bridge",
        "s.replace('e', 'ee')   ~ Mühlee bridgee",
        "s.upperAscii()         ~ MüHLE BRIDGE",
        "s.lowerAscii() + '!'   ~ mühle bridge!",
        "s.matches('^M.*e$')    ~ 1",
        "s.substring(0, 2)      ~ Mü",
        "s.split(' ')[1]        ~ bridge",
        "b ? i : j              ~ 7",
        "!b || i == 7           ~ 1",
        "double(i) / 2.0        ~ 3.5",
        "string(i)              ~ 7",
        "at > timestamp('2026-01-01T00:00:00Z') ~ 1",
        "at + duration('1s')    ~ 2026-05-03T06:14:10.118Z",
        "at.getHours('+02:00')  ~ 8",
        "[1, 2].exists(n, n * 4 > i) ~ 1",
        "i / (j + 3)            ~ failed",
        "9223372036854775807 + i ~ failed",
        "b || i / 0 > 1         ~ 1",
        "!b && i / 0 > 1        ~ 0",
        "b ? 1 : i / 0          ~ 1",
        "s.substring(99)        ~ failed",
        "has(s) && has(i)       ~ 1",
        "size([i, j])           ~ 2",
        "sum([i, j])            ~ 4",
        "greatest([x, 9.0])     ~ 9.0",
        "least([i, j])          ~ -3",
        "md5(t)                 ~ c03410a5204b21cd8229ff754688d743",
        "sha256('')             ~ e3b0c44298fc1c149afbf4c8996fb92427ae41e4649b934ca495991b7852b855",
        "sha1(b'abc')           ~ a9993e364706816aba3e25717850c26c9cd0d89d",
        "hash64('abc')          ~ -5010229573455851542",
        "replaceAll('a1b22', '[0-9]+', '#') ~ a#b#",
        "replaceAll('k=v', '(?P<key>[a-z])=([a-z])', '$2=${key}') ~ v=k",
        "replaceAll('x', '(x)', '$7') ~ failed",
        "size(splitAll('a, b;c', '[,;] *')) ~ 3",
        "splitAll('', ',')[0]   ~ ''",
        "findAll('card=7 card=8', 'card=([0-9])')[1] ~ 8",
        "size(findAll('abc', 'x')) ~ 0",
        "findAll('abc', '[' + s) ~ failed",
        "seconds('112ms')       ~ 0.112",
        "seconds('2h 3m')       ~ 7380.0",
        "seconds('soon')        ~ failed",
        "byteSize('12 kB')      ~ 12000",
        "byteSize('1.5MiB')     ~ 1572864",
        "byteSize('64K')        ~ 65536",
        "byteSize('900')        ~ 900",
        "byteSize('9 parsecs')  ~ failed",
        "plain('\\x1b[31mred\\x1b[0m') ~ red",
        "inNetwork('10.20.7.1', '10.20.0.0/16') ~ 1",
        "inNetwork('::ffff:10.20.7.1', '10.20.0.0/16') ~ 1",
        "inNetwork('2001:db8::1', t + '10.0.0.0/8') ~ failed",
        "inNetwork(s, '10.0.0.0/8') ~ 0",
        "isIp(s) || !isIp('fe80::1') ~ 0",
        "ipVersion('fe80::1')   ~ 6",
        "ipVersion(s)           ~ failed",
        "network('10.20.7.1', 20) ~ 10.20.0.0/20",
        "network('2001:db8:1:2::9', 48) ~ 2001:db8:1::/48",
        "network('10.20.7.1', 33) ~ failed",
        "truncate(at, 'hour')   ~ 2026-05-03T06:00:00Z",
        "truncate(at, 'week')   ~ 2026-04-27T00:00:00Z",
        "truncate(at, 'day', 'Europe/Berlin') ~ 2026-05-02T22:00:00Z",
        "truncate(at, s)        ~ failed",
        "epochMillis(at)        ~ 1777788849118",
        "fromEpochMillis(0)     ~ 1970-01-01T00:00:00Z",
        "formatTime(at, 'dd.MM. HH:mm', 'Europe/Berlin') ~ 03.05. 08:14",
        "parseTime('03.05.2026 08:14', 'dd.MM.yyyy HH:mm', '+02:00') ~ 2026-05-03T06:14:00Z",
        "parseTime(s, 'dd.MM.yyyy HH:mm', 'UTC') ~ failed",
        "date('2026-11-25') ~ 2026-11-25T00:00:00Z",
        "date('25.11.2026') ~ failed",
      })
  void expressionsGiveWhatCelSays(String text, String result) {
    assertThat(evaluate(text, FULL)).isEqualTo(result);
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '~',
      value = {
        "i == 7           ~ 0",
        "i != 7           ~ 0",
        "s in ['a']       ~ 0",
        "i + 1            ~ absent",
        "s + 'x'          ~ absent",
        "s.contains('x')  ~ absent",
        "s.substring(0)   ~ absent",
        "size(s)          ~ absent",
        "has(s)           ~ 0",
        "has(s) ? s : 'x' ~ x",
        "sha256(s)        ~ absent",
        "inNetwork(s, '10.0.0.0/8') ~ absent",
        "!b               ~ absent",
        "b || i == 1      ~ absent",
        "b && i == 1      ~ 0",
        "b || 1 == 1      ~ 1",
        "b ? 'x' : 'y'    ~ y",
        "day > at         ~ 0",
      })
  void comparingWithAnAbsentValueIsFalseAndComputingWithOneIsAbsent(String text, String result) {
    assertThat(evaluate(text, EMPTY)).isEqualTo(result);
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '~',
      value = {
        "upper(s)         ~ unknown-function ~ there is no function 'upper'",
        "s.upper()        ~ unknown-function ~ there is no function 'upper'",
        "findAll(s, '[')  ~ bad-expression ~ '[' is not a regular expression: missing closing ]",
        "ii > 5           ~ unknown-field  ~ there is no field 'ii' here",
        "i > 2.5          ~ type-clash     ~ '>' does not work on int and double",
        "s > 5            ~ type-clash     ~ '>' does not work on string and int",
        "i +              ~ bad-expression ~ mismatched input '<EOF>' expecting {'[', '{', '(',"
            + " '.', '-', '!', 'true', 'false', 'null', NUM_FLOAT, NUM_INT, NUM_UINT, STRING,"
            + " BYTES, IDENTIFIER}",
        "{'a': i}         ~ unusable-result ~ the expression gives a map, which no column holds",
        "has(ii)          ~ unknown-field  ~ there is no field 'ii' here",
        "truncate(at, 'hours')  ~ bad-expression ~ truncate: \"hours\" is not a unit: second,"
            + " minute, hour, day, week (from Monday), month, year",
        "truncate(at, 'day', 'Berlin') ~ bad-expression ~ truncate: \"Berlin\" is not a time zone",
        "truncate(at, 1)  ~ type-clash     ~ 'truncate' does not work on timestamp and int",
      })
  void mistakesAreToldBeforeTheRun(String text, String code, String message) {
    Diagnostics diagnostics = Diagnostics.of("test");
    assertThat(new Expressions(SCHEMA).compile(text, KeyPath.ROOT, diagnostics)).isEmpty();
    assertThat(diagnostics.all()).hasSize(1);
    assertThat(diagnostics.all().get(0).code()).isEqualTo(code);
    assertThat(diagnostics.all().get(0).message()).isEqualTo(message);
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '~',
      value = {
        "i > 5 && s.contains('x') || b  ~ 0",
        "s.substring(0, 2) == 'ab'      ~ 1",
        "at > timestamp('2026-01-01T00:00:00Z') ~ 0"
      })
  void onlyWhatHasNoColumnarFormIsLeftToTheLibrary(String text, int parts) {
    assertThat(compile(text).onLibrary()).hasSize(parts);
  }

  static boolean never(String condition) {
    Diagnostics diagnostics = Diagnostics.of("test");
    new Expressions(SCHEMA).condition(condition, KeyPath.ROOT, diagnostics);
    diagnostics.orThrow();
    return !diagnostics.all().isEmpty();
  }

  /** What is said never to hold holds for no row. */
  @Property(tries = 2000)
  void noRowFulfilsWhatIsSaidNeverToHold(
      @ForAll("conjunctions") String text, @ForAll("rows") List<Row> rows) {
    if (never(text)) {
      Evaluated evaluated = compile(text).evaluate(batch(rows));
      for (int row = 0; row < rows.size(); row++) {
        assertThat(Expression.holds(evaluated, row)).as("%s on %s", text, rows.get(row)).isFalse();
      }
    }
  }

  @Provide
  Arbitrary<String> conjunctions() {
    Arbitrary<String> part =
        Arbitraries.oneOf(
            Combinators.combine(
                    Arbitraries.of("==", "!=", "<", "<=", ">", ">="), Arbitraries.of(-1, 0, 1, 7))
                .as((op, n) -> "i " + op + " " + n),
            Combinators.combine(Arbitraries.of("==", "!="), Arbitraries.of("a", "ab", "ERROR"))
                .as((op, s) -> "s " + op + " '" + s + "'"),
            Arbitraries.of("i in [0, 7]", "s in ['a', 'zé']", "2 > i"));
    return part.list().ofMinSize(2).ofMaxSize(4).map(parts -> String.join(" && ", parts));
  }

  @Property(tries = 3000)
  void theColumnarEvaluatorAndTheLibrarysRuntimeAgree(
      @ForAll("conditions") String text, @ForAll("rows") List<Row> rows) throws Exception {
    Expression ours = compile(text);
    CelAbstractSyntaxTree tree = Library.compiler(SCHEMA).compile(text).getAst();
    CelRuntime.Program theirs = Library.program(tree);
    Evaluated evaluated = ours.evaluate(batch(rows));
    for (int row = 0; row < rows.size(); row++) {
      Object expected;
      try {
        expected = theirs.eval(rows.get(row).variables());
      } catch (CelEvaluationException e) {
        assertThat(evaluated.failed(row)).as("%s on %s fails", text, rows.get(row)).isTrue();
        continue;
      }
      assertThat(evaluated.failed(row)).as("%s on %s", text, rows.get(row)).isFalse();
      assertThat(Library.value(evaluated.values(), ours.type(), row))
          .as("%s on %s", text, rows.get(row))
          .isEqualTo(expected);
    }
  }

  @Provide
  Arbitrary<List<Row>> rows() {
    Arbitrary<Long> numbers =
        Arbitraries.of(-1L, 0L, 1L, 2L, 7L, 500L, Long.MAX_VALUE, Long.MIN_VALUE);
    Arbitrary<Long> ints = Arbitraries.of(-1L, 0L, 3L, 2147483647L);
    Arbitrary<Double> doubles = Arbitraries.of(-1.5, 0.0, 2.5, 1e300, Double.POSITIVE_INFINITY);
    Arbitrary<String> texts = Arbitraries.of("", "a", "ab", "ERROR", "zé", "aXbXc", "日本");
    Arbitrary<Instant> times =
        Arbitraries.of("2026-05-03T06:14:09.118Z", "1969-12-31T23:59:59Z", "2500-01-01T00:00:00Z")
            .map(Instant::parse);
    return Combinators.combine(
            numbers, ints, doubles, texts, texts, Arbitraries.of(true, false), times)
        .as(Row::new)
        .list()
        .ofMinSize(1)
        .ofMaxSize(5);
  }

  @Provide
  Arbitrary<String> conditions() {
    return condition(3);
  }

  private Arbitrary<String> condition(int depth) {
    Arbitrary<String> compare = Arbitraries.of("==", "!=", "<", "<=", ">", ">=");
    Arbitrary<String> leaf =
        Arbitraries.oneOf(
            Combinators.combine(number(1), compare, number(1))
                .as((a, op, b) -> a + " " + op + " " + b),
            Combinators.combine(real(), compare, real()).as((a, op, b) -> a + " " + op + " " + b),
            Combinators.combine(text(1), compare, text(1)).as((a, op, b) -> a + " " + op + " " + b),
            Combinators.combine(
                    text(1), Arbitraries.of("contains", "startsWith", "endsWith"), text(0))
                .as((a, f, b) -> a + "." + f + "(" + b + ")"),
            number(0).map(n -> n + " in [0, 1, 7]"),
            text(0).map(s -> s + " in ['a', 'ERROR']"),
            text(1).map(s -> s + ".matches('a.*b|R+')"),
            Arbitraries.of("has(s)", "has(i) || b", "isIp(s)"),
            text(1).map(s -> "inNetwork(" + s + ", '10.0.0.0/8')"),
            Arbitraries.of("b", "at > timestamp('2026-01-01T00:00:00Z')", "at == at"));
    if (depth == 0) {
      return leaf;
    }
    Arbitrary<String> below = condition(depth - 1);
    return Arbitraries.oneOf(
        leaf,
        Combinators.combine(below, Arbitraries.of("&&", "||", "=="), below)
            .as((a, op, b) -> "(" + a + ") " + op + " (" + b + ")"),
        below.map(a -> "!(" + a + ")"),
        Combinators.combine(below, below, below)
            .as((a, b, c) -> "(" + a + ") ? (" + b + ") : (" + c + ")"));
  }

  private Arbitrary<String> number(int depth) {
    Arbitrary<String> leaf = Arbitraries.of("i", "j", "0", "1", "500", "size(s)");
    return depth == 0
        ? leaf
        : Arbitraries.oneOf(
            leaf,
            Combinators.combine(leaf, Arbitraries.of("+", "-", "*", "/", "%"), leaf)
                .as((a, op, b) -> "(" + a + " " + op + " " + b + ")"),
            leaf.map(a -> "-(" + a + ")"),
            Combinators.combine(leaf, leaf).as((a, b) -> "sum([" + a + ", " + b + "])"),
            leaf.map(a -> "size([" + a + "])"),
            Arbitraries.of("hash64(s)", "epochMillis(at)"),
            truncated());
  }

  private static Arbitrary<String> truncated() {
    Arbitrary<String> unit =
        Arbitraries.of("second", "minute", "hour", "day", "week", "month", "year");
    Arbitrary<String> zone =
        Arbitraries.of("UTC", "Europe/Berlin", "Australia/Lord_Howe", "America/Sao_Paulo");
    return Combinators.combine(unit, zone)
        .as((u, z) -> "epochMillis(truncate(at, '" + u + "', '" + z + "'))");
  }

  private Arbitrary<String> real() {
    return Arbitraries.of("x", "2.5", "0.0", "(x * 2.0)", "(x / 0.0)", "double(i)", "-x");
  }

  private Arbitrary<String> text(int depth) {
    Arbitrary<String> leaf = Arbitraries.of("s", "t", "'a'", "'ERROR'", "''", "'é'");
    return depth == 0
        ? leaf
        : Arbitraries.oneOf(
            leaf,
            Combinators.combine(leaf, leaf).as((a, b) -> "(" + a + " + " + b + ")"),
            leaf.map(a -> a + ".replace('X', '--')"),
            leaf.map(a -> a + ".upperAscii()"),
            leaf.map(a -> a + ".lowerAscii()"),
            leaf.map(a -> a + ".trim()"),
            leaf.map(a -> "md5(" + a + ")"),
            Arbitraries.of("s.split('X').join('-')", "formatTime(at, 'HH:mm', 'UTC')"));
  }
}

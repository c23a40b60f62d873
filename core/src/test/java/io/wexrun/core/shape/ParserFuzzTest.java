package io.wexrun.core.shape;

import static io.wexrun.core.shape.JsonStepTest.map;
import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.core.batch.Rows;
import io.wexrun.core.framing.Lines;
import io.wexrun.core.framing.QuotedLines;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Records;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.StepDefinition;
import java.nio.charset.StandardCharsets;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Random;
import java.util.TreeSet;
import net.jqwik.api.ForAll;
import net.jqwik.api.Property;

/**
 * Whatever the bytes: no parser throws, and every record is either a row or a dead letter with its
 * exact bytes.
 */
class ParserFuzzTest {
  private static final Map<String, Object> FIELDS =
      map("a", "int", "b", "text?", "t", "timestamp 'epoch ms'");

  private static final Map<Shaping, List<String>> PARSERS = new LinkedHashMap<>();

  static {
    add(
        StepDefinition.template("{t:timestamp} {a:int} [{b}] \"{note}\"", "{b} {n:double}"),
        "1970-01-01T00:00:01Z 5 [x] \"say \\\"hi\\\"\"",
        "word 2.5");
    add(StepDefinition.of("regex", "^(?<b>\\S+) (?<a>\\d+)$"), "word 25");
    add(
        StepDefinition.of("csv", map("columns", List.of("a", "b", "t"), "fields", FIELDS)),
        "5,\"x \"\"y\"\"\",1000",
        "1,,");
    add(
        StepDefinition.of(
            "json", map("fields", map("a", "int", "b", "text from $.x[1].y"), "rest", "r")),
        "{\"a\": 5, \"x\": [0, {\"y\": \"\\u00e9\\n\"}], \"more\": [true, null, -1.5e3]}");
    add(
        StepDefinition.of("pairs", map("fields", FIELDS, "rest", "r")),
        "a=5 b=\"x \\\" y\" t=7 q=z");
    add(
        StepDefinition.of(
            "syslog", map("year", 1999, "zone", "UTC", "fields", map("n", "int from i.n"))),
        "<165>1 1970-01-01T00:00:01Z h a p m [i n=\"7\" o=\"\\]\"] text",
        "<34>Feb 28 23:59:59 h a[1]: x");
  }

  private static void add(StepDefinition step, String... samples) {
    PARSERS.put(Shaping.over(step), List.of(samples));
  }

  @Property(tries = 400)
  void noBytesBreakAParserOrLoseARecord(@ForAll long seed) {
    Random random = new Random(seed);
    PARSERS.forEach(
        (parser, samples) -> {
          StringBuilder text = new StringBuilder();
          for (int i = 0; i < 8; i++) {
            text.append(samples.get(random.nextInt(samples.size()))).append('\n');
          }
          byte[] data = mutated(text.toString().getBytes(StandardCharsets.UTF_8), random);
          boolean quoted = random.nextBoolean();
          Block block =
              new Block(
                  new SourcePartition("x"),
                  0,
                  data.length,
                  data,
                  data.length,
                  quoted ? QuotedLines.FRAMING : Lines.FRAMING);
          account(block, parser.shaper().shape(block));
        });
  }

  /** Changes, removes, doubles and inserts some bytes. */
  private static byte[] mutated(byte[] data, Random random) {
    byte[] result = data;
    byte[] telling = "\"\\{}[],=<>- \t\n\r0e.u".getBytes(StandardCharsets.US_ASCII);
    for (int changes = random.nextInt(12); changes > 0; changes--) {
      int at = random.nextInt(result.length);
      byte other =
          random.nextBoolean() ? telling[random.nextInt(telling.length)] : (byte) random.nextInt();
      byte[] changed;
      switch (random.nextInt(3)) {
        case 0 -> {
          changed = result.clone();
          changed[at] = other;
        }
        case 1 -> {
          changed = new byte[result.length + 1];
          System.arraycopy(result, 0, changed, 0, at);
          changed[at] = other;
          System.arraycopy(result, at, changed, at + 1, result.length - at);
        }
        default -> {
          int end = Math.min(result.length, at + 1 + random.nextInt(4));
          changed = new byte[Math.max(1, result.length - (end - at))];
          System.arraycopy(result, 0, changed, 0, Math.min(at, changed.length));
          System.arraycopy(
              result,
              end,
              changed,
              at,
              Math.max(0, Math.min(result.length - end, changed.length - at)));
        }
      }
      result = changed;
    }
    return result;
  }

  private static void account(Block block, Shaped shaped) {
    Records records = block.records();
    TreeSet<Integer> seen = new TreeSet<>();
    Rows rows = shaped.rows().get("all");
    for (int i = 0; rows != null && i < rows.count(); i++) {
      assertThat(seen.add(rows.batch().record(rows.row(i)))).isTrue();
    }
    Rows dead = shaped.dead();
    for (int i = 0; i < dead.count(); i++) {
      int record = dead.batch().record(dead.row(i));
      assertThat(seen.add(record)).isTrue();
      assertThat(dead.batch().records().bytes(record)).isEqualTo(records.bytes(record));
    }
    assertThat(seen).hasSize(records.count());
    assertThat(shaped.taken() + shaped.unfolded()).isEqualTo(seen.size());
  }
}

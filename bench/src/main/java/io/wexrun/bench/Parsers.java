package io.wexrun.bench;

import io.wexrun.cli.demo.Feed;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Lines;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.core.pipeline.Route;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.pipeline.StepDefinition;
import io.wexrun.core.shape.Shaped;
import io.wexrun.core.shape.Shaper;
import io.wexrun.core.step.Steps;
import java.io.ByteArrayOutputStream;
import java.nio.charset.StandardCharsets;
import java.time.LocalDateTime;
import java.time.ZoneOffset;
import java.time.format.DateTimeFormatter;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.TimeUnit;
import org.openjdk.jmh.annotations.Benchmark;
import org.openjdk.jmh.annotations.BenchmarkMode;
import org.openjdk.jmh.annotations.Mode;
import org.openjdk.jmh.annotations.OperationsPerInvocation;
import org.openjdk.jmh.annotations.OutputTimeUnit;
import org.openjdk.jmh.annotations.Scope;
import org.openjdk.jmh.annotations.Setup;
import org.openjdk.jmh.annotations.State;
import org.openjdk.jmh.infra.Blackhole;
import tools.jackson.databind.JsonNode;
import tools.jackson.databind.ObjectMapper;
import tools.jackson.databind.json.JsonMapper;

/**
 * The parsers on records of the demo, from a block's bytes to typed columns, each beside the plain
 * way to do it in Java; nanoseconds for each record.
 */
@State(Scope.Thread)
@BenchmarkMode(Mode.AverageTime)
@OutputTimeUnit(TimeUnit.NANOSECONDS)
public class Parsers {
  private static final int RECORDS = 4000;
  private static final DateTimeFormatter TIME = DateTimeFormatter.ofPattern("dd.MM.yyyy HH:mm:ss");

  private final ObjectMapper mapper = JsonMapper.builder().build();
  private Block messages;
  private Block rows;
  private Block pairs;
  private Shaper json;
  private Shaper csv;
  private Shaper pair;

  /** Makes the records and the shapers. */
  @Setup
  public void prepare() throws Exception {
    messages = block(Feed.Kind.VEHICLES);
    rows = block(Feed.Kind.TICKETS);
    StringBuilder text = new StringBuilder();
    for (int i = 0; i < RECORDS; i++) {
      text.append("gate=gate-").append(i % 48).append(" level=INFO ms=").append(i % 900);
      text.append(" card=7F3A90C2 result=ok note=\"month pass\"\n");
    }
    pairs = block(text.toString().getBytes(StandardCharsets.UTF_8));
    json =
        shaper(
            "json",
            Map.of(
                "fields",
                Map.of(
                    "vehicle", "text",
                    "at", "timestamp 'epoch ms'",
                    "type", "text",
                    "lat", "double from $.position.lat",
                    "lon", "double from $.position.lon",
                    "door", "int")));
    csv =
        shaper(
            "csv",
            Map.of(
                "columns",
                List.of("sale", "time", "machine", "product", "price", "paid"),
                "separator",
                ";",
                "fields",
                Map.of(
                    "sale", "long",
                    "time", "timestamp 'dd.MM.yyyy HH:mm:ss' @UTC",
                    "price", "decimal(7,2)")));
    pair =
        shaper(
            "pairs",
            Map.of(
                "fields",
                Map.of(
                    "gate", "text", "level", "text", "ms", "int", "card", "text", "note", "text")));
  }

  private static Block block(Feed.Kind kind) throws java.io.IOException {
    ByteArrayOutputStream out = new ByteArrayOutputStream();
    Feed feed = kind.feed(5, 0);
    for (int i = 0; i < RECORDS; i++) {
      feed.writeNext(out);
    }
    return block(out.toByteArray());
  }

  private static Block block(byte[] data) {
    return new Block(new SourcePartition("x"), 0, data.length, data, data.length, Lines.FRAMING);
  }

  private static Shaper shaper(String kind, Object value) {
    Pipeline pipeline =
        Pipeline.named("p")
            .intake(Settings.of("lines", ""))
            .shape(StepDefinition.of(kind, value))
            .route(Route.otherwiseDrop())
            .build();
    Diagnostics diagnostics = Diagnostics.of("parsers");
    Shaper shaper =
        Shaper.compile(pipeline, Steps.ours(), n -> Optional.empty(), List.of(), diagnostics);
    diagnostics.orThrow();
    return shaper;
  }

  private static String[] lines(Block block) {
    return new String(block.data(), StandardCharsets.UTF_8).split("\r?\n");
  }

  /** JSON by the step. */
  @Benchmark
  @OperationsPerInvocation(RECORDS)
  public Shaped jsonShapes() {
    return json.shape(messages);
  }

  /** JSON by a tree for each record. */
  @Benchmark
  @OperationsPerInvocation(RECORDS)
  public void jsonByTree(Blackhole hole) {
    for (String line : lines(messages)) {
      JsonNode tree = mapper.readTree(line);
      hole.consume(tree.path("vehicle").asString(""));
      hole.consume(tree.path("at").asLong(0));
      hole.consume(tree.path("type").asString(""));
      hole.consume(tree.path("position").path("lat").asDouble(0));
      hole.consume(tree.path("position").path("lon").asDouble(0));
      hole.consume(tree.path("door").asInt(0));
    }
  }

  /** CSV by the step. */
  @Benchmark
  @OperationsPerInvocation(RECORDS)
  public Shaped csvShapes() {
    return csv.shape(rows);
  }

  /** CSV by split, which does not even know quotes. */
  @Benchmark
  @OperationsPerInvocation(RECORDS)
  public void csvBySplit(Blackhole hole) {
    for (String line : lines(rows)) {
      String[] values = line.split(";");
      hole.consume(Long.parseLong(values[0]));
      hole.consume(LocalDateTime.parse(values[1], TIME).toInstant(ZoneOffset.UTC));
      hole.consume(values);
    }
  }

  /** Pairs by the step. */
  @Benchmark
  @OperationsPerInvocation(RECORDS)
  public Shaped pairsShape() {
    return pair.shape(pairs);
  }

  /** Pairs by split into a map, which does not even know quotes. */
  @Benchmark
  @OperationsPerInvocation(RECORDS)
  public void pairsBySplit(Blackhole hole) {
    for (String line : lines(pairs)) {
      Map<String, String> map = new HashMap<>();
      for (String part : line.split(" ")) {
        String[] sides = part.split("=", 2);
        map.put(sides[0], sides.length > 1 ? sides[1] : "");
      }
      hole.consume(Integer.parseInt(map.get("ms")));
      hole.consume(map);
    }
  }
}

package io.wexrun.bench;

import com.google.protobuf.CodedInputStream;
import com.google.protobuf.DescriptorProtos.FileDescriptorProto;
import com.google.protobuf.DescriptorProtos.FileDescriptorSet;
import com.google.protobuf.Descriptors.Descriptor;
import com.google.protobuf.Descriptors.FieldDescriptor;
import com.google.protobuf.Descriptors.FileDescriptor;
import com.google.protobuf.DynamicMessage;
import io.wexrun.cli.demo.Feed;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.framing.Delimited;
import io.wexrun.core.framing.Lines;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.core.pipeline.Route;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.pipeline.StepDefinition;
import io.wexrun.core.reference.ReferenceTable;
import io.wexrun.core.reference.References;
import io.wexrun.core.shape.Shaped;
import io.wexrun.core.shape.Shaper;
import io.wexrun.core.shape.Steps;
import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.io.InputStream;
import java.nio.charset.StandardCharsets;
import java.time.LocalDateTime;
import java.time.OffsetDateTime;
import java.time.ZoneOffset;
import java.time.format.DateTimeFormatter;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.TimeUnit;
import java.util.function.Supplier;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
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
  private static final String LINE =
      "^(?<time>\\S+) (?<gate>[^/]+)/(?<stop>\\S+) (?<level>[A-Z]+) (?<event>\\w+) card=(?<card>\\w+)"
          + " result=(?<result>\\w+) ms=(?<ms>\\d+) \"(?<note>[^\"]*)\"$";

  private final Pattern line = Pattern.compile(LINE);
  private Block gates;
  private Block readings;
  private Shaper regex;
  private Shaper protobuf;
  private Descriptor reading;

  /** Makes the records and the shapers. */
  @Setup
  public void prepare() throws Exception {
    messages = block(Feed.Kind.VEHICLES);
    rows = block(Feed.Kind.TICKETS);
    gates = block(Feed.Kind.GATES);
    byte[] binary = block(Feed.Kind.SUBSTATIONS).data();
    readings =
        new Block(
            new SourcePartition("x"), 0, binary.length, binary, binary.length, Delimited.VARINT);
    byte[] descriptors;
    try (InputStream in = Parsers.class.getResourceAsStream("/demo/schemas/substations.desc")) {
      descriptors = in.readAllBytes();
    }
    regex =
        shaper(
            "regex", Map.of("pattern", LINE, "fields", Map.of("time", "timestamp", "ms", "int")));
    protobuf =
        shaper(
            "protobuf",
            Map.of("descriptors", "x", "message", "ostrel.power.Reading"),
            Steps.ours().with(new Schemas(descriptors)));
    reading = descriptor(descriptors);
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
                List.of("sale", "time", "machine", "product", "price", "paid", "address"),
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

  private static Descriptor descriptor(byte[] set) throws Exception {
    List<FileDescriptor> known = new ArrayList<>();
    for (FileDescriptorProto file : FileDescriptorSet.parseFrom(set).getFileList()) {
      known.add(FileDescriptor.buildFrom(file, known.toArray(FileDescriptor[]::new)));
    }
    return known.get(known.size() - 1).findMessageTypeByName("Reading");
  }

  /** One schema, whatever its name. */
  private record Schemas(byte[] schema) implements References {
    @Override
    public Supplier<ReferenceTable> file(String name) {
      throw new IllegalStateException("no step looks up");
    }

    @Override
    public Supplier<ReferenceTable> table(String name) {
      throw new IllegalStateException("no step looks up");
    }

    @Override
    public byte[] bytes(String name) {
      return schema;
    }
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
    return shaper(kind, value, Steps.ours());
  }

  private static Shaper shaper(String kind, Object value, Steps steps) {
    Pipeline pipeline =
        Pipeline.named("p")
            .intake(Settings.of("lines", ""))
            .shape(StepDefinition.of(kind, value))
            .route(Route.otherwiseDrop())
            .build();
    Diagnostics diagnostics = Diagnostics.of("parsers");
    Shaper shaper = Shaper.compile(pipeline, steps, n -> Optional.empty(), List.of(), diagnostics);
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

  /** Lines by the step for regular expressions. */
  @Benchmark
  @OperationsPerInvocation(RECORDS)
  public Shaped regexShapes() {
    return regex.shape(gates);
  }

  /** Lines by the platform's regular expressions. */
  @Benchmark
  @OperationsPerInvocation(RECORDS)
  public void regexByPlatform(Blackhole hole) {
    for (String text : lines(gates)) {
      Matcher matcher = line.matcher(text);
      if (matcher.find()) {
        hole.consume(OffsetDateTime.parse(matcher.group("time")).toInstant());
        hole.consume(Integer.parseInt(matcher.group("ms")));
        for (String group : new String[] {"gate", "stop", "level", "event", "card", "note"}) {
          hole.consume(matcher.group(group));
        }
      }
    }
  }

  /** Messages with nested ones by the step. */
  @Benchmark
  @OperationsPerInvocation(RECORDS)
  public Shaped protobufShapes() {
    return protobuf.shape(readings);
  }

  /** Messages by the official library, with the same descriptors. */
  @Benchmark
  @OperationsPerInvocation(RECORDS)
  public void protobufByLibrary(Blackhole hole) throws IOException {
    CodedInputStream in = CodedInputStream.newInstance(readings.data());
    while (!in.isAtEnd()) {
      DynamicMessage message = DynamicMessage.parseFrom(reading, in.readByteArray());
      for (FieldDescriptor field : reading.getFields()) {
        hole.consume(message.getField(field));
      }
    }
  }

  /** How long the records are: tells records a second from megabytes. */
  public static void main(String[] args) throws Exception {
    Parsers parsers = new Parsers();
    parsers.prepare();
    for (Block block :
        List.of(parsers.messages, parsers.rows, parsers.pairs, parsers.gates, parsers.readings)) {
      System.out.println(block.length() / (double) RECORDS + " bytes a record");
    }
  }
}

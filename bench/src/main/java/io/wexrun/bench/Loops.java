package io.wexrun.bench;

import dev.cel.common.types.SimpleType;
import dev.cel.compiler.CelCompiler;
import dev.cel.compiler.CelCompilerFactory;
import dev.cel.runtime.CelRuntime;
import dev.cel.runtime.CelRuntimeFactory;
import io.wexrun.cli.demo.GateLines;
import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.LongVector;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.expression.Evaluated;
import io.wexrun.core.expression.Expression;
import io.wexrun.core.expression.Expressions;
import io.wexrun.core.framing.Lines;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Records;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.core.pipeline.Route;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.pipeline.StepDefinition;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type.Scalar;
import io.wexrun.core.shape.Shaped;
import io.wexrun.core.shape.Shaper;
import io.wexrun.core.shape.Steps;
import io.wexrun.core.target.Destination;
import java.io.ByteArrayOutputStream;
import java.nio.charset.StandardCharsets;
import java.time.OffsetDateTime;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.TimeUnit;
import java.util.regex.Matcher;
import org.openjdk.jmh.annotations.Benchmark;
import org.openjdk.jmh.annotations.BenchmarkMode;
import org.openjdk.jmh.annotations.Mode;
import org.openjdk.jmh.annotations.OperationsPerInvocation;
import org.openjdk.jmh.annotations.OutputTimeUnit;
import org.openjdk.jmh.annotations.Scope;
import org.openjdk.jmh.annotations.Setup;
import org.openjdk.jmh.annotations.State;
import org.openjdk.jmh.infra.Blackhole;

/** The hot loops, each on the same 8,000 gate lines; nanoseconds for each line. */
@State(Scope.Thread)
@BenchmarkMode(Mode.AverageTime)
@OutputTimeUnit(TimeUnit.NANOSECONDS)
public class Loops {
  /** What a gate line looks like. */
  static final String TEMPLATE =
      "{time:timestamp} {gate}/{stop} {level} {event} card={card} result={result} ms={ms:int}"
          + " \"{note}\"";

  private static final int LINES = 8000;
  private static final String CONDITION = "level == \"ERROR\" || (ms > 500 && result != \"ok\")";

  private Block block;
  private Block cut;
  private String[] strings;
  private Shaper shaper;
  private Shaper scanner;
  private Batch batch;
  private Expression condition;
  private CelRuntime.Program program;
  private List<Map<String, Object>> rows;

  /** Makes the lines and everything that is compiled once. */
  @Setup
  public void prepare() throws Exception {
    ByteArrayOutputStream out = new ByteArrayOutputStream();
    GateLines lines = new GateLines(5, 0);
    for (int i = 0; i < LINES; i++) {
      lines.writeNext(out);
    }
    byte[] data = out.toByteArray();
    block = new Block(new SourcePartition("x"), 0, data.length, data, data.length, Lines.FRAMING);
    Records records = block.records();
    cut = new Block(block.source(), 0, data.length, data, data.length, same -> records);
    strings = new String(data, StandardCharsets.UTF_8).split("\n");
    shaper = shaper(TEMPLATE, Route.to("gates"));
    scanner = shaper("{} {}/{} {} {} card={card} result={} ms={} \"{}\"", Route.otherwiseDrop());
    prepareExpression();
  }

  /** A table with a column for each field of a gate line. */
  static Table gates() {
    Table.Builder table = Table.in("w", "gates").required("time", Scalar.TIMESTAMP);
    for (String name : List.of("gate", "stop", "level", "event", "card", "result", "note")) {
      table.column(name, Scalar.TEXT);
    }
    return table.column("ms", Scalar.INT).build();
  }

  static Shaper shaper(String template, Route route) {
    Table gates = gates();
    Pipeline pipeline =
        Pipeline.named("p")
            .intake(Settings.of("lines", ""))
            .shape(StepDefinition.template(template))
            .route(route)
            .build();
    return Shaper.compile(
        pipeline,
        Steps.ours(),
        name -> Optional.of(new Destination.Rows(gates)),
        List.of(),
        Diagnostics.of("loops"));
  }

  private void prepareExpression() throws Exception {
    Shaped shaped = shaper.shape(block);
    Batch all = shaped.rows().get("gates").batch();
    Schema schema =
        Schema.of(
            Column.of("level", Scalar.TEXT),
            Column.of("ms", Scalar.INT),
            Column.of("result", Scalar.TEXT));
    var columns =
        schema.names().stream().map(n -> all.column(all.schema().find(n).orElseThrow())).toList();
    batch = all.with(schema, columns);
    condition =
        new Expressions(schema)
            .condition(CONDITION, KeyPath.ROOT, Diagnostics.of("loops"))
            .orElseThrow();
    CelCompiler compiler =
        CelCompilerFactory.standardCelCompilerBuilder()
            .addVar("level", SimpleType.STRING)
            .addVar("ms", SimpleType.INT)
            .addVar("result", SimpleType.STRING)
            .build();
    program =
        CelRuntimeFactory.standardCelRuntimeBuilder()
            .build()
            .createProgram(compiler.compile(CONDITION).getAst());
    rows = new ArrayList<>();
    for (int row = 0; row < batch.rows(); row++) {
      Map<String, Object> variables = new HashMap<>();
      variables.put("level", ((TextVector) batch.column(0)).text(row));
      variables.put("ms", ((LongVector) batch.column(1)).get(row));
      variables.put("result", ((TextVector) batch.column(2)).text(row));
      rows.add(variables);
    }
  }

  /** Lines cut out of a block. */
  @Benchmark
  @OperationsPerInvocation(LINES)
  public Records linesAreCut() {
    return block.records();
  }

  /** The whole way from a block's bytes to typed columns. */
  @Benchmark
  @OperationsPerInvocation(LINES)
  public Shaped templateShapes() {
    return shaper.shape(block);
  }

  /** The scan alone: of lines that are cut, every field found, one kept, every record dropped. */
  @Benchmark
  @OperationsPerInvocation(LINES)
  public Shaped templateScans() {
    return scanner.shape(cut);
  }

  /** What templateShapes does, by java.util.regex: from bytes to strings, an instant and an int. */
  @Benchmark
  @OperationsPerInvocation(LINES)
  public void regexShapes(Blackhole hole) {
    String all = new String(block.data(), StandardCharsets.UTF_8);
    for (String line : all.split("\n")) {
      Matcher matcher = PlainJava.LINE.matcher(line);
      if (matcher.matches()) {
        hole.consume(OffsetDateTime.parse(matcher.group(1)).toInstant());
        for (int group = 2; group <= matcher.groupCount(); group++) {
          hole.consume(matcher.group(group));
        }
        hole.consume(Integer.parseInt(matcher.group(8)));
      }
    }
  }

  /** The same lines, as ready strings, only matched and taken apart by java.util.regex. */
  @Benchmark
  @OperationsPerInvocation(LINES)
  public void regexMatches(Blackhole hole) {
    for (String line : strings) {
      Matcher matcher = PlainJava.LINE.matcher(line);
      if (matcher.matches()) {
        for (int group = 1; group <= matcher.groupCount(); group++) {
          hole.consume(matcher.group(group));
        }
      }
    }
  }

  /** A condition over the columns of a batch. */
  @Benchmark
  @OperationsPerInvocation(LINES)
  public Evaluated expressionOverColumns() {
    return condition.evaluate(batch);
  }

  /** The same condition by the library's runtime, on rows that are ready for it. */
  @Benchmark
  @OperationsPerInvocation(LINES)
  public void expressionByLibrary(Blackhole hole) throws Exception {
    for (Map<String, Object> row : rows) {
      hole.consume(program.eval(row));
    }
  }
}

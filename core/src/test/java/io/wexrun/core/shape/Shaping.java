package io.wexrun.core.shape;

import io.wexrun.core.batch.DoubleVector;
import io.wexrun.core.batch.LongVector;
import io.wexrun.core.batch.Rows;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.diagnose.Diagnostic;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.field.ValueText;
import io.wexrun.core.framing.Lines;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.Kind;
import io.wexrun.core.pipeline.Others;
import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.core.pipeline.Route;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.pipeline.StepDefinition;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.reference.References;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type;
import io.wexrun.core.target.Destination;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/** Compiles pipelines over tables and queues made up for a test, and shapes lines by them. */
final class Shaping {
  private final Map<String, Destination> destinations = new LinkedHashMap<>();
  private Steps steps = Steps.ours();
  private boolean routed;
  private final Pipeline.Builder pipeline =
      Pipeline.named("test")
          .intake(Settings.of("lines", "").with("longest", "1KB").with("blank", "take"));

  /** Steps whose fields all go to a table {@code all} with a column for each. */
  static Shaping over(StepDefinition... steps) {
    return over(Steps.ours().references(), steps);
  }

  static Shaping over(References references, StepDefinition... steps) {
    Diagnostics diagnostics = Diagnostics.of("test");
    Shaping probe = new Shaping().references(references).shape(steps).route(Route.otherwiseDrop());
    Schema fields = Schema.EMPTY;
    for (Schema schema : probe.compile(diagnostics).schemas().values()) {
      fields = schema;
    }
    diagnostics.orThrow();
    Table.Builder table = Table.in("store", "all");
    for (Column column : fields.columns()) {
      table.column(column.name(), column.type());
    }
    return new Shaping().references(references).table(table).shape(steps).route(Route.to("all"));
  }

  Shaping references(References found) {
    steps = steps.with(found);
    return this;
  }

  Shaping intake(Settings settings) {
    pipeline.intake(settings);
    return this;
  }

  Shaping pattern(String name, String regex) {
    pipeline.pattern(name, regex);
    return this;
  }

  Shaping table(Table.Builder table) {
    Table built = table.build();
    destinations.put(built.name(), new Destination.Rows(built));
    return this;
  }

  Shaping queue(String name) {
    destinations.put(name, new Destination.Raw());
    return this;
  }

  Shaping shape(StepDefinition... steps) {
    pipeline.shape(steps);
    return this;
  }

  Shaping route(Route... routes) {
    routed = true;
    pipeline.route(routes);
    return this;
  }

  Shaping kinds(Others others, Kind... kinds) {
    routed = true;
    pipeline.kinds(kinds).others(others);
    return this;
  }

  private Shaper compile(Diagnostics diagnostics) {
    if (!routed) {
      route(Route.otherwiseDrop());
    }
    return Shaper.compile(
        pipeline.build(),
        steps,
        name -> Optional.ofNullable(destinations.get(name)),
        List.copyOf(destinations.keySet()),
        diagnostics);
  }

  /** What is wrong, as {@code code path: message}. */
  List<String> mistakes() {
    Diagnostics diagnostics = Diagnostics.of("test");
    compile(diagnostics);
    return diagnostics.all().stream()
        .map(d -> d.code() + " " + d.path() + ": " + d.message())
        .toList();
  }

  List<Diagnostic> diagnostics() {
    Diagnostics diagnostics = Diagnostics.of("test");
    compile(diagnostics);
    return diagnostics.all();
  }

  Shaper shaper() {
    Diagnostics diagnostics = Diagnostics.of("test");
    Shaper shaper = compile(diagnostics);
    diagnostics.orThrow();
    return shaper;
  }

  Shaped lines(byte[] data) {
    return lines(shaper(), data);
  }

  static Shaped lines(Shaper shaper, String... lines) {
    return lines(shaper, (String.join("\n", lines) + "\n").getBytes(StandardCharsets.UTF_8));
  }

  private static Shaped lines(Shaper shaper, byte[] data) {
    return shaper.shape(
        new Block(
            new SourcePartition("test.log"), 0, data.length, data, data.length, Lines.FRAMING));
  }

  Shaped lines(String... lines) {
    return lines((String.join("\n", lines) + "\n").getBytes(StandardCharsets.UTF_8));
  }

  /** The rows of a target, each as {@code {column=value, ...}} without absent values. */
  static List<String> rows(Shaped shaped, String target) {
    Rows rows = shaped.rows().get(target);
    return rows == null ? List.of() : rows(rows);
  }

  /** The dead letters, each as {@code reason step field detail}. */
  static List<String> dead(Shaped shaped) {
    List<String> dead = new ArrayList<>();
    for (Map<String, Object> letter : maps(shaped.dead())) {
      String text =
          letter.get("reason")
              + " "
              + letter.get("step")
              + " "
              + letter.get("field")
              + " "
              + letter.get("detail");
      dead.add(text.replaceAll(" +", " "));
    }
    return dead;
  }

  private static List<String> rows(Rows rows) {
    return maps(rows).stream().map(Object::toString).toList();
  }

  static List<Map<String, Object>> maps(Rows rows) {
    List<Map<String, Object>> maps = new ArrayList<>();
    for (int i = 0; i < rows.count(); i++) {
      Map<String, Object> map = new LinkedHashMap<>();
      for (int c = 0; c < rows.batch().schema().size(); c++) {
        Vector vector = rows.batch().column(c);
        if (!vector.absent(rows.row(i))) {
          map.put(
              rows.batch().schema().column(c).name(),
              value(rows.batch().schema().column(c).type(), vector, rows.row(i)));
        }
      }
      maps.add(map);
    }
    return maps;
  }

  private static Object value(Type type, Vector vector, int row) {
    if (type.nested()) {
      return ValueText.text(type, vector, row);
    }
    if (vector instanceof LongVector numbers) {
      return numbers.get(row);
    }
    return vector instanceof DoubleVector numbers
        ? (Object) numbers.get(row)
        : ((TextVector) vector).text(row);
  }
}

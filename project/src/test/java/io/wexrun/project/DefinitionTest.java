package io.wexrun.project;

import static io.wexrun.core.pipeline.Route.when;
import static io.wexrun.core.pipeline.StepDefinition.require;
import static io.wexrun.core.pipeline.StepDefinition.set;
import static io.wexrun.core.pipeline.StepDefinition.template;
import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.pipeline.FlushPolicy;
import io.wexrun.core.pipeline.Kind;
import io.wexrun.core.pipeline.Others;
import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.core.pipeline.Route;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.pipeline.StepDefinition;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.schema.Type;
import io.wexrun.project.read.DefinitionText;
import io.wexrun.queue.ends.DiskChannelConnector;
import java.nio.file.Path;
import java.time.Duration;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import net.jqwik.api.Arbitraries;
import net.jqwik.api.Arbitrary;
import net.jqwik.api.Combinators;
import net.jqwik.api.ForAll;
import net.jqwik.api.Property;
import net.jqwik.api.Provide;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/** The file and the builder make the same definition. */
class DefinitionTest {
  static final Pipeline INTAKE =
      Pipeline.named("gate-intake")
          .about("Files into the queue")
          .intake(Settings.of("files", "in/*.log").with("longest", "1KB"))
          .route(Route.to("gate-events").key("card=(\\S+)"))
          .build();
  static final Pipeline LOAD =
      Pipeline.named("gate-load")
          .intake(Settings.of("queue", "gate-events").with("start", "oldest"))
          .shape(
              template("{event} card={card} ms={ms:int?} \"{note}\""),
              require("card"),
              set("ms", "ms + 1").and("note", "note.trim()"))
          .route(
              when("event == \"scan\"").to("scans"),
              when("event == \"fault\" || ms > 900").to("faults", "scans"),
              Route.otherwiseDrop())
          .flush(new FlushPolicy(1000, 1 << 20, Duration.ofSeconds(10)))
          .build();

  static Workspace inJava(Path folder) {
    return Workspace.in(folder)
        .store("warehouse", Settings.of("duckdb", "warehouse.db"))
        .queue("gate-events", 4)
        .table(
            Table.in("warehouse", "scans")
                .required("card", Type.Scalar.TEXT)
                .column("ms", Type.Scalar.INT, "0")
                .build())
        .table(
            Table.in("warehouse", "faults")
                .column("card", Type.Scalar.TEXT)
                .column("note", Type.Scalar.TEXT)
                .build())
        .pipeline(INTAKE)
        .pipeline(LOAD)
        .open();
  }

  @Test
  void theFileAndTheBuilderMakeTheSameDefinition(@TempDir Path path) {
    Folder.of(path);
    try (Workspace file = Workspace.open(path);
        Workspace java = inJava(path)) {
      assertThat(java.definition().pipelines()).isEqualTo(file.definition().pipelines());
      assertThat(java.definition().stores()).isEqualTo(file.definition().stores());
      assertThat(java.definition().targets()).isEqualTo(file.definition().targets());
      assertThat(java.definition().tables()).isEqualTo(file.definition().tables());
      assertThat(java.check()).isEmpty();
    }
  }

  @Property(tries = 500)
  void whatIsWrittenDownIsReadBack(@ForAll("pipelines") Pipeline pipeline) {
    Diagnostics diagnostics = Diagnostics.of("test");
    String text = DefinitionText.of(pipeline);
    assertThat(DefinitionText.read("p", text, diagnostics)).as(text).contains(pipeline);
    assertThat(diagnostics.all()).isEmpty();
  }

  @Provide
  Arbitrary<Pipeline> pipelines() {
    Arbitrary<String> text =
        Arbitraries.of(
            "a",
            "{x} \"{y}\"",
            "ms > 5 || s == \"é: #\"",
            "'",
            "- a",
            "true",
            "12",
            " lead",
            "a\nb",
            "null",
            "{}",
            "card=(\\S+)",
            "yes",
            "~",
            "0x1F",
            "1e3",
            "");
    Arbitrary<StepDefinition> step =
        Arbitraries.oneOf(
            text.map(t -> StepDefinition.template(t)),
            text.list().ofMinSize(1).ofMaxSize(3).map(names -> StepDefinition.of("require", names)),
            Arbitraries.maps(Arbitraries.of("f", "g", "on"), text)
                .ofMinSize(1)
                .map(fields -> StepDefinition.of("set", fields)));
    Arbitrary<Route> route =
        Combinators.combine(
                text.optional(),
                Arbitraries.of("t", "q", "dead").list().ofMinSize(1).ofMaxSize(2),
                text.optional())
            .as(Route::new);
    Arbitrary<FlushPolicy> flush =
        Combinators.combine(
                Arbitraries.longs().between(1, 1L << 40),
                Arbitraries.longs().between(1, 1L << 40),
                Arbitraries.longs().between(1, 1L << 30))
            .as((rows, bytes, millis) -> new FlushPolicy(rows, bytes, Duration.ofMillis(millis)));
    Arbitrary<Settings> intake =
        text.map(t -> new Settings("files", Map.of("files", t, "deep", List.of(1L, true, 2.5, t))));
    return Combinators.combine(
            text, intake, step.list().ofMaxSize(3), route.list().ofMaxSize(3), flush)
        .as((about, in, steps, routes, policy) -> pipeline(about, in, steps, routes, policy));
  }

  /** Every second one, by its steps, has kinds instead of a route. */
  private static Pipeline pipeline(
      String about,
      Settings in,
      List<StepDefinition> steps,
      List<Route> routes,
      FlushPolicy policy) {
    Kind plain = Kind.named("k1").where("type", about, "x").to("t");
    Kind kind = new Kind("k2", List.of("f"), Map.of(), Optional.of(about), steps, routes);
    boolean kinds = steps.size() % 2 == 1 && !routes.isEmpty();
    return new Pipeline(
        "p",
        about,
        Map.of("n", about),
        in,
        steps,
        kinds ? List.of() : routes,
        kinds ? List.of(plain, kind) : List.of(),
        kinds ? Others.STOP : Others.DEAD,
        steps.size() % 3 == 1 ? routes : List.of(),
        policy,
        kinds ? DiskChannelConnector.onDisk(policy.bytes() << 20) : Pipeline.IN_MEMORY,
        io.wexrun.core.pipeline.Start.WITH_THE_RUN,
        io.wexrun.core.pipeline.Deaths.ANY,
        List.of());
  }
}

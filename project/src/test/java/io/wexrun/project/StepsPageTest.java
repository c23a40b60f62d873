package io.wexrun.project;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.framing.Lines;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.core.schema.Instants;
import io.wexrun.core.shape.RecordTrial;
import io.wexrun.core.shape.Shaper;
import io.wexrun.core.shape.Steps;
import io.wexrun.project.definition.WorkspaceDefinition;
import io.wexrun.project.open.Connectors;
import io.wexrun.project.open.WorkspaceReferences;
import io.wexrun.project.read.DefinitionText;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.DynamicTest;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.TestFactory;
import org.junit.jupiter.api.io.TempDir;

/** The page about steps is true: each of its examples gives what it says. */
class StepsPageTest {
  private static final Pattern EXAMPLE =
      Pattern.compile(
          "```yaml\n(.*?)```\n```text records\n(.*?)```\n```text rows\n(.*?)```", Pattern.DOTALL);

  private static final Pattern FILE =
      Pattern.compile("```\\w+ (\\S+/\\S+)\n(.*?)```", Pattern.DOTALL);

  @TempDir static Path folder;

  /** The files that the page shows, and the demo's schema. */
  @BeforeAll
  static void writeFiles() throws IOException {
    Matcher file = FILE.matcher(page());
    while (file.find()) {
      Path path = folder.resolve(file.group(1));
      Files.createDirectories(path.getParent());
      Files.writeString(path, file.group(2));
    }
    Files.copy(
        Path.of("../cli/src/main/resources/demo/schemas/substations.desc"),
        folder.resolve("schemas/substations.desc"));
  }

  private static Steps steps() {
    WorkspaceDefinition nothing =
        new WorkspaceDefinition(
            "x", Map.of(), Optional.empty(), Map.of(), Map.of(), Map.of(), List.of());
    Connectors connectors = new Connectors(folder);
    return connectors
        .steps()
        .with(
            new WorkspaceReferences(folder, folder, nothing, connectors.references(), null).now());
  }

  private static String page() throws IOException {
    return Files.readString(Path.of("../docs/steps.md"));
  }

  @TestFactory
  Stream<DynamicTest> everyExampleGivesWhatItSays() throws IOException {
    Matcher example = EXAMPLE.matcher(page());
    List<DynamicTest> tests = new ArrayList<>();
    while (example.find()) {
      String steps = example.group(1);
      String records = example.group(2);
      String rows = example.group(3);
      tests.add(
          DynamicTest.dynamicTest(
              steps.lines().findFirst().orElse(""),
              () -> assertThat(run(steps, records)).isEqualTo(rows)));
    }
    assertThat(tests).hasSizeGreaterThan(12);
    return tests.stream();
  }

  @Test
  void everyStepHasItsPlaceOnThePage() throws IOException {
    String headings =
        page().lines().filter(l -> l.startsWith("## ")).collect(Collectors.joining(", "));
    assertThat(Steps.ours().names()).allSatisfy(name -> assertThat(headings).contains(name));
  }

  private static String run(String steps, String records) {
    Diagnostics diagnostics = Diagnostics.of("example");
    boolean header = steps.contains("columns: header");
    String text =
        "pipeline: x\nintake: {files: x, header: "
            + header
            + "}\nshape:\n"
            + steps
            + "route:\n  - otherwise: drop\n";
    Pipeline pipeline = DefinitionText.read("x", text, diagnostics).orElseThrow();
    Shaper shaper =
        Shaper.compile(pipeline, steps(), n -> Optional.empty(), List.of(), diagnostics);
    diagnostics.orThrow();
    int start = header ? records.indexOf('\n') + 1 : 0;
    byte[] data = records.substring(start).getBytes(StandardCharsets.UTF_8);
    byte[] first = records.substring(0, Math.max(0, start - 1)).getBytes(StandardCharsets.UTF_8);
    Block block =
        new Block(
            new SourcePartition("x"),
            0,
            data.length,
            data,
            data.length,
            Lines.FRAMING,
            first,
            Instants.micros(Instant.parse("2026-05-04T00:00:00Z")));
    StringBuilder out = new StringBuilder();
    shaper.tryOut(block).trials().forEach(trial -> out.append(told(trial)));
    return out.toString();
  }

  private static String told(RecordTrial trial) {
    if (trial.death().isPresent()) {
      RecordTrial.Death death = trial.death().get();
      String field = death.field().isEmpty() ? "" : ", field " + death.field();
      return "dies: " + death.reason() + field + ": " + death.detail() + "\n";
    }
    return trial.stages().get(trial.stages().size() - 1).rows().stream()
        .map(
            row ->
                row.entrySet().stream()
                        .map(e -> e.getKey() + "=" + e.getValue())
                        .collect(Collectors.joining(", "))
                    + "\n")
        .collect(Collectors.joining());
  }
}

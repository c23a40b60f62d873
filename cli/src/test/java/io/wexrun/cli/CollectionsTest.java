package io.wexrun.cli;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.framing.QuotedLines;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Framing;
import io.wexrun.core.intake.Records;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.core.pipeline.Route;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.pipeline.StepDefinition;
import io.wexrun.core.shape.RecordTrial;
import io.wexrun.core.shape.Shaper;
import io.wexrun.core.shape.Steps;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.regex.Pattern;
import java.util.stream.IntStream;
import java.util.stream.Stream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import tools.jackson.databind.JsonNode;
import tools.jackson.databind.json.JsonMapper;

/** The parsers on collections of test data that others wrote. */
class CollectionsTest {
  private static final Path FOLDER = Path.of("src/test/resources/collections");
  private static final JsonMapper MAPPER = JsonMapper.builder().build();
  private static final Framing ONE =
      block ->
          Records.atBytes(
              block.data(), new int[] {0}, new int[] {block.length()}, 1, block.first(), null);

  /** The one path, with names and indexes alone, that picks at most one value. */
  private static final Pattern SINGULAR =
      Pattern.compile(
          "\\$(\\.[\\p{L}_][\\p{L}\\p{N}_]*|\\['[^'\\\\]*']|\\[\"[^\"\\\\]*\"]|\\[\\d+])*");

  private static Optional<Shaper> shaper(StepDefinition step) {
    Pipeline pipeline =
        Pipeline.named("p")
            .intake(Settings.of("lines", "").with("longest", "1MB"))
            .shape(step)
            .route(Route.otherwiseDrop())
            .build();
    Diagnostics diagnostics = Diagnostics.of("collection");
    Shaper shaper =
        Shaper.compile(pipeline, Steps.ours(), n -> Optional.empty(), List.of(), diagnostics);
    return diagnostics.errors() == 0 ? Optional.of(shaper) : Optional.empty();
  }

  private static StepDefinition json(String path) {
    return StepDefinition.of("json", Map.of("fields", Map.of("v", "json from " + path)));
  }

  private static List<RecordTrial> run(Shaper shaper, byte[] data, Framing framing) {
    return shaper
        .tryOut(new Block(new SourcePartition("x"), 0, data.length, data, data.length, framing))
        .trials();
  }

  private static RecordTrial run(Shaper shaper, String text) {
    return run(shaper, text.getBytes(StandardCharsets.UTF_8), ONE).get(0);
  }

  @Test
  void jsonTextsAreTakenAndRefusedAsTheyMustBe() throws IOException {
    Shaper shaper = shaper(json("$")).orElseThrow();
    List<String> wrong = new ArrayList<>();
    int told = 0;
    for (JsonNode test : MAPPER.readTree(FOLDER.resolve("json-parsing.json").toFile())) {
      String name = test.get("name").asString();
      RecordTrial trial = run(shaper, test.get("input").asString());
      boolean taken = trial.death().isEmpty();
      told += name.startsWith("i_") ? 0 : 1;
      if (name.startsWith("y_") && !taken || name.startsWith("n_") && taken) {
        wrong.add(name + " " + trial.death());
      }
    }
    assertThat(wrong).isEmpty();
    assertThat(told).isEqualTo(283);
  }

  @ParameterizedTest
  @ValueSource(
      strings = {
        "comma_in_quotes",
        "empty",
        "empty_crlf",
        "escaped_quotes",
        "json",
        "newlines",
        "newlines_crlf",
        "quotes_and_newlines",
        "simple",
        "simple_crlf",
        "utf8"
      })
  void csvFilesGiveTheirValues(String name) throws IOException {
    List<List<String>> expected = new ArrayList<>();
    for (JsonNode row : MAPPER.readTree(FOLDER.resolve("csv/" + name + ".json").toFile())) {
      expected.add(row.values().stream().map(JsonNode::asString).toList());
    }
    int width = expected.get(0).size();
    List<String> columns = IntStream.range(0, width).mapToObj(i -> "c" + i).toList();
    Shaper shaper =
        shaper(StepDefinition.of("csv", Map.of("columns", columns, "missing", "absent")))
            .orElseThrow();
    byte[] data = Files.readAllBytes(FOLDER.resolve("csv/" + name + ".csv"));
    List<List<String>> rows = new ArrayList<>();
    for (RecordTrial trial : run(shaper, data, QuotedLines.FRAMING)) {
      assertThat(trial.death()).isEmpty();
      Map<String, String> row = trial.stages().get(0).rows().get(0);
      rows.add(columns.stream().map(c -> row.getOrDefault(c, "")).toList());
    }
    assertThat(rows.subList(1, rows.size())).isEqualTo(expected);
  }

  @Test
  void singularPathsPickWhatTheyShouldAndWrongOnesAreToldBeforeTheRun() throws IOException {
    List<String> wrong = new ArrayList<>();
    int picked = 0;
    int refused = 0;
    for (JsonNode test : MAPPER.readTree(FOLDER.resolve("jsonpath.json").toFile())) {
      String selector = test.get("selector").asString();
      boolean singular = SINGULAR.matcher(selector).matches();
      if (test.path("invalid_selector").asBoolean(false)) {
        // Blanks around a path belong to the spec in which it is written.
        if (selector.strip().equals(selector)
            && selector.startsWith("$")
            && shaper(json(selector)).isPresent()) {
          wrong.add("taken, but invalid: " + selector);
        }
        refused++;
      } else if (singular) {
        picked++;
        Shaper shaper =
            shaper(json(selector)).orElseThrow(() -> new AssertionError("refused: " + selector));
        RecordTrial trial = run(shaper, test.get("document").toString());
        String value =
            trial.stages().isEmpty() ? null : trial.stages().get(0).rows().get(0).get("v");
        JsonNode is = value == null ? null : MAPPER.readTree(value);
        JsonNode expected = test.get("result").isEmpty() ? null : test.get("result").get(0);
        boolean same = expected == null || expected.isNull() ? is == null : expected.equals(is);
        if (!same) {
          wrong.add(selector + " gives " + is + ", not " + expected + " " + trial.death());
        }
      }
    }
    assertThat(wrong).isEmpty();
    assertThat(picked).isGreaterThan(20);
    assertThat(refused).isGreaterThan(200);
  }

  @Test
  void theCollectionsNameTheirLicenses() throws IOException {
    try (Stream<Path> files = Files.list(FOLDER)) {
      assertThat(files.map(p -> p.getFileName().toString()))
          .contains("json-parsing.license", "jsonpath.license", "README.md");
    }
  }
}

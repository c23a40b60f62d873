package io.wexrun.cli;

import static org.assertj.core.api.Assertions.assertThat;

import com.networknt.schema.Error;
import com.networknt.schema.InputFormat;
import com.networknt.schema.Schema;
import com.networknt.schema.SchemaRegistry;
import com.networknt.schema.SpecificationVersion;
import io.wexrun.core.diagnose.Diagnostic;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.pipeline.StepDefinition;
import io.wexrun.core.schema.Doubtful;
import io.wexrun.core.shape.Steps;
import io.wexrun.core.step.StepContext;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.TreeSet;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import java.util.stream.Stream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import org.snakeyaml.engine.v2.api.Load;
import org.snakeyaml.engine.v2.api.LoadSettings;
import tools.jackson.databind.json.JsonMapper;

/** The JSON Schemas of the files, as a validator that others wrote reads them. */
class SchemaTest {
  private static final Path DEMO = Path.of("src/main/resources/demo");

  @TempDir static Path folder;
  private static final Map<String, String> WRITTEN = new HashMap<>();

  private static String written(String what) {
    return WRITTEN.computeIfAbsent(
        what,
        w -> {
          Wexrun.Result result = Wexrun.in(folder).run("schema", w);
          assertThat(result.exit()).isZero();
          return result.out();
        });
  }

  private static List<Error> errors(String schema, String yaml) {
    Schema compiled =
        SchemaRegistry.withDefaultDialect(SpecificationVersion.DRAFT_2020_12).getSchema(schema);
    List<Error> errors = new ArrayList<>();
    for (Object document : new Load(LoadSettings.builder().build()).loadAllFromString(yaml)) {
      String json = JsonMapper.shared().writeValueAsString(document);
      errors.addAll(compiled.validate(json, InputFormat.JSON));
    }
    return errors;
  }

  @Test
  void allShippedPipelinesFollowTheSchema() throws IOException {
    String schema = written("pipeline");
    List<Path> files;
    try (Stream<Path> shipped = Files.walk(DEMO.resolve("pipelines"))) {
      files = shipped.filter(f -> f.toString().endsWith(".yaml")).toList();
    }
    assertThat(files).hasSizeGreaterThan(4);
    for (Path file : files) {
      assertThat(errors(schema, Files.readString(file))).as("%s", file).isEmpty();
    }
    assertThat(errors(written("workspace"), Files.readString(DEMO.resolve("wexrun.yaml"))))
        .isEmpty();
  }

  @Test
  void theStepsInTheDocsFollowTheSchema() throws IOException {
    String schema = written("pipeline");
    Matcher example =
        Pattern.compile("```yaml\n(- .*?)```\n```text records", Pattern.DOTALL)
            .matcher(Files.readString(Path.of("../docs/steps.md")));
    int examples = 0;
    while (example.find()) {
      String yaml = "pipeline: x\nintake: {files: x}\nshape:\n" + example.group(1);
      assertThat(errors(schema, yaml)).as(yaml).isEmpty();
      examples++;
    }
    assertThat(examples).isGreaterThan(15);
  }

  @Test
  void theSchemasInTheDocsAreThoseOfTheCommand() throws IOException {
    for (String what : List.of("pipeline", "workspace")) {
      assertThat(Files.readString(Path.of("../docs/schemas/" + what + ".json")))
          .as("write it anew: wexrun schema %s > docs/schemas/%s.json", what, what)
          .isEqualTo(written(what));
    }
  }

  @ParameterizedTest
  @ValueSource(
      strings = {
        "intake: {files: x}",
        "pipeline: x\nintake: {flies: x}",
        "pipeline: x\nintake: {files: x}\nshap: []",
        "pipeline: x\nintake: {files: x}\nshape: [{templat: '{a}'}]",
        "pipeline: x\nintake: {files: x}\nshape: [{keep: a, remove: b}]",
        "pipeline: x\nintake: {files: x}\nshape: [{csv: {separator: ';'}}]",
        "pipeline: x\nintake: {files: x}\nshape: [{cast: {a: {to: int, else: cry}}}]",
        "pipeline: x\nintake: {files: x}\nroute: [{too: a}]",
        "pipeline: x\nintake: {files: x}\nkinds: {a: {hass: x}}",
        "pipeline: x\nintake: {files: x}\nothers: cry",
      })
  void mistakesAreFoundByIt(String yaml) {
    assertThat(errors(written("pipeline"), yaml)).isNotEmpty();
  }

  /** A key that the schema has and the step has not, or the other way round, would mislead. */
  @Test
  void theSchemaHasTheKeysThatTheStepsTake() {
    Steps steps = Steps.ours();
    steps
        .forms()
        .forEach(
            (name, form) -> {
              Set<String> taken = keysThatAreTaken(steps, name);
              if (!taken.isEmpty()) {
                assertThat(keysOf(form.schema())).as(name).isEqualTo(taken);
              }
            });
  }

  /** The keys that a step names when it is given one that it does not know. */
  private static Set<String> keysThatAreTaken(Steps steps, String kind) {
    Diagnostics diagnostics = Diagnostics.of("test");
    StepContext context =
        new StepContext(
            io.wexrun.core.schema.Schema.EMPTY,
            true,
            Settings.of("x", ""),
            Map.of(),
            steps.references(),
            new Doubtful(),
            new ArrayList<>());
    StepDefinition definition = StepDefinition.of(kind, Map.of("zzzzzzzzzz", "x"));
    steps.compile(definition, context, KeyPath.ROOT, diagnostics);
    for (Diagnostic diagnostic : diagnostics.all()) {
      String hint = diagnostic.hint().orElse("");
      if (diagnostic.code().equals("unknown-key") && hint.startsWith("the keys are ")) {
        return new TreeSet<>(List.of(hint.substring("the keys are ".length()).split(", ")));
      }
    }
    return Set.of();
  }

  private static Set<String> keysOf(Map<String, Object> schema) {
    Set<String> keys = new TreeSet<>();
    if (schema.get("properties") instanceof Map<?, ?> properties) {
      properties.keySet().forEach(key -> keys.add((String) key));
    }
    if (schema.get("anyOf") instanceof List<?> forms) {
      for (Object form : forms) {
        @SuppressWarnings("unchecked")
        Map<String, Object> one = (Map<String, Object>) form;
        keys.addAll(keysOf(one));
      }
    }
    return keys;
  }
}

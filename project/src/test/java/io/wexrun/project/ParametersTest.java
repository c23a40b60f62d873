package io.wexrun.project;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.core.diagnose.Diagnostic;
import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.core.run.RunOptions;
import java.nio.file.Path;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

/** One pipeline file for many mixtures: values that come when it is run. */
class ParametersTest {
  private static final String PIPELINE =
      """
      pipeline: mixed
      parameters:
        from: {default: in, pattern: '[a-z]+'}
        limit: {type: int, default: 900}
        kinds:
          type: map
          default:
            slow: {when: 'ms > ${limit}', to: scans}
        names: {type: list, default: [card]}
      intake: {files: '${from}/*.log'}
      shape:
        - template: '{event} card={card} ms={ms:int}'
        - require: ${names}
        - set: {price: '"$${limit}"', over: 'ms > ${limit}'}
      kinds: ${kinds}
      others: drop
      """;

  @TempDir private Path path;

  @BeforeEach
  void write() {
    Folder.of(path).write("pipelines/gates.yaml", PIPELINE);
  }

  private Pipeline pipeline(Map<String, String> given) {
    try (Workspace workspace = Workspace.open(path, given)) {
      assertThat(workspace.check()).isEmpty();
      return workspace.definition().pipeline("mixed").orElseThrow();
    }
  }

  @Test
  void defaultsStandWhereNothingIsGiven() {
    Pipeline pipeline = pipeline(Map.of("kinds", "{slow: {when: over, to: scans}}"));
    assertThat(pipeline.intake().main()).isEqualTo("in/*.log");
    assertThat(pipeline.shape().get(1).value()).isEqualTo("card");
    assertThat(pipeline.shape().get(2).value())
        .isEqualTo(Map.of("price", "\"${limit}\"", "over", "ms > 900"));
  }

  @Test
  void aWrongParameterIsToldOnceAndNothingThatOnlyFollowsFromIt() {
    Folder.of(path).write("pipelines/gates.yaml", PIPELINE);
    try (Workspace workspace =
        Workspace.open(path, Map.of("limit", "many", "kinds", "{a: {to: scans}}"))) {
      assertThat(workspace.check()).extracting("code").containsExactly("bad-parameter");
      assertThat(workspace.unreadable()).containsExactly("mixed");
      assertThat(workspace.undefined()).isEmpty();
    }
  }

  @Test
  void theKindsOfAStreamAreGivenAtTheRun() throws InterruptedException {
    Folder.of(path)
        .write("pipelines/gates.yaml", PIPELINE)
        .write("in/a.log", "scan card=1 ms=5\nfault card=2 ms=700\nscan card=3 ms=950\n");
    Map<String, String> given =
        Map.of(
            "kinds",
            "{f: {where: {event: fault}, to: faults}, s: {where: {event: scan}, when: over, to:"
                + " scans}}",
            "limit",
            "600");
    try (Workspace workspace = Workspace.open(path, given)) {
      try (WorkspaceRun run = workspace.run(RunOptions.untilDrained(true))) {
        run.await();
      }
      assertThat(workspace.tally("mixed").counts().loaded())
          .isEqualTo(Map.of("faults", 1L, "scans", 1L));
      assertThat(workspace.tally("mixed").counts().dropped()).isEqualTo(1);
      assertThat(workspace.query("warehouse", "select card from scans").rows())
          .containsExactly(List.of("3"));
    }
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '~',
      value = {
        "limit  ~ many  ~ bad-parameter ~ 'many' for parameter 'limit' is not an int",
        "from   ~ IN    ~ bad-parameter ~ 'IN' for parameter 'from' does not match its pattern",
        "kinds  ~ [a]   ~ bad-parameter ~ '[a]' for parameter 'kinds' is not a map",
        "kinds  ~ '{a'  ~ bad-parameter ~ '{a' for parameter 'kinds' is not a map",
        "limits ~ 5     ~ unknown-parameter ~ no pipeline has a parameter 'limits'",
      })
  void wrongValuesAreToldBeforeTheRun(String name, String value, String code, String message) {
    try (Workspace workspace = Workspace.open(path, Map.of(name, value))) {
      assertThat(workspace.check())
          .anySatisfy(
              diagnostic -> {
                assertThat(diagnostic.code()).isEqualTo(code);
                assertThat(diagnostic.message()).isEqualTo(message);
              });
    }
  }

  @Test
  void mistakesInTheFileAreToldAtTheirPlaces() {
    Folder.of(path)
        .write(
            "pipelines/gates.yaml",
            """
            pipeline: mixed
            parameters:
              a: {type: integer}
              b: {about: needed}
              c: {type: list, default: x}
              unused: {default: 1, pattern: '('}
            intake: {files: 'in/${bb}/${c}.log'}
            shape:
              - template: '{event} ${b}'
            route:
              - to: ${b}
            """);
    try (Workspace workspace = Workspace.open(path)) {
      assertThat(workspace.check())
          .extracting(Diagnostic::code)
          .contains(
              "unknown-type",
              "missing-parameter",
              "bad-parameter",
              "bad-pattern",
              "unknown-parameter",
              "unused-parameter");
      assertThat(workspace.check())
          .filteredOn(d -> d.code().equals("unknown-parameter"))
          .first()
          .satisfies(
              d -> {
                assertThat(d.place().orElseThrow().line()).isEqualTo(7);
                assertThat(d.hint()).contains("did you mean 'b'?");
              });
    }
  }
}

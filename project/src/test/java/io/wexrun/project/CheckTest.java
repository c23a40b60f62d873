package io.wexrun.project;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import io.wexrun.core.diagnose.Diagnostic;
import io.wexrun.core.diagnose.MistakesException;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.run.RunOptions;
import java.nio.file.Path;
import java.util.List;
import java.util.stream.Collectors;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

class CheckTest {
  @TempDir private Path path;

  private List<Diagnostic> check() {
    try (Workspace workspace = Workspace.open(path)) {
      return workspace.check();
    }
  }

  private String rendered() {
    return check().stream().map(Diagnostic::render).collect(Collectors.joining("\n"));
  }

  @Test
  void aGoodWorkspaceHasNothingToSay() {
    Folder.of(path);
    assertThat(check()).isEmpty();
  }

  @Test
  void allMistakesOfAllFilesAreToldAtOnceWithTheirPlaces() {
    Folder.of(path)
        .write(
            "wexrun.yaml",
            """
            workspace: bad
            stores:
              warehouse: {duckdb: warehouse.db}
            queues:
              gate-events: {partitons: 4}
            tables:
              scans:
                in: warehose
                columns: {card: text, ms: itn}
            """)
        .write(
            "pipelines/gates.yaml",
            """
            pipeline: gate-load
            intake: {queue: gate-event}
            shape:
              - template: '{event} card={card} ms={ms} {card}'
              - requre: [card]
              - require: [crad, event]
              - set: {slow: "ms > 500"}
            route:
              - when: evnt == "scan"
                to: scans
              - to: falts
            flush: {rows: many}
            """);
    assertThat(rendered())
        .isEqualTo(
            """
            wexrun.yaml:5:17: error [unknown-key] a queue has no key 'partitons'
                5 |   gate-events: {partitons: 4}
                  |                 ^^^^^^^^^
                  = did you mean 'partitions'?
            wexrun.yaml:8:9: error [unknown-store] there is no store 'warehose'
                8 |     in: warehose
                  |         ^^^^^^^^
                  = did you mean 'warehouse'?
            wexrun.yaml:9:31: error [unknown-type] 'itn' is not a column: it is a type, then 'required',\
             'default VALUE' or '= EXPRESSION'
                9 |     columns: {card: text, ms: itn}
                  |                               ^^^
                  = did you mean 'int'?
            pipelines/gates.yaml:2:17: error [unknown-queue] there is no queue 'gate-event'
                2 | intake: {queue: gate-event}
                  |                 ^^^^^^^^^^
                  = did you mean 'gate-events'?
            pipelines/gates.yaml:4:45: error [bad-template] a second field is named 'card'
                4 |   - template: '{event} card={card} ms={ms} {card}'
                  |                                             ^^^^
                  = rename one of them
            pipelines/gates.yaml:5:5: error [unknown-step] there is no step 'requre'
                5 |   - requre: [card]
                  |     ^^^^^^
                  = did you mean 'require'?
            pipelines/gates.yaml:6:15: error [unknown-field] there is no field 'crad' here
                6 |   - require: [crad, event]
                  |               ^^^^
                  = did you mean 'card'?
            pipelines/gates.yaml:7:21: error [type-clash] '>' does not work on string and int
                7 |   - set: {slow: "ms > 500"}
                  |                     ^
                  = compare a text with a text in quotes, or turn it with int(...)
            pipelines/gates.yaml:9:11: error [unknown-field] there is no field 'evnt' here
                9 |   - when: evnt == "scan"
                  |           ^^^^
                  = did you mean 'event'?
            pipelines/gates.yaml:11:9: error [unknown-target] there is no table or queue 'falts'
               11 |   - to: falts
                  |         ^^^^^
                  = there are scans, gate-events
            pipelines/gates.yaml:12:15: error [bad-value] 'many' is not a number of rows, such as 100000
               12 | flush: {rows: many}
                  |               ^^^^\
            """);
  }

  @Test
  void aStepWithAMistakeIsToldAndNotWhatFollowsFromIt() {
    Folder.of(path)
        .write(
            "pipelines/gates.yaml",
            """
            pipeline: gate-load
            intake: {queue: gate-events}
            shape:
              - template: '{event} card={card ms={ms:int}'
              - require: [card]
              - set: {slow: ms > 500}
            route:
              - when: event == "scan"
                to: scans
              - otherwise: drop
            """);
    assertThat(check()).extracting(Diagnostic::code).containsExactly("bad-template");
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '~',
      quoteCharacter = '`',
      value = {
        "intake: {queue: gate-events} ~ intake: {queue: gate-events, strat: newest} ~ 30"
            + " unknown-key the queue intake has no key 'strat'",
        "start: oldest ~ start: oldset ~ 37 bad-value 'oldset' is neither oldest nor newest",
        "{files: 'in/*.log', longest: 1KB} ~ {files: 'out/*.log'} ~ 17 missing-folder there is no"
            + " folder",
        "{files: 'in/*.log', longest: 1KB} ~ {fils: 'in/*.log'} ~ 10 unknown-intake there is no"
            + " intake of the kind 'fils'",
        "longest: 1KB ~ longest: big ~ 38 bad-size 'big' is not a size",
        "ms={ms:int?} ~ ms={ms?} ~ 18 type-clash found no",
        "- otherwise: drop ~ - otherwise: [drop, scans] ~ 5 bad-route 'drop' stands alone, not"
            + " beside other targets",
        "- otherwise: drop ~ - otherwise: drop¶    to: scans ~ 16 wrong-form 'otherwise' stands"
            + " alone in its entry",
        "pipeline: gate-load ~ pipeline: gate-intake ~ 11 duplicate-name a second pipeline is named"
            + " 'gate-intake'",
        "pipeline: gate-load ~ pipeline: gate load ~ 11 bad-name 'gate load' is not a name",
        "- require: card ~ - require: card¶    set: {a: ms} ~ 5 wrong-form a step has one key",
        "- require: card ~ - require: {a: b} ~ 14 wrong-form this is a list",
        "age: 10s ~ age: soon ~ 37 bad-value 'soon' is not an age, such as 10s",
        "key: 'card=(\\S+)' ~ key: 'card=(\\S+' ~ 10 bad-pattern this is not a pattern",
        "to: scans ~ two: scans ~ 5 missing-key the entry leads nowhere",
      })
  void aMistakeIsToldWhereItStands(String right, String wrong, String told) {
    String text = Folder.PIPELINES.replace(", start: oldest}", "}");
    if (right.startsWith("start")) {
      text = Folder.PIPELINES;
    }
    assertThat(text).contains(right);
    Folder.of(path).write("pipelines/gates.yaml", text.replace(right, wrong.replace('¶', '\n')));
    List<String> all =
        check().stream()
            .map(d -> d.place().orElseThrow().column() + " " + d.code() + " " + d.message())
            .toList();
    if (told.contains("found no")) {
      assertThat(all).anyMatch(t -> t.contains("type-clash '+' does not work on string and int"));
    } else {
      assertThat(all).anyMatch(t -> t.startsWith(told));
    }
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '~',
      quoteCharacter = '`',
      value = {
        "`workspace: x\n\tbad: 1\n` ~ wexrun.yaml:2:1 ~ indent with blanks, not tabs",
        "`workspace: x\nstores: {a: [}\n` ~ wexrun.yaml:2:14 ~ not YAML",
        "`- a\n- b\n` ~ wexrun.yaml:1:1 ~ a workspace is written as 'key: value' lines",
        "`workspace: x\nworkspace: y\n` ~ wexrun.yaml:2:1 ~ 'workspace' stands here twice",
        "`a: b: c\n` ~ wexrun.yaml:1:5 ~ put quotes around a text that holds ': '",
      })
  void whatIsNotYamlIsToldWithItsPlace(String text, String place, String told) {
    Folder.of(path).write("wexrun.yaml", text.replace("\\n", "\n").replace("\\t", "\t"));
    assertThat(rendered()).startsWith(place).contains(told);
  }

  @Test
  void anEmptyWorkspaceIsNotSilentlyFine() {
    Folder folder = new Folder(path).write("wexrun.yaml", "# nothing yet\n");
    assertThat(rendered()).startsWith("wexrun.yaml:1:1: error [empty-file] wexrun.yaml is empty");
    folder.write("wexrun.yaml", "workspace: bare\n");
    assertThat(rendered()).startsWith("wexrun.yaml:1:1: warning [no-pipeline]");
  }

  @Test
  void aRunWithMistakesDoesNotStart() {
    Folder.of(path).append("wexrun.yaml", "tabels: {}\n");
    try (Workspace workspace = Workspace.open(path)) {
      assertThatThrownBy(() -> workspace.run(RunOptions.untilDrained(true)))
          .isInstanceOf(MistakesException.class)
          .hasMessageContaining("did you mean 'tables'?");
    }
    assertThat(path.resolve(".wexrun")).doesNotExist();
  }

  @Test
  void aFolderWithoutAWorkspaceIsRefused() {
    assertThatThrownBy(() -> Workspace.open(path))
        .isInstanceOf(OutsideException.class)
        .hasMessageContaining("there is no workspace in " + path);
    assertThat(Workspace.find(path)).isEmpty();
    Folder.of(path);
    assertThat(Workspace.find(path.resolve("in"))).contains(path);
  }

  private List<String> caseMistakes(String cases) {
    Folder.of(path).write("cases/gate-load.yaml", cases);
    return check().stream()
        .map(d -> d.place().orElseThrow().line() + " " + d.code() + " " + d.message())
        .toList();
  }

  @Test
  void casesAreRunAndTellWhatIsOtherThanExpected() {
    String scan = "- record: 'scan card=7F ms=41 \"x \"'\n";
    assertThat(caseMistakes(scan + "  to: scans\n  row: {card: 7F, ms: 42, note: x}\n")).isEmpty();
    assertThat(caseMistakes("- record: 'waltz card=1 ms=1 \"\"'\n  to: drop\n")).isEmpty();
    assertThat(caseMistakes("- record: 'scan card=1 ms=x \"\"'\n  dies: bad-value\n  field: ms\n"))
        .isEmpty();
    assertThat(caseMistakes(scan + "  to: [faults, scans]\n"))
        .containsExactly("1 case-failed the record is not treated as expected: it goes to scans");
    assertThat(caseMistakes(scan + "  row: {ms: 41, gate: g}\n"))
        .containsExactly(
            "1 case-failed the record is not treated as expected: ms is \"42\", not \"41\"; gate is"
                + " absent or empty, not \"g\"");
    assertThat(caseMistakes(scan + "  dies: no-match\n"))
        .containsExactly(
            "1 case-failed the record is not treated as expected: it does not die, but goes to"
                + " scans");
    assertThat(caseMistakes("- record: nothing\n  to: scans\n").get(0))
        .contains("it dies: no-match, field event");
    assertThat(caseMistakes("- record: x\n"))
        .containsExactly("1 missing-key the case expects nothing");
  }

  @Test
  void casesMayStandInThePipelineItself() {
    String text =
        Folder.PIPELINES + "cases:\n  - record: 'scan card=7F ms=1 \"\"'\n    to: faults\n";
    Folder.of(path).write("pipelines/gates.yaml", text);
    assertThat(check()).extracting(Diagnostic::code).containsExactly("case-failed");
    Folder.of(path).write("pipelines/gates.yaml", Folder.PIPELINES + "cases: x\n");
    assertThat(check()).extracting(Diagnostic::code).containsExactly("wrong-form");
  }

  @Test
  void patternsOfTheWorkspaceAreSharedByItsPipelines() {
    Folder folder = Folder.of(path);
    String text = Folder.PIPELINES.replace("card={card}", "card={card:card}");
    folder.write("pipelines/gates.yaml", text);
    assertThat(check()).extracting(Diagnostic::code).contains("unknown-type");
    folder.write("patterns.yaml", "card: '[0-9A-F]+'\n");
    assertThat(check()).isEmpty();
    folder.write("patterns.yaml", "card: '[0-9A-F]+'\nunused: '(('\n");
    assertThat(check()).extracting(Diagnostic::code).contains("bad-pattern");
  }
}

package io.wexrun.core.diagnose;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.util.List;
import java.util.Optional;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

class DiagnosticsTest {
  private static final List<String> KNOWN = List.of("card", "stop", "result", "template");

  @ParameterizedTest
  @CsvSource({
    "crad, card",
    "cards, card",
    "Stop, stop",
    "tempalte, template",
    "resutl, result",
    "xyz,",
    "c,"
  })
  void theNearestNameIsSuggestedIfItIsNear(String wrong, String meant) {
    Optional<String> hint = Optional.ofNullable(meant).map(m -> "did you mean '" + m + "'?");
    assertThat(Diagnostics.nearest(wrong, KNOWN)).isEqualTo(hint);
  }

  @Test
  void aDiagnosticShowsItsLineWithACaret() {
    Place place = new Place("pipelines/gates.yaml", 12, 9, 4, "- when: evnt == \"scan\"");
    Diagnostic diagnostic =
        new Diagnostic(
                "unknown-field",
                Severity.ERROR,
                "pipeline gates",
                KeyPath.ROOT.key("route").index(0).key("when"),
                Optional.empty(),
                "there is no field 'evnt' here",
                Optional.of("did you mean 'event'?"))
            .at(place);
    assertThat(diagnostic.render())
        .isEqualTo(
            """
            pipelines/gates.yaml:12:9: error [unknown-field] there is no field 'evnt' here
               12 | - when: evnt == "scan"
                  |         ^^^^
                  = did you mean 'event'?""");
  }

  @Test
  void errorsStopAndWarningsDoNot() {
    Diagnostics diagnostics = Diagnostics.of("pipeline p");
    diagnostics.warning("open-route", KeyPath.ROOT, "doubtful", Optional.empty());
    diagnostics.orThrow();
    diagnostics.error("bad", KeyPath.ROOT.key("flush"), "wrong", Optional.empty());
    assertThatThrownBy(diagnostics::orThrow)
        .isInstanceOf(MistakesException.class)
        .hasMessageContaining("pipeline p, flush: error [bad] wrong");
  }
}

package io.wexrun.formats;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.core.pipeline.StepDefinition;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type.Scalar;
import java.util.Map;
import org.junit.jupiter.api.Test;

class ClientTest {
  private static final Schema INPUT = Schema.of(Column.of("agent", Scalar.TEXT));

  private static CompiledStep tried(Object value) {
    return new CompiledStep(StepDefinition.of("client", value), Map.of(), INPUT);
  }

  @Test
  void aUserAgentTellsTheClient() {
    String agent = "Mozilla/5.0 (X11; Linux x86_64; rv:140.0) Gecko/20100101 Firefox/140.0";
    assertThat(tried("agent").of(agent))
        .isEqualTo(
            "{agent="
                + agent
                + ", client_family=Firefox, client_version=140.0, client_system=Linux}");
    assertThat(tried(Map.of("from", "agent", "add", Map.of("agent", "family"))).of(agent))
        .isEqualTo("{agent=Firefox}");
  }

  @Test
  void whatIsNotKnownIsAbsentAndLongTextsAreCut() {
    assertThat(tried("agent").of("tram-board/7")).isEqualTo("{agent=tram-board/7}");
    assertThat(tried(Map.of("from", "agent", "add", Map.of("c", "family"))).of("x".repeat(100_000)))
        .hasSizeGreaterThan(100_000);
  }

  @Test
  void mistakesAreTold() {
    assertThat(tried("agnt").mistakes().get(0)).startsWith("unknown-field");
    assertThat(tried(Map.of("from", "agent", "add", Map.of("a", "famly"))).mistakes().get(0))
        .contains("did you mean 'family'?");
  }
}

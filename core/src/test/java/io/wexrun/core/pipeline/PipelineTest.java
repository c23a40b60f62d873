package io.wexrun.core.pipeline;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import io.wexrun.core.schema.Type.Scalar;
import java.time.Duration;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.junit.jupiter.params.provider.ValueSource;

class PipelineTest {
  @ParameterizedTest
  @CsvSource({
    "0, 0",
    "12, 12",
    "1KB, 1024",
    "64MB, 67108864",
    "2 gb, 2147483648",
    "1TB, 1099511627776"
  })
  void sizesAreReadInPowersOf1024(String text, long bytes) {
    assertThat(Sizes.bytes(text)).contains(bytes);
    assertThat(Sizes.bytes(Sizes.show(bytes))).contains(bytes);
  }

  @ParameterizedTest
  @ValueSource(strings = {"", "MB", "-1KB", "1.5MB", "1XB", "999999999999999999TB"})
  void whatIsNoSizeIsNone(String text) {
    assertThat(Sizes.bytes(text)).isEmpty();
  }

  @ParameterizedTest
  @CsvSource({"500ms, PT0.5S", "10s, PT10S", "5m, PT5M", "1h, PT1H", "7d, PT168H"})
  void durationsHaveAUnit(String text, Duration duration) {
    assertThat(Sizes.duration(text)).contains(duration);
    assertThat(Sizes.duration(Sizes.show(duration))).contains(duration);
    assertThat(Sizes.duration("10")).isEmpty();
    assertThat(Sizes.duration("soon")).isEmpty();
  }

  @Test
  void aPipelineNeedsAnIntakeAndARoute() {
    Pipeline.Builder builder = Pipeline.named("p").route(Route.to("t"));
    assertThatThrownBy(builder::build)
        .hasMessage("pipeline p needs an intake, and either a route or kinds");
    Pipeline.Builder routeless = Pipeline.named("p").intake(Settings.of("files", "x"));
    assertThatThrownBy(routeless::build).isInstanceOf(IllegalStateException.class);
    assertThat(builder.intake(Settings.of("files", "x")).build().deadLetters()).isEqualTo("dead/p");
  }

  @Test
  void definitionsAreEqualByValueAndDoNotChange() {
    Pipeline.Builder builder =
        Pipeline.named("p")
            .intake(Settings.of("files", "x").with("longest", "1KB"))
            .shape(StepDefinition.set("a", "1").and("b", "2"))
            .route(Route.when("a == 1").to("t"), Route.otherwiseDrop());
    Pipeline first = builder.build();
    assertThat(builder.build()).isEqualTo(first).hasSameHashCodeAs(first);
    builder.route(Route.otherwiseDead());
    assertThat(first.route()).hasSize(2);
    assertThat(first.intake().unknown(List.of("files"))).containsExactly("longest");
    assertThat(first.intake().text("none")).isEmpty();
    assertThatThrownBy(() -> first.intake().values().put("x", "y"))
        .isInstanceOf(UnsupportedOperationException.class);
  }

  @Test
  void aFlushThatWouldNeverComeIsRefused() {
    assertThatThrownBy(() -> FlushPolicy.DEFAULT.withRows(0))
        .isInstanceOf(IllegalArgumentException.class);
    assertThatThrownBy(() -> FlushPolicy.DEFAULT.withBytes(0))
        .isInstanceOf(IllegalArgumentException.class);
    assertThatThrownBy(() -> FlushPolicy.DEFAULT.withAge(Duration.ZERO))
        .isInstanceOf(IllegalArgumentException.class);
  }

  @Test
  void aTableIsBuiltColumnByColumn() {
    Table table =
        Table.in("w", "t").required("a", Scalar.TEXT).column("b", Scalar.INT, "7").build();
    assertThat(table.schema()).hasToString("[a: text required, b: int]");
    assertThat(table.defaults()).isEqualTo(Map.of("b", "7"));
  }
}

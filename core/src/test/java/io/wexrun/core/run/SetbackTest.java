package io.wexrun.core.run;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.core.identity.Identity;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.run.Setback.Gap;
import io.wexrun.core.run.Setback.Kind;
import io.wexrun.core.tally.KnownTarget;
import io.wexrun.core.target.Standing;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalLong;
import org.junit.jupiter.api.Test;

class SetbackTest {
  private static final SourcePartition A = new SourcePartition("a.log");
  private static final SourcePartition B = new SourcePartition("b.log");
  private static final Optional<Identity> ME = Optional.of(new Identity("me"));
  private static final Optional<Identity> OTHER = Optional.of(new Identity("other"));

  private static KnownTarget known(long a) {
    return new KnownTarget("t", ME, Map.of(A, a));
  }

  private static Standing standing(Optional<Identity> who, Map<SourcePartition, Long> progress) {
    return new Standing(who, progress, Map.of());
  }

  @Test
  void whatHasComeAsFarOrFurtherAgrees() {
    assertThat(Setback.of("p", known(100), standing(ME, Map.of(A, 100L)))).isEmpty();
    assertThat(Setback.of("p", known(100), standing(ME, Map.of(A, 130L, B, 7L)))).isEmpty();
    assertThat(Setback.of("p", known(100), standing(OTHER, Map.of(A, 100L))))
        .as("it was swapped for a table that has all")
        .isEmpty();
    assertThat(Setback.of("p", new KnownTarget("t", ME, Map.of()), Standing.ABSENT))
        .as("it never got a row")
        .isEmpty();
  }

  @Test
  void whatHasLessIsToldByWhatItIs() {
    assertThat(Setback.of("p", known(100), standing(ME, Map.of(A, 60L))))
        .contains(
            new Setback("p", "t", Kind.BEHIND, List.of(new Gap(A, 60, 100, OptionalLong.empty()))));
    assertThat(Setback.of("p", known(100), standing(OTHER, Map.of())))
        .contains(
            new Setback("p", "t", Kind.ANOTHER, List.of(new Gap(A, -1, 100, OptionalLong.of(0)))));
    assertThat(Setback.of("p", known(100), Standing.ABSENT).orElseThrow().kind())
        .isEqualTo(Kind.MISSING);
    Standing counting = new Standing(ME, Map.of(A, 60L), Map.of(A, 5L));
    assertThat(Setback.of("p", known(100), counting).orElseThrow().gaps())
        .containsExactly(new Gap(A, 60, 100, OptionalLong.of(5)));
  }

  @Test
  void rowsThatNoTallyKnowsAreToldOnlyIfTheyAreThere() {
    assertThat(Setback.forgottenBy("p", Map.of("t", standing(ME, Map.of())))).isEmpty();
    List<Setback> forgotten =
        Setback.forgottenBy("p", Map.of("t", standing(ME, Map.of(A, 9L, B, 8L))));
    assertThat(forgotten).hasSize(1);
    assertThat(forgotten.get(0).kind()).isEqualTo(Kind.FORGOTTEN);
    assertThat(forgotten.get(0).toString())
        .contains("target t of pipeline p", "the state was removed", "and 1 more source)");
  }

  @Test
  void aFailureNamesAllAndTheWayOut() {
    Setback one = Setback.of("p", known(100), Standing.ABSENT).orElseThrow();
    assertThat(Setback.failure(List.of(one)))
        .matches(e -> e.lasting())
        .hasMessageContaining("target t of pipeline p is not there any more")
        .hasMessageContaining("'wexrun reconcile p'");
  }
}

package io.wexrun.state;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import io.wexrun.core.dead.Reason;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.identity.Identity;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.Route;
import io.wexrun.core.tally.Account;
import io.wexrun.core.tally.Corrections;
import io.wexrun.core.tally.Corrections.Retake;
import io.wexrun.core.tally.Counts;
import io.wexrun.core.tally.KnownTarget;
import io.wexrun.core.tally.Tally;
import java.nio.file.Path;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

class CorrectionsTest {
  private static final SourcePartition A = new SourcePartition("a.log");
  private static final SourcePartition B = new SourcePartition("b.log");

  @TempDir private Path folder;
  private WorkspaceState state;
  private Corrections corrections;

  @BeforeEach
  void openState() {
    state = EmbeddedState.open(folder);
    corrections = state.corrections();
    Counts counts =
        new Counts(
            100,
            0,
            0,
            Map.of("t", 70L, "u", 20L),
            Map.of(Reason.NO_MATCH, 6L, Reason.TOO_LONG, 4L),
            0);
    Map<String, Long> reached = Map.of("t", 990L, "u", 980L, Route.DEAD, 999L);
    Optional<Identity> nobody = Optional.empty();
    state.tally().identifyTargets("p", Map.of("t", Optional.of(Identity.fresh()), "u", nobody));
    state.tally().account("p", List.of(new Account(A, 0, 1000, counts, reached)));
    state.tally().account("p", List.of(new Account(B, 0, 1000, counts, reached)));
  }

  @AfterEach
  void closeState() {
    state.close();
  }

  private Tally tally() {
    Tally tally = state.tally().tally("p");
    assertThat(tally.balanced()).isTrue();
    return tally;
  }

  private Map<SourcePartition, Long> reached(String target) {
    return state.tally().targets("p").stream()
        .filter(t -> t.name().equals(target))
        .map(KnownTarget::reached)
        .findFirst()
        .orElse(Map.of());
  }

  @Test
  void lostRowsLeaveTheLoadedOnesAndTheBooksBalance() {
    corrections.lose("p", "t", Map.of(A, 30L), Map.of(A, 400L));
    assertThat(tally().lost()).isEqualTo(30);
    assertThat(tally().counts().loaded()).isEqualTo(Map.of("t", 110L, "u", 40L));
    assertThat(reached("t")).isEqualTo(Map.of(A, 400L, B, 990L));
    assertThat(state.tally().targets("p")).allMatch(t -> t.identity().isEmpty());
    corrections.lose("p", Route.DEAD, Map.of(A, 8L), Map.of(A, -1L));
    assertThat(tally().counts().allDead()).isEqualTo(12);
    assertThat(tally().lost()).isEqualTo(38);
  }

  @Test
  void settlingCountsWhatATargetHasOfAllThatItEverHad() {
    corrections.lose("p", "t", Map.of(A, 70L), Map.of(A, -1L));
    assertThat(corrections.loaded("p", "t")).isEqualTo(Map.of(A, 0L, B, 70L));
    corrections.settle("p", "t", Map.of(A, 500L, B, 990L), Map.of(A, 40L, B, 70L));
    assertThat(corrections.loaded("p", "t")).isEqualTo(Map.of(A, 40L, B, 70L));
    assertThat(tally().lost()).isEqualTo(30);
    assertThat(reached("t")).isEqualTo(Map.of(A, 500L, B, 990L));
    corrections.settle("p", "t", Map.of(), Map.of());
    assertThat(tally().lost()).isEqualTo(140);
    assertThat(reached("t")).isEmpty();
    corrections.settle("p", "t", Map.of(A, 1000L, B, 1000L), Map.of(A, 99L, B, 70L));
    assertThat(tally().lost()).as("rows beyond those counted are not of these books").isZero();
    assertThat(tally().counts().loaded()).containsEntry("t", 140L);
  }

  @Test
  void settlingATargetThatDoesNotCountItsRowsLeavesTheFigures() {
    corrections.settle("p", "u", Map.of(A, 980L, B, 980L), Map.of());
    assertThat(tally().lost()).isZero();
    assertThat(reached("u")).isEqualTo(Map.of(A, 980L, B, 980L));
  }

  @Test
  void whatIsTakenAgainMovesItsOwnPositionsAndEndsAtItsEnd() {
    Map<SourcePartition, Retake> parts = Map.of(A, new Retake(100, 1000), B, new Retake(0, 1000));
    corrections.retake("p", parts, Map.of("t", Map.of(A, 100L, B, -1L)));
    assertThat(corrections.retakes("p")).isEqualTo(parts);
    assertThat(reached("t")).isEqualTo(Map.of(A, 100L));
    Counts again = new Counts(50, 0, 0, Map.of("t", 50L), Map.of(), 0);
    corrections.retaken("p", List.of(new Account(A, 100, 600, again, Map.of("t", 590L))));
    assertThat(corrections.retakes("p")).containsEntry(A, new Retake(600, 1000));
    assertThat(reached("t")).isEqualTo(Map.of(A, 590L));
    corrections.retaken("p", List.of(new Account(A, 600, 1000, again, Map.of("t", 950L))));
    assertThat(corrections.retakes("p")).containsOnlyKeys(B);
    assertThat(tally().counts().taken()).as("the books stay").isEqualTo(200);
    assertThat(state.tally().positions("p")).isEqualTo(Map.of(A, 1000L, B, 1000L));
    corrections.giveUpRetakes("p");
    assertThat(corrections.retakes("p")).isEmpty();
  }

  @Test
  void aRenamedPipelineKeepsItsBooksAndForgetsItsTargets() {
    state.texts().keep("p", "text");
    corrections.rename("p", "q");
    assertThat(corrections.pipelines()).containsExactly("q");
    assertThat(state.tally().tally("q").counts().taken()).isEqualTo(200);
    assertThat(state.tally().tally("p").counts()).isEqualTo(Counts.NONE);
    assertThat(state.texts().current("q")).isPresent();
    assertThat(state.tally().targets("q"))
        .allMatch(t -> t.identity().isEmpty() && t.reached().isEmpty());
    state.tally().account("r", List.of(new Account(A, 0, 5, Counts.NONE)));
    assertThatThrownBy(() -> corrections.rename("q", "r"))
        .isInstanceOf(OutsideException.class)
        .hasMessageContaining("knows pipeline r already");
    assertThat(corrections.pipelines()).containsExactly("q", "r");
    corrections.forget("q");
    assertThat(corrections.pipelines()).containsExactly("r");
  }

  @Test
  void aTargetThatWasRemovedOnPurposeIsForgotten() {
    corrections.removeTarget("p", "t");
    assertThat(corrections.removed("p", "t").values().stream().mapToLong(n -> n).sum())
        .isEqualTo(140);
    assertThat(corrections.removed("p", "u")).isEmpty();
    assertThat(reached("t")).isEmpty();
    assertThat(reached("u")).as("others are not").isNotEmpty();
    assertThat(tally().counts().loaded()).containsEntry("t", 140L);
  }

  @Test
  void whoHoldsAPipelineIsSeenWithoutHoldingIt() {
    assertThat(state.isHeld("p")).isFalse();
    try (Hold held = state.hold("p")) {
      assertThat(state.isHeld("p")).isTrue();
      assertThatThrownBy(() -> state.hold("p")).hasMessageContaining("held by process");
      assertThat(held).isNotNull();
    }
    assertThat(state.isHeld("p")).isFalse();
  }
}

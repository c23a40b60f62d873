package io.wexrun.state;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import io.wexrun.core.dead.Reason;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.identity.Identity;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.tally.Account;
import io.wexrun.core.tally.Counts;
import io.wexrun.core.tally.ReplaySource;
import io.wexrun.core.tally.SourceTally;
import io.wexrun.state.Rebuilds.Older;
import io.wexrun.state.Rebuilds.Origin;
import io.wexrun.state.Rebuilds.Phase;
import io.wexrun.state.Rebuilds.Rebuild;
import java.nio.file.Path;
import java.time.Instant;
import java.time.temporal.ChronoUnit;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalLong;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/** Rebuilds, and what becomes of the books, as the state keeps them. */
class RebuildsTest {
  private static final SourcePartition S = new SourcePartition("s");
  private static final SourcePartition GONE = new SourcePartition("gone");

  @TempDir private Path folder;
  private WorkspaceState state;

  @BeforeEach
  void open() {
    state = EmbeddedState.open(folder);
  }

  @AfterEach
  void close() {
    state.close();
  }

  private void account(String pipeline, SourcePartition source, long from, long to, Counts counts) {
    Map<String, Long> reached = new LinkedHashMap<>();
    counts.loaded().keySet().forEach(target -> reached.put(target, to));
    state
        .tally()
        .account(
            pipeline,
            List.of(
                new Account(source, from, to, counts, reached, List.of(), OptionalLong.empty())));
  }

  private static Counts counts(long taken, long inTable, long inQueue, long dead, long dropped) {
    return new Counts(
        taken,
        0,
        Math.max(0, inTable + inQueue + dead + dropped - taken),
        Map.of("t", inTable, "q", inQueue),
        Map.of(Reason.BAD_VALUE, dead),
        dropped);
  }

  private Rebuild begin(Map<SourcePartition, Long> from) {
    String version = state.texts().keep(Rebuild.books("p"), "the new text").version();
    return state
        .rebuilds()
        .begin(
            new Rebuild(
                0,
                "p",
                version,
                "ada",
                Instant.now(),
                Phase.PREPARING,
                Optional.empty(),
                Map.of("t", Optional.empty()),
                from,
                false));
  }

  @Test
  void onlyOneOfAPipelineIsOpenAndItIsFoundAgain() {
    Rebuild begun = begin(Map.of(S, 7L));
    assertThat(begun.number()).isEqualTo(1);
    assertThatThrownBy(() -> begin(Map.of()))
        .isInstanceOf(OutsideException.class)
        .hasMessageContaining("rebuild 1 of pipeline p is under way");
    state.close();
    open();
    assertThat(state.rebuilds().open("p")).contains(begun);
    assertThat(state.rebuilds().open("other")).isEmpty();
    state.rebuilds().discarded(1);
    assertThat(state.rebuilds().open("p")).isEmpty();
    assertThat(begin(Map.of()).number()).as("numbers are not given twice").isEqualTo(2);
  }

  @Test
  void namesOfWhatIsKeptTellTheTimeOfTheSwap() {
    begin(Map.of());
    Rebuild swapping =
        state.rebuilds().swapping(1, Instant.parse("2026-12-01T10:44:10Z"), Map.of());
    assertThat(swapping.shadow("t")).isEqualTo("t_rebuild_1");
    assertThat(swapping.kept("t")).isEqualTo("t_until_20261201_104410");
    assertThat(swapping.letters()).isEqualTo("rebuild/p-1");
  }

  @Test
  void theBooksBecomeThoseOfWhatWasBuiltAndTakenOver() {
    account("p", S, 0, 100, counts(100, 60, 20, 30, 10));
    account("p", GONE, 0, 50, counts(50, 40, 0, 10, 0));
    SourcePartition replay = ReplaySource.of(1, Instant.now(), 0);
    account("p", replay, 0, 5, counts(5, 5, 2, 0, 0));
    Rebuild begun = begin(Map.of(S, 40L, GONE, 50L));
    state
        .rebuilds()
        .prepared(
            1,
            Map.of(
                S, new Older(Map.of("t", 25L), Map.of(Reason.BAD_VALUE, 4L)),
                GONE, new Older(Map.of("t", 38L), Map.of())));
    account(begun.books(), S, 40, 100, counts(60, 50, 33, 8, 2));
    assertThat(state.corrections().pipelines()).as("they are no pipeline").containsExactly("p");
    Identity shadow = Identity.fresh();
    state.tally().identifyTargets(begun.books(), Map.of("t", Optional.of(shadow)));
    state.rebuilds().swapping(1, Instant.now(), Map.of("t", Optional.of(shadow)));
    state.rebuilds().swapped(1);
    state.rebuilds().swapped(1); // Again, as after a kill: nothing more happens.

    Map<SourcePartition, SourceTally> books = state.tally().bySource("p");
    assertThat(books).containsOnlyKeys(S, GONE);
    SourceTally s = books.get(S);
    assertThat(s.position()).isEqualTo(100);
    assertThat(s.balanced()).isTrue();
    assertThat(s.counts().taken()).isEqualTo(100);
    assertThat(s.counts().loaded().get("t")).isEqualTo(50 + 25);
    assertThat(s.counts().dead()).containsEntry(Reason.BAD_VALUE, 8L + 4);
    SourceTally gone = books.get(GONE);
    assertThat(gone.balanced()).isTrue();
    assertThat(gone.counts().loaded().get("t")).isEqualTo(38);
    assertThat(gone.counts().dropped()).as("left out").isEqualTo(50 - 38 - 2);
    assertThat(s.counts().loaded().get("q") + gone.counts().loaded().getOrDefault("q", 0L))
        .as("what is not built again stays, what was replayed into it too")
        .isEqualTo(20 + 2);
    assertThat(state.tally().tally("p").revived()).isZero();
    assertThat(state.tally().bySource(begun.books())).isEmpty();
    assertThat(state.tally().targets("p"))
        .filteredOn(target -> target.name().equals("t"))
        .singleElement()
        .satisfies(target -> assertThat(target.identity()).contains(shadow));
    assertThat(state.rebuilds().all("p").get(0).phase()).isEqualTo(Phase.MENDING);
  }

  @Test
  void fromWhereItBeganTheTextIsThatOfTheRebuild() {
    state.texts().keep("p", "first");
    account("p", S, 0, 50, counts(50, 50, 0, 0, 0));
    state.texts().keep("p", "second");
    account("p", S, 50, 100, counts(50, 50, 0, 0, 0));
    begin(Map.of(S, 30L));
    state.rebuilds().prepared(1, Map.of());
    state.rebuilds().swapping(1, Instant.now(), Map.of());
    state.rebuilds().swapped(1);
    List<PipelineTexts.Turn> turns = state.texts().turns("p");
    assertThat(turns)
        .extracting(turn -> turn.text().text())
        .containsExactly("first", "second", "the new text");
    assertThat(turns.get(1).from()).as("it made nothing that is left").containsEntry(S, 30L);
    assertThat(turns.get(2).from()).containsEntry(S, 30L);
    assertThat(state.texts().current("p")).map(PipelineTexts.Text::text).contains("the new text");
  }

  @Test
  void whatPeopleDidWithLettersIsKeptAndTheLatestCounts() {
    begin(Map.of());
    Origin one = new Origin(S, 1);
    Origin two = new Origin(S, 2);
    state.rebuilds().mended(1, Map.of(one, Optional.of(new byte[] {1}), two, Optional.empty()));
    state.rebuilds().mended(1, Map.of(one, Optional.of(new byte[] {7})));
    Map<Origin, Optional<byte[]>> handled = state.rebuilds().handled("p");
    assertThat(handled.get(one).orElseThrow()).containsExactly(7);
    assertThat(handled.get(two)).isEmpty();
    assertThat(state.rebuilds().handled("other")).isEmpty();
  }

  @Test
  void byWhenAPositionWasAccountedForIsKnownToTheMinute() {
    Instant before = Instant.now().truncatedTo(ChronoUnit.MINUTES);
    account("p", S, 0, 100, counts(100, 100, 0, 0, 0));
    Instant by = state.tally().accountedBy("p", S, 99).orElseThrow();
    assertThat(by).isBetween(before.plusSeconds(60), Instant.now().plusSeconds(60));
    assertThat(by).isEqualTo(by.truncatedTo(ChronoUnit.MINUTES));
    assertThat(state.tally().accountedBy("p", S, 100)).as("not done yet").isEmpty();
    assertThat(state.tally().accountedBy("q", S, 1)).isEmpty();
  }
}

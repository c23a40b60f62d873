package io.wexrun.project.run;

import io.wexrun.core.identity.Identity;
import io.wexrun.core.intake.KnownSource;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.tally.Account;
import io.wexrun.core.tally.Corrections;
import io.wexrun.core.tally.KnownTarget;
import io.wexrun.core.tally.SourceTally;
import io.wexrun.core.tally.Tally;
import io.wexrun.core.tally.TallyStore;
import io.wexrun.core.tally.TimeTally;
import io.wexrun.state.WorkspaceState;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;

/**
 * The tally of what is taken again: it is in the books already, so only the positions of taking it
 * again move.
 */
final class RetakingTally implements TallyStore {
  private final TallyStore books;
  private final Corrections corrections;

  RetakingTally(WorkspaceState state) {
    this.books = state.tally();
    this.corrections = state.corrections();
  }

  @Override
  public List<KnownSource> begun(String pipeline) {
    return books.begun(pipeline);
  }

  @Override
  public List<KnownSource> sources(String pipeline) {
    Map<SourcePartition, Corrections.Retake> retakes = corrections.retakes(pipeline);
    return books.sources(pipeline).stream()
        .filter(source -> retakes.containsKey(source.partition()))
        .map(
            source ->
                new KnownSource(
                    source.partition(),
                    source.identity(),
                    retakes.get(source.partition()).position()))
        .toList();
  }

  @Override
  public void identify(String pipeline, Map<SourcePartition, Identity> identities) {
    books.identify(pipeline, identities);
  }

  /** Nothing: how far targets had come is what is being mended. */
  @Override
  public List<KnownTarget> targets(String pipeline) {
    return List.of();
  }

  @Override
  public void identifyTargets(String pipeline, Map<String, Optional<Identity>> identities) {
    Map<String, Optional<Identity>> taking = new HashMap<>(identities);
    taking.keySet().retainAll(corrections.retakeTargets(pipeline));
    books.identifyTargets(pipeline, taking);
  }

  @Override
  public void account(String pipeline, List<Account> accounts) {
    Set<String> targets = corrections.retakeTargets(pipeline);
    corrections.retaken(pipeline, accounts.stream().map(a -> a.reachedBy(targets)).toList());
  }

  @Override
  public Map<SourcePartition, SourceTally> bySource(String pipeline) {
    return books.bySource(pipeline);
  }

  @Override
  public List<TimeTally> over(String pipeline, TimeTally.Unit unit) {
    return books.over(pipeline, unit);
  }

  @Override
  public Tally tally(String pipeline) {
    return books.tally(pipeline);
  }
}

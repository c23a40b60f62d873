package io.wexrun.core.tally;

import io.wexrun.core.identity.Identity;
import io.wexrun.core.intake.KnownSource;
import io.wexrun.core.intake.SourcePartition;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.TreeMap;

/**
 * The books of a pipeline under another name, so that it can run beside itself. For several
 * threads.
 */
public final class RenamedTally implements TallyStore {
  private final TallyStore inner;
  private final String name;
  private final Map<SourcePartition, Long> from;

  /**
   * Books in another tally.
   *
   * @param name under which every pipeline's are kept
   * @param from where source partitions begin that were never taken from; the others at their start
   */
  public RenamedTally(TallyStore inner, String name, Map<SourcePartition, Long> from) {
    this.inner = inner;
    this.name = name;
    this.from = Map.copyOf(from);
  }

  @Override
  public List<KnownSource> begun(String pipeline) {
    return inner.begun(name);
  }

  @Override
  public List<KnownSource> sources(String pipeline) {
    return inner.sources(name);
  }

  @Override
  public Map<SourcePartition, Long> positions(String pipeline) {
    Map<SourcePartition, Long> positions = new TreeMap<>(from);
    positions.putAll(inner.positions(name));
    return positions;
  }

  @Override
  public void identify(String pipeline, Map<SourcePartition, Identity> identities) {
    inner.identify(name, identities);
  }

  @Override
  public List<KnownTarget> targets(String pipeline) {
    return inner.targets(name);
  }

  @Override
  public void identifyTargets(String pipeline, Map<String, Optional<Identity>> identities) {
    inner.identifyTargets(name, identities);
  }

  @Override
  public void account(String pipeline, List<Account> accounts) {
    inner.account(name, accounts);
  }

  @Override
  public Map<SourcePartition, SourceTally> bySource(String pipeline) {
    return inner.bySource(name);
  }

  @Override
  public List<TimeTally> over(String pipeline, TimeTally.Unit unit) {
    return inner.over(name, unit);
  }

  @Override
  public Optional<Instant> accountedBy(String pipeline, SourcePartition source, long position) {
    return inner.accountedBy(name, source, position);
  }

  @Override
  public Tally tally(String pipeline) {
    return inner.tally(name);
  }
}

package io.wexrun.core.intake;

import java.time.Duration;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/**
 * An intake that ends at given positions: of each source partition only the records before its
 * bound come, and nothing of the others. It is drained when every bound is reached.
 */
public final class BoundedIntake implements Intake {
  private final Intake inner;
  private final Map<SourcePartition, Long> bounds;
  private final Map<SourcePartition, Long> missing;
  private final boolean first;

  /**
   * Bounds an intake whose records somebody else takes too, and accounts for: it is not told what
   * is done here.
   */
  public static BoundedIntake beside(Intake inner, Map<SourcePartition, Long> bounds) {
    return new BoundedIntake(inner, bounds, false);
  }

  /** Bounds an intake; closing this one closes it. */
  public BoundedIntake(Intake inner, Map<SourcePartition, Long> bounds) {
    this(inner, bounds, true);
  }

  private BoundedIntake(Intake inner, Map<SourcePartition, Long> bounds, boolean first) {
    this.inner = inner;
    this.first = first;
    this.bounds = Map.copyOf(bounds);
    this.missing = new HashMap<>(bounds);
  }

  @Override
  public List<Source> look() {
    return inner.look().stream().filter(s -> bounds.containsKey(s.partition())).toList();
  }

  @Override
  public void assign(SourcePartition partition, long position) {
    inner.assign(partition, position);
    long bound = bounds.get(partition);
    if (position < bound) {
      missing.put(partition, bound);
    } else {
      missing.remove(partition);
    }
  }

  @Override
  public void revoke(SourcePartition partition) {
    inner.revoke(partition);
  }

  @Override
  public Optional<Block> poll(Duration wait) {
    return inner.poll(wait).flatMap(this::bounded);
  }

  private Optional<Block> bounded(Block block) {
    Long bound = missing.get(block.source());
    if (bound == null || block.first() >= bound) {
      missing.remove(block.source());
      return Optional.empty();
    }
    if (block.end() < bound) {
      return Optional.of(block);
    }
    missing.remove(block.source());
    Framing framing = whole -> block.framing().cut(whole).before(bound);
    return Optional.of(block.with(bound, framing));
  }

  @Override
  public boolean listen(Runnable come) {
    return inner.listen(come);
  }

  @Override
  public Duration patience() {
    return inner.patience();
  }

  @Override
  public Optional<Backlog> backlog() {
    return inner.backlog();
  }

  @Override
  public boolean drained() {
    return missing.isEmpty() || inner.drained();
  }

  @Override
  public void accounted(Map<SourcePartition, Long> positions) {
    if (first) {
      inner.accounted(positions);
    }
  }

  @Override
  public void close() {
    inner.close();
  }
}

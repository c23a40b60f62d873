package io.wexrun.core.channel;

import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Framing;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.tally.Account;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalLong;

/**
 * What a channel holds up to given positions: of each source partition only the records before its
 * bound, and nothing of the others. The rest stays in the channel, but is not handed out any more
 * as long as it is open. Nothing is put.
 */
public final class BoundedChannel implements Channel {
  private final Channel inner;
  private final Map<SourcePartition, Long> bounds;
  private final Map<SourcePartition, Long> missing;

  /** Bounds a channel, which ends by that; closing this one closes it. */
  public BoundedChannel(Channel inner, Map<SourcePartition, Long> bounds) {
    this.inner = inner;
    this.bounds = Map.copyOf(bounds);
    this.missing = new HashMap<>(bounds);
    inner.end();
  }

  @Override
  public long begin(SourcePartition source, long start) {
    return inner.begin(source, start);
  }

  @Override
  public Put put(Block block) {
    return Put.ENDED;
  }

  @Override
  public Map<SourcePartition, Long> sync() {
    return inner.sync();
  }

  @Override
  public Optional<Block> take() {
    while (!missing.isEmpty()) {
      Optional<Block> block = inner.take();
      if (block.isEmpty()) {
        return block;
      }
      Long bound = missing.get(block.get().source());
      if (bound != null && block.get().end() >= bound) {
        missing.remove(block.get().source());
      }
      if (bound != null && block.get().first() < bound) {
        return Optional.of(before(block.get(), bound));
      }
    }
    return Optional.empty();
  }

  private static Block before(Block block, long bound) {
    if (block.end() <= bound) {
      return block;
    }
    Framing framing = whole -> block.framing().cut(whole).before(bound);
    return block.with(bound, framing);
  }

  @Override
  public void listen(Runnable put) {
    inner.listen(put);
  }

  @Override
  public void listenForRoom(Runnable room) {
    inner.listenForRoom(room);
  }

  @Override
  public boolean exhausted() {
    return missing.isEmpty() || inner.exhausted();
  }

  @Override
  public Map<SourcePartition, Long> rewind() {
    missing.clear();
    missing.putAll(bounds);
    return inner.rewind();
  }

  @Override
  public void accounted(List<Account> accounts) {
    inner.accounted(accounts);
  }

  @Override
  public void end() {
    inner.end();
  }

  @Override
  public void abandon() {
    inner.abandon();
  }

  @Override
  public OptionalLong held() {
    return inner.held();
  }

  @Override
  public double fill() {
    return inner.fill();
  }

  @Override
  public boolean outlivesRun() {
    return inner.outlivesRun();
  }

  @Override
  public void close() {
    inner.close();
  }
}

package io.wexrun.network.door;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.intake.Backlog;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Intake;
import io.wexrun.core.intake.Source;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.queue.Queue;
import java.time.Duration;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.function.BooleanSupplier;
import java.util.function.Function;

/** What was received into a queue, while more is. */
final class ReceivedIntake implements Intake {
  private final Queue queue;
  private final Intake inner;
  private final Map<SourcePartition, Long> taken = new HashMap<>();
  private Inbox inbox;
  private Reception.Entrance entrance;

  /**
   * An intake of a queue.
   *
   * @param inner makes the intake that takes from it; it is told whether nobody comes any more
   */
  ReceivedIntake(Queue queue, Function<BooleanSupplier, Intake> inner) {
    this.queue = queue;
    this.inner = inner.apply(this::ended);
  }

  /** From now on senders come in. */
  void enter(Inbox room, Reception.Entrance open) {
    inbox = room;
    entrance = open;
  }

  private boolean ended() {
    return entrance == null || entrance.ended();
  }

  /** How many records there are that were not taken yet. */
  long behind() {
    Map<SourcePartition, Long> all;
    synchronized (taken) {
      all = new HashMap<>(taken);
    }
    long records = 0;
    for (Source source : inner.look()) {
      String name = source.partition().name();
      int number =
          Integer.parseInt(name.substring(name.lastIndexOf('/') + 1).replaceAll("#.*", ""));
      records += queue.recordsFrom(number, all.getOrDefault(source.partition(), source.start()));
    }
    return records;
  }

  @Override
  public List<Source> look() {
    return inner.look();
  }

  @Override
  public void assign(SourcePartition partition, long position) {
    inner.assign(partition, position);
    synchronized (taken) {
      taken.put(partition, position);
    }
  }

  @Override
  public void revoke(SourcePartition partition) {
    inner.revoke(partition);
  }

  @Override
  public Optional<Block> poll(Duration wait) {
    Optional<Block> block = inner.poll(wait);
    if (block.isEmpty() && entrance != null && entrance.failure().isPresent()) {
      throw OutsideException.lasting(entrance.failure().get());
    }
    block.ifPresent(
        found -> {
          synchronized (taken) {
            taken.put(found.source(), found.end());
          }
        });
    if (inbox != null) {
      inbox.wake();
    }
    return block;
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
    // Whoever has failed is asked for a block once more, and says so.
    return (entrance == null || entrance.failure().isEmpty()) && inner.drained();
  }

  @Override
  public void durable(Map<SourcePartition, Long> positions) {
    inner.durable(positions);
  }

  @Override
  public void accounted(Map<SourcePartition, Long> positions) {
    inner.accounted(positions);
  }

  @Override
  public void unaccountable(Optional<String> why) {
    if (inbox != null && inbox.isShut() != why.isPresent()) {
      inbox.shut(why.isPresent());
    }
  }

  @Override
  public void close() {
    if (entrance != null) {
      entrance.close();
    }
    if (inbox != null) {
      inbox.close();
    }
    inner.close();
  }
}

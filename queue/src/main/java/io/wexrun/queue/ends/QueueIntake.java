package io.wexrun.queue.ends;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.identity.Identity;
import io.wexrun.core.intake.Backlog;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Intake;
import io.wexrun.core.intake.KnownSource;
import io.wexrun.core.intake.Source;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.queue.Queue;
import io.wexrun.queue.log.BehindOldestException;
import io.wexrun.queue.log.Pack;
import io.wexrun.queue.log.Packs;
import io.wexrun.queue.log.Partition;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Optional;
import java.util.OptionalLong;
import java.util.function.BooleanSupplier;
import java.util.function.Consumer;
import java.util.stream.Collectors;

/** A queue as an intake: its partitions are the source partitions. */
public final class QueueIntake implements Intake {
  private static final int BLOCK = 1 << 20;
  private static final Duration SURE = Duration.ofSeconds(1);

  /** What another process appends is not told. */
  private static final Duration OTHERS = Duration.ofMillis(20);

  private static final long REVOKED = -1;

  private final Queue queue;
  private final BooleanSupplier fed;
  private final Runnable close;
  private final List<Source> sources = new ArrayList<>();
  private final long[] positions;
  private Runnable told = () -> {};
  private int turn;
  private long handedOut;

  /**
   * Reads a queue.
   *
   * @param fromNewest whether partitions start at their end as it is now, not at the oldest record
   * @param fed whether nobody in this process appends any more; asked before each look for an end
   * @param close what closing the intake does
   */
  public QueueIntake(Queue queue, boolean fromNewest, BooleanSupplier fed, Runnable close) {
    this(queue, fromNewest, List.of(), notice -> {}, fed, close);
  }

  /**
   * Reads a queue that was read before.
   *
   * @param known what was taken from; if it was another queue of this name, this one is read from
   *     its start, as partitions {@code NAME/0#2}, {@code NAME/1#2}
   * @param notices is told that
   */
  public QueueIntake(
      Queue queue,
      boolean fromNewest,
      List<KnownSource> known,
      Consumer<String> notices,
      BooleanSupplier fed,
      Runnable close) {
    this.queue = queue;
    this.fed = fed;
    this.close = close;
    this.positions = new long[queue.partitions()];
    Arrays.fill(positions, REVOKED);
    queue.refresh();
    List<KnownSource> before = new ArrayList<>();
    for (int i = 0; i < positions.length; i++) {
      Partition partition = queue.partition(i);
      Identity identity = identity(queue.identity(), i);
      int generation = generation(i, identity, known, before);
      boolean end = fromNewest && generation == 1;
      sources.add(
          new Source(
              new SourcePartition(
                  queue.name() + "/" + i + (generation == 1 ? "" : "#" + generation)),
              Optional.of(identity),
              end ? partition.end() : partition.oldest()));
    }
    if (!before.isEmpty()) {
      notices.accept(another(queue.name(), before));
    }
  }

  private static String another(String queue, List<KnownSource> before) {
    return "queue "
        + queue
        + " is another one than before, which is gone: that was read up to "
        + before.stream()
            .map(source -> "position " + source.position() + " of " + source.partition())
            .collect(Collectors.joining(", "))
        + "; the queue that is there now is read from its start";
  }

  /** Who a partition of a queue is. */
  static Identity identity(Identity queue, int partition) {
    return new Identity(queue + "/" + partition);
  }

  /**
   * The how manieth queue of its name a partition belongs to, from 1.
   *
   * @param before takes the one that was read and that the queue is not
   */
  private static int generation(
      int partition, Identity identity, List<KnownSource> known, List<KnownSource> before) {
    KnownSource latest = null;
    for (KnownSource source : known) {
      if (number(source.partition()) != partition) {
        continue;
      }
      if (source.identity().equals(Optional.of(identity))) {
        return generation(source.partition()); // Maybe an earlier one that was put back.
      }
      if (latest == null || generation(source.partition()) > generation(latest.partition())) {
        latest = source;
      }
    }
    if (latest == null) {
      return 1;
    }
    int generation = generation(latest.partition());
    if (latest.identity().orElse(identity).equals(identity)) {
      return generation;
    }
    before.add(latest);
    return generation + 1;
  }

  private static int generation(SourcePartition partition) {
    int mark = partition.name().indexOf('#', partition.name().lastIndexOf('/'));
    return mark < 0 ? 1 : Integer.parseInt(partition.name().substring(mark + 1));
  }

  @Override
  public List<Source> look() {
    return sources;
  }

  /** The number of a partition that is a source partition. */
  static int number(SourcePartition partition) {
    String name = partition.name();
    int from = name.lastIndexOf('/') + 1;
    int mark = name.indexOf('#', from);
    return Integer.parseInt(name.substring(from, mark < 0 ? name.length() : mark));
  }

  @Override
  public void assign(SourcePartition source, long position) {
    int number = number(source);
    Partition partition = queue.partition(number);
    queue.refresh(number);
    if (position < partition.oldest() || position > partition.end()) {
      throw OutsideException.lasting(
          "the tally goes on at position "
              + position
              + " of "
              + source
              + ", but the queue has positions "
              + partition.oldest()
              + " to "
              + partition.end()
              + ": it was put back from an earlier time, or records were lost. Put the right one"
              + " back; or delete the queue, then the next one is read from its start");
    }
    positions[number] = position;
  }

  @Override
  public void revoke(SourcePartition source) {
    positions[number(source)] = REVOKED;
  }

  @Override
  public Optional<Block> poll(Duration wait) {
    boolean fresh = queue.refreshNowAndThen();
    Optional<Block> block = next();
    if (block.isEmpty() && !fresh) {
      queue.refresh();
      block = next();
    }
    if (block.isEmpty() && !wait.isZero() && !fed.getAsBoolean()) {
      queue.awaitAppend(wait.toMillis());
      queue.refresh();
      block = next();
    }
    return block;
  }

  @Override
  public OptionalLong since(SourcePartition source, Instant time) {
    Partition partition = queue.partition(number(source));
    return OptionalLong.of(partition.positionOfPackAt(time.toEpochMilli()));
  }

  @Override
  public boolean listen(Runnable come) {
    told = queue.whenAppended(come);
    return true;
  }

  @Override
  public Duration patience() {
    return queue.writable() ? SURE : OTHERS;
  }

  @Override
  public Optional<Backlog> backlog() {
    long left = 0;
    for (int i = 0; i < positions.length; i++) {
      left += positions[i] == REVOKED ? 0 : Math.max(0, queue.partition(i).end() - positions[i]);
    }
    return Optional.of(new Backlog(handedOut, left, Backlog.Unit.RECORDS));
  }

  private Optional<Block> next() {
    for (int tried = 0; tried < positions.length; tried++) {
      int partition = turn;
      turn = (turn + 1) % positions.length;
      long from = positions[partition];
      if (from == REVOKED) {
        continue;
      }
      Optional<Partition.Chunk> chunk = read(partition, from);
      if (chunk.isPresent()) {
        Block block = block(sources.get(partition).partition(), from, chunk.get());
        handedOut += block.end() - from;
        positions[partition] = block.end();
        return Optional.of(block);
      }
    }
    return Optional.empty();
  }

  private Optional<Partition.Chunk> read(int partition, long from) {
    try {
      return queue.partition(partition).read(from, BLOCK);
    } catch (BehindOldestException e) {
      throw OutsideException.lasting(
          e.getMessage()
              + ". They were not read before 'keep' let them go: let the queue keep more");
    }
  }

  /** The packs of a chunk whose records come from sources with one header. */
  private static Block block(SourcePartition source, long from, Partition.Chunk chunk) {
    byte[] data = chunk.data();
    byte[] header = {};
    int at = 0;
    long end = chunk.end();
    while (at < chunk.length()) {
      Pack pack = Pack.read(data, at, chunk.length() - at).orElse(null);
      if (pack == null) {
        at = chunk.length(); // Whoever cuts the block finds what is wrong with it.
        break;
      }
      byte[] own = pack.sourceHeader(data, at);
      if (at == 0) {
        header = own;
      } else if (!Arrays.equals(own, header)) {
        end = pack.baseOffset();
        break;
      }
      at += pack.bytes();
    }
    return new Block(source, from, end, data, at, Packs.FRAMING, header, 0);
  }

  @Override
  public boolean drained() {
    if (!fed.getAsBoolean()) {
      return false;
    }
    // Asked in this order: what was appended before nobody appended any more is seen here.
    for (int i = 0; i < positions.length; i++) {
      if (positions[i] != REVOKED && positions[i] < queue.partition(i).end()) {
        return false;
      }
    }
    return true;
  }

  @Override
  public void close() {
    told.run();
    close.run();
  }
}

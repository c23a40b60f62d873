package io.wexrun.queue.ends;

import io.wexrun.core.dead.DeadLetter;
import io.wexrun.core.dead.LetterBlock;
import io.wexrun.core.intake.Backlog;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Intake;
import io.wexrun.core.intake.Source;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.queue.Queue;
import io.wexrun.queue.log.BehindOldestException;
import io.wexrun.queue.log.Packs;
import io.wexrun.queue.log.Partition;
import io.wexrun.queue.log.QueueRecord;
import java.time.Duration;
import java.util.ArrayDeque;
import java.util.ArrayList;
import java.util.Deque;
import java.util.List;
import java.util.Optional;

/**
 * Dead letters as an intake: those that somebody has chosen come as the records that they were.
 * What the queue does not keep any more is passed over.
 */
public final class LettersIntake implements Intake {
  private static final int BLOCK = 1 << 20;

  /** Says which letters come, and as what. */
  @FunctionalInterface
  public interface Choosing {
    /**
     * The letter that a record of the queue is, as it is to come.
     *
     * @return empty if it was not chosen
     */
    Optional<DeadLetter> choose(QueueRecord record);
  }

  /**
   * A part of the queue.
   *
   * @param source the name under which its letters come
   * @param partition of the queue, from 0
   * @param from the position where it begins
   * @param until the position after it
   */
  public record Part(SourcePartition source, int partition, long from, long until) {}

  private static final class Reading {
    private final Part part;
    private final Deque<QueueRecord> read = new ArrayDeque<>();
    private boolean assigned;
    private Partition.Chunk chunk;
    private int chunkAt;
    private long readTo;
    private long from;

    Reading(Part part) {
      this.part = part;
    }

    boolean drained() {
      return !assigned || read.isEmpty() && chunk == null && readTo >= part.until();
    }

    /** Takes the next pack of the chunk apart. */
    void open() {
      chunkAt = Packs.records(part.partition(), chunk.data(), chunkAt, chunk.length(), from, read);
      read.removeIf(record -> record.position() >= part.until());
      chunk = chunkAt < chunk.length() ? chunk : null;
    }
  }

  private final Queue queue;
  private final List<Reading> readings = new ArrayList<>();
  private final Choosing choosing;
  private long handedOut;

  /** Reads parts of a queue of dead letters, which stays open when the intake is closed. */
  public LettersIntake(Queue queue, List<Part> parts, Choosing choosing) {
    this.queue = queue;
    this.choosing = choosing;
    parts.forEach(part -> readings.add(new Reading(part)));
    queue.refresh();
  }

  @Override
  public List<Source> look() {
    return readings.stream()
        .map(r -> new Source(r.part.source(), Optional.empty(), r.part.from()))
        .toList();
  }

  private Reading reading(SourcePartition source) {
    return readings.stream()
        .filter(r -> r.part.source().equals(source))
        .findFirst()
        .orElseThrow(() -> new IllegalArgumentException("no such part: " + source));
  }

  @Override
  public void assign(SourcePartition source, long position) {
    Reading reading = reading(source);
    Partition partition = queue.partition(reading.part.partition());
    reading.assigned = true;
    reading.from = position;
    reading.readTo = Math.max(position, partition.oldest());
    reading.read.clear();
    reading.chunk = null;
  }

  @Override
  public void revoke(SourcePartition source) {
    reading(source).assigned = false;
  }

  @Override
  public Optional<Block> poll(Duration wait) {
    for (Reading reading : readings) {
      Optional<Block> block = reading.drained() ? Optional.empty() : next(reading);
      if (block.isPresent()) {
        return block;
      }
    }
    return Optional.empty();
  }

  /** The next letters that can be in one block. */
  private Optional<Block> next(Reading reading) {
    LetterBlock letters = new LetterBlock();
    long end = reading.from;
    while (letters.bytes() < BLOCK && fill(reading)) {
      QueueRecord record = reading.read.peek();
      Optional<DeadLetter> letter = choosing.choose(record);
      if (letter.isPresent() && !letters.fits(letter.get())) {
        break;
      }
      reading.read.remove();
      end = record.position() + 1;
      letter.ifPresent(chosen -> letters.add(record.position(), chosen));
    }
    if (letters.isEmpty()) {
      return Optional.empty();
    }
    Block block = letters.block(reading.part.source(), reading.from, end);
    handedOut += end - reading.from;
    reading.from = end;
    return Optional.of(block);
  }

  /** Reads on if need be; false if there is nothing more. */
  private boolean fill(Reading reading) {
    Partition partition = queue.partition(reading.part.partition());
    while (reading.read.isEmpty() && !reading.drained()) {
      if (reading.chunk != null) {
        reading.open();
        continue;
      }
      reading.readTo = Math.max(reading.readTo, partition.oldest());
      Optional<Partition.Chunk> chunk;
      try {
        chunk = partition.read(reading.readTo, BLOCK);
      } catch (BehindOldestException e) {
        continue; // They were let go just now.
      }
      if (chunk.isEmpty()) {
        reading.readTo = reading.part.until(); // The queue was cut: there is no more.
        return false;
      }
      reading.chunk = chunk.get();
      reading.chunkAt = 0;
      reading.readTo = chunk.get().end();
    }
    return !reading.read.isEmpty();
  }

  @Override
  public boolean listen(Runnable come) {
    return true; // Nothing comes that is not there.
  }

  @Override
  public boolean drained() {
    return readings.stream().allMatch(Reading::drained);
  }

  @Override
  public Optional<Backlog> backlog() {
    long left = 0;
    for (Reading reading : readings) {
      left += reading.assigned ? Math.max(0, reading.part.until() - reading.from) : 0;
    }
    return Optional.of(new Backlog(handedOut, left, Backlog.Unit.RECORDS));
  }

  @Override
  public void close() {
    // The queue stays open.
  }
}

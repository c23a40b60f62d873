package io.wexrun.queue;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.queue.log.PackBuilder;
import io.wexrun.queue.log.Partition;
import java.util.ArrayDeque;
import java.util.ArrayList;
import java.util.Deque;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.ThreadLocalRandom;

/** Writes the packs of one producer, in a thread of its own, and tries again what fails. */
final class PackWriter {
  /** Longer than anything waits. */
  static final long FAR = Long.MAX_VALUE / 4;

  private static final long FIRST_DELAY = 10;
  private static final long LONGEST_DELAY = 2000;

  /** A pack to write, and who waits for its records. */
  record Filled(
      int partition,
      PackBuilder builder,
      long sequence,
      boolean numbered,
      List<CompletableFuture<Appended>> futures) {}

  private final Queue queue;
  private final QueueOptions options;
  private final Producer producer;
  private final Thread thread;
  private final Deque<Filled> ready = new ArrayDeque<>();

  /**
   * Of numbered records, the partitions in which some could not be stored, and why. Nothing more is
   * stored there: behind a larger number the smaller ones would count as repeated for ever.
   */
  private final Map<Integer, OutsideException> gaps = new HashMap<>();

  private long recordsReady;
  private boolean writing;
  private boolean woken;
  private boolean ended;
  private OutsideException failure;
  private Throwable death;
  private long acknowledged;
  private long failed;
  private long packs;
  private long bytes;
  private long retries;
  private long syncedAt = System.nanoTime();
  private boolean unsynced;

  PackWriter(Queue queue, Producer producer) {
    this.queue = queue;
    this.options = queue.options();
    this.producer = producer;
    this.thread = new Thread(this::runToItsEnd, "wexrun-producer-" + queue.name());
    thread.setDaemon(true);
    thread.start();
  }

  synchronized void write(Filled filled) {
    requireAlive();
    ready.add(filled);
    recordsReady += filled.builder.count();
    notifyAll();
  }

  synchronized void wake() {
    woken = true;
    notifyAll();
  }

  synchronized void countRepeated() {
    acknowledged++;
  }

  synchronized ProducerFigures figures(long appended, long waiting, long held) {
    return new ProducerFigures(
        appended, acknowledged, failed, packs, bytes, waiting + recordsReady, held, retries);
  }

  /** Why no numbered record can be stored in a partition any more; null if it can. */
  synchronized OutsideException gap(int partition) {
    return gaps.get(partition);
  }

  /** Whether there is nothing to write. */
  synchronized boolean idle() {
    return ready.isEmpty() && !writing;
  }

  /** A writer that ended by an error of the program or of the machine writes nothing any more. */
  synchronized void requireAlive() {
    if (death != null) {
      throw new IllegalStateException(
          "the producer's writer has ended by " + death + "; open the queue again", death);
    }
  }

  /** Returns when nothing waits any more; throws what failed since the last time. */
  synchronized void awaitAll() {
    boolean interrupted = false;
    while (death == null && (!ready.isEmpty() || writing)) {
      try {
        wait();
      } catch (InterruptedException e) {
        interrupted = true;
      }
    }
    if (interrupted) {
      Thread.currentThread().interrupt();
    }
    requireAlive();
    if (failure != null) {
      OutsideException thrown = failure;
      failure = null;
      throw thrown;
    }
  }

  void end() {
    synchronized (this) {
      ended = true;
      notifyAll();
    }
    boolean interrupted = false;
    while (thread.isAlive()) {
      try {
        thread.join();
      } catch (InterruptedException e) {
        interrupted = true;
      }
    }
    if (interrupted) {
      Thread.currentThread().interrupt();
    }
  }

  /** An error ends the thread, but nobody waits for it then. */
  private void runToItsEnd() {
    try {
      run();
    } catch (RuntimeException | Error e) {
      synchronized (this) {
        death = e;
        ready.forEach(filled -> failAll(filled, e));
        ready.clear();
        notifyAll();
      }
      throw e;
    }
  }

  private void run() {
    while (true) {
      long next = producer.handLingering();
      List<Filled> batch = take(next);
      if (batch == null) {
        return;
      }
      if (!batch.isEmpty()) {
        writeAll(batch);
      }
      syncIfDue();
    }
  }

  /** What is ready, perhaps nothing after some time; null at the end. */
  private synchronized List<Filled> take(long nanos) {
    long wait = nanos;
    if (unsynced && options.sync().interval().isPresent()) {
      long due = syncedAt + options.sync().interval().get().toNanos() - System.nanoTime();
      wait = Math.min(wait, Math.max(0, due));
    }
    if (ready.isEmpty() && !ended && !woken && wait > 0) {
      try {
        wait(Math.max(1, Math.min(wait / 1_000_000, 60_000)));
      } catch (InterruptedException e) {
        ended = true; // Nobody interrupts this thread but the end of the process.
      }
    }
    woken = false;
    if (ready.isEmpty() && ended) {
      return null;
    }
    List<Filled> batch = new ArrayList<>(ready);
    ready.clear();
    writing = !batch.isEmpty();
    return batch;
  }

  private void syncIfDue() {
    if (!unsynced || options.sync().interval().isEmpty()) {
      return;
    }
    if (System.nanoTime() - syncedAt < options.sync().interval().get().toNanos()) {
      return;
    }
    try {
      queue.sync();
      unsynced = false;
    } catch (OutsideException e) {
      synchronized (this) {
        failure = failure == null ? e : failure;
      }
    }
    syncedAt = System.nanoTime();
  }

  private void writeAll(List<Filled> batch) {
    Map<Integer, List<Filled>> byPartition = new LinkedHashMap<>();
    for (Filled filled : batch) {
      filled.builder.seal(options.codec());
      byPartition.computeIfAbsent(filled.partition, p -> new ArrayList<>()).add(filled);
    }
    batch.clear();
    byPartition.forEach(
        (number, packsOfOne) -> {
          store(number, packsOfOne);
          packsOfOne.clear(); // The producer fills the room anew; the old bytes must be free.
        });
    queue.appended();
    synchronized (this) {
      writing = false;
      notifyAll();
    }
    producer.written(0); // Who waits for room may hand over what is there.
  }

  /** Stores packs of one partition, in order; those that cannot be fail their futures. */
  private void store(int number, List<Filled> packsOfOne) {
    OutsideException before = gap(number);
    if (before != null) {
      fail(packsOfOne, before);
      return;
    }
    Partition partition = queue.partition(number);
    long giveUp = System.nanoTime() + options.bounds().giveUp().toNanos();
    long delay = FIRST_DELAY;
    Partition.Outcome[] outcomes = new Partition.Outcome[packsOfOne.size()];
    while (true) {
      try {
        for (int i = 0; i < outcomes.length; i++) {
          Filled filled = packsOfOne.get(i);
          Partition.Outcome outcome = partition.append(filled.builder, filled.sequence);
          // What is found to be there was written in the try before, which knew its place.
          boolean known = outcome.base() >= 0 || outcomes[i] == null;
          outcomes[i] = known ? outcome : outcomes[i];
        }
        if (options.sync().beforeAcknowledging()) {
          partition.sync();
        } else {
          partition.publish();
          unsynced = true;
        }
        acknowledge(number, packsOfOne, outcomes);
        return;
      } catch (OutsideException e) {
        if (System.nanoTime() + delay * 1_000_000 > giveUp) {
          noteGap(number, packsOfOne, e);
          fail(packsOfOne, e);
          return;
        }
      }
      synchronized (this) {
        retries++;
      }
      // Half of the delay to one and a half: many producers do not try again all at once.
      pause(delay / 2 + ThreadLocalRandom.current().nextLong(delay + 1));
      delay = Math.min(delay * 2, LONGEST_DELAY);
    }
  }

  private synchronized void noteGap(int number, List<Filled> lost, OutsideException e) {
    if (lost.get(0).numbered) {
      gaps.put(
          number,
          new OutsideException(
              "numbered records before it could not be stored in partition "
                  + number
                  + " of queue "
                  + queue.name()
                  + ": "
                  + e.getMessage()
                  + ". Close this producer, open it again, and append from the first record that"
                  + " failed",
              e));
    }
  }

  private static void pause(long millis) {
    try {
      Thread.sleep(millis);
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    }
  }

  private void acknowledge(int number, List<Filled> stored, Partition.Outcome[] outcomes) {
    for (int i = 0; i < stored.size(); i++) {
      Filled filled = stored.get(i);
      Partition.Outcome outcome = outcomes[i];
      int count = filled.builder.count();
      synchronized (this) {
        acknowledged += count;
        packs++;
        bytes += filled.builder.bytes();
        recordsReady -= count;
      }
      long position = outcome.base();
      for (CompletableFuture<Appended> future : filled.futures) {
        if (future != null) { // Of the records of a parcel, only the last one is waited for.
          future.complete(new Appended(number, position, false));
        }
        position += position < 0 ? 0 : 1;
      }
      producer.written(filled.builder.weight());
    }
  }

  private static void failAll(Filled filled, Throwable why) {
    filled.futures.stream()
        .filter(Objects::nonNull)
        .forEach(future -> future.completeExceptionally(why));
  }

  private void fail(List<Filled> lost, OutsideException e) {
    for (Filled filled : lost) {
      synchronized (this) {
        failed += filled.builder.count();
        recordsReady -= filled.builder.count();
        failure = failure == null ? e : failure;
      }
      failAll(filled, e);
      producer.written(filled.builder.weight());
    }
  }
}

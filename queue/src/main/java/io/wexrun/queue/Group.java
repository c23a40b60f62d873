package io.wexrun.queue;

import io.wexrun.queue.log.BehindOldestException;
import io.wexrun.queue.log.Partition;
import io.wexrun.queue.log.PositionsFile;
import io.wexrun.state.Hold;
import java.time.Duration;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;

/**
 * Consumers that share the partitions of a queue: each partition has one member at a time, and
 * every record goes to the member that has its partition.
 *
 * <p><b>Contract.</b> A partition is handed over when a member joins, leaves, or is silent for too
 * long. Who gets it begins at the last committed position; so each record is read at least once,
 * and read again only if it was not committed. Only the member that has a partition can commit it:
 * what a stale one tries fails with a {@link HandedOverException} and changes nothing. Committed
 * positions only grow, and survive the loss of power. Members of one group are in one process now;
 * a member holds nothing that another, elsewhere, could not take over from the committed positions
 * alone.
 *
 * <pre>{@code
 * try (Group group = queue.group("counters"); Member member = group.join()) {
 *   for (QueueRecord record : member.poll(1000, Duration.ofSeconds(1))) {
 *     count(record);
 *   }
 *   member.commit();
 * }
 * }</pre>
 *
 * <p>For several threads; each member is for one.
 */
public final class Group implements AutoCloseable {
  private final Queue queue;
  private final String name;
  private final PositionsFile file;
  private final Hold hold;
  private final long[] committed;
  private final Member[] owners;
  private final List<Member> members = new ArrayList<>();
  private Duration silence = Duration.ofSeconds(30);
  private boolean fromNewest;
  private boolean goesOn;
  private int joined;

  Group(Queue queue, String name, PositionsFile file, Hold hold) {
    this.queue = queue;
    this.name = name;
    this.file = file;
    this.hold = hold;
    this.committed = file.read(queue.partitions());
    this.owners = new Member[queue.partitions()];
  }

  /** This group, whose members lose their partitions if they do not poll for so long. */
  public synchronized Group silence(Duration longest) {
    silence = longest;
    return this;
  }

  /**
   * This group, whose members go on from the oldest record that there is where those that they are
   * at were removed. Without it, polling such a partition ends with a {@link
   * BehindOldestException}.
   */
  public synchronized Group goOnFromOldest() {
    goesOn = true;
    return this;
  }

  synchronized boolean goesOn() {
    return goesOn;
  }

  /** This group, beginning with what is appended from now on where nothing was committed yet. */
  public synchronized Group fromNewest() {
    fromNewest = true;
    return this;
  }

  /** The name. */
  public String name() {
    return name;
  }

  Queue queue() {
    return queue;
  }

  /** A new member; partitions are handed over to it until all have about as many. */
  public synchronized Member join() {
    Member member = new Member(this, joined++, now());
    members.add(member);
    balance();
    return member;
  }

  private long now() {
    return queue.options().clock().millis();
  }

  synchronized void leave(Member member) {
    members.remove(member);
    for (int partition = 0; partition < owners.length; partition++) {
      if (owners[partition] == member) {
        owners[partition] = null;
      }
    }
    balance();
  }

  /**
   * A member shows that it is there; those that did not for too long lose their partitions.
   *
   * @return the partitions that the member has now
   */
  synchronized int[] seen(Member member) {
    long now = now();
    member.seenAt(now);
    List<Member> silent =
        members.stream().filter(m -> now - m.lastSeen() > silence.toMillis()).toList();
    silent.forEach(this::leave);
    if (!members.contains(member)) {
      members.add(member); // It was taken for dead, and comes back.
      balance();
    }
    int[] has = new int[owners.length];
    int count = 0;
    for (int partition = 0; partition < owners.length; partition++) {
      if (owners[partition] == member) {
        has[count++] = partition;
      }
    }
    return Arrays.copyOf(has, count);
  }

  /** Gives every partition an owner, moving as few as it can. */
  private void balance() {
    if (members.isEmpty()) {
      return;
    }
    int least = owners.length / members.size();
    int more = owners.length % members.size();
    int[] counts = new int[members.size()];
    int above = 0;
    for (int partition = 0; partition < owners.length; partition++) {
      int owner = members.indexOf(owners[partition]);
      boolean keeps = owner >= 0 && counts[owner] < least;
      if (owner >= 0 && !keeps && counts[owner] == least && above < more) {
        keeps = true;
        above++;
      }
      if (keeps) {
        counts[owner]++;
      } else {
        owners[partition] = null;
      }
    }
    for (int partition = 0; partition < owners.length; partition++) {
      if (owners[partition] == null) {
        int fewest = 0;
        for (int i = 1; i < counts.length; i++) {
          fewest = counts[i] < counts[fewest] ? i : fewest;
        }
        owners[partition] = members.get(fewest);
        counts[fewest]++;
        owners[partition].given(partition);
      }
    }
  }

  /** Where reading a partition begins. */
  synchronized long start(int partition) {
    if (committed[partition] >= 0) {
      return committed[partition];
    }
    Partition of = queue.partition(partition);
    if (!fromNewest) {
      return of.oldest();
    }
    // From here on this is where the group begins, whoever gets the partition.
    committed[partition] = of.end();
    return committed[partition];
  }

  /** Commits positions of a member; -1 where it read nothing. */
  synchronized void commit(Member member, long[] positions, int[] givenTimes) {
    java.util.TreeSet<Integer> lost = new java.util.TreeSet<>();
    long[] next = committed.clone();
    for (int partition = 0; partition < positions.length; partition++) {
      if (positions[partition] < 0) {
        continue;
      }
      boolean has =
          owners[partition] == member && member.timesGiven(partition) == givenTimes[partition];
      if (has) {
        next[partition] = Math.max(next[partition], positions[partition]);
      } else {
        lost.add(partition);
      }
    }
    if (!Arrays.equals(next, committed)) {
      file.write(next);
      System.arraycopy(next, 0, committed, 0, next.length);
    }
    if (!lost.isEmpty()) {
      throw new HandedOverException(name, lost);
    }
  }

  /** The committed positions; -1 where nothing was committed yet. */
  public synchronized long[] committed() {
    return committed.clone();
  }

  /** How far the group is behind, for each partition. */
  public synchronized List<Lag> lag() {
    queue.refresh();
    List<Lag> lags = new ArrayList<>();
    for (int partition = 0; partition < owners.length; partition++) {
      Partition of = queue.partition(partition);
      long from = committed[partition] < 0 ? of.oldest() : committed[partition];
      int owner = owners[partition] == null ? -1 : owners[partition].number();
      lags.add(new Lag(partition, Math.min(from, of.end()), of.end(), of.records(from), owner));
    }
    return lags;
  }

  /**
   * Commits other positions, also earlier ones: the group reads from there.
   *
   * @param positions one for each partition
   * @throws IllegalStateException if the group has members
   */
  public synchronized void reset(long... positions) {
    if (!members.isEmpty()) {
      throw new IllegalStateException(
          "group " + name + " has " + members.size() + " members: end them first");
    }
    if (positions.length != committed.length) {
      throw new IllegalArgumentException(
          positions.length + " positions for " + committed.length + " partitions");
    }
    file.write(positions);
    System.arraycopy(positions, 0, committed, 0, positions.length);
  }

  @Override
  public synchronized void close() {
    members.clear();
    Arrays.fill(owners, null);
    queue.closed(this);
    if (hold != null) {
      hold.close();
    }
  }
}

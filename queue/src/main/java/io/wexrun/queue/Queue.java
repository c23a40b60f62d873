package io.wexrun.queue;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.identity.Identity;
import io.wexrun.core.secret.Keys;
import io.wexrun.queue.disk.Disk;
import io.wexrun.queue.disk.RealDisk;
import io.wexrun.queue.log.Keep;
import io.wexrun.queue.log.Pack;
import io.wexrun.queue.log.PackHead;
import io.wexrun.queue.log.Partition;
import io.wexrun.queue.log.PartitionInfo;
import io.wexrun.queue.log.PositionsFile;
import io.wexrun.queue.log.QueueFile;
import io.wexrun.state.Hold;
import java.io.IOException;
import java.nio.file.Path;
import java.time.Duration;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalInt;
import java.util.UUID;
import java.util.concurrent.CopyOnWriteArrayList;
import java.util.concurrent.TimeUnit;
import java.util.function.Supplier;

/**
 * A durable, partitioned log of records in a folder. One process at a time writes; others may read
 * meanwhile. For several threads.
 *
 * <pre>{@code
 * try (Queue queue = Queue.open(folder, "gate-events", QueueOptions.partitions(4));
 *     Producer producer = queue.producer()) {
 *   producer.append("7F3A90C2".getBytes(UTF_8), "a line".getBytes(UTF_8));
 *   producer.flush();  // from here on the record survives the loss of power
 * }
 * }</pre>
 */
public final class Queue implements AutoCloseable {
  /** So many bytes of a pack mostly hold its head. */
  private static final long REFRESH = TimeUnit.MILLISECONDS.toNanos(20);

  private static final int PEEK = 1024;

  private static final long NOTE_SYNCED = Duration.ofSeconds(10).toNanos();

  private volatile long refreshed = System.nanoTime() - REFRESH - 1;
  private final List<Runnable> appends = new CopyOnWriteArrayList<>();
  private final String name;
  private final UUID id;
  private final QueueOptions options;
  private final boolean writable;
  private final Hold hold;
  private final List<Partition> partitions;
  private final Disk disk;
  private final Path folder;
  private final PositionsFile synced;
  private long syncedNotedAt = System.nanoTime();
  private final Map<String, Group> groups = new HashMap<>();
  private final Trimmer trimmer = new Trimmer(this);

  private Queue(
      Disk disk,
      Path folder,
      String name,
      UUID id,
      QueueOptions options,
      boolean writable,
      Hold hold,
      List<Partition> partitions,
      PositionsFile synced) {
    this.synced = synced;
    this.disk = disk;
    this.folder = folder;
    this.name = name;
    this.id = id;
    this.options = options;
    this.writable = writable;
    this.hold = hold;
    this.partitions = partitions;
  }

  /**
   * Opens a queue for reading and writing, making it if it is not there.
   *
   * @param folder the queue's own folder
   * @param name for messages
   * @throws OutsideException if another process writes to it (the message names it), or if records
   *     that were acknowledged are damaged
   */
  public static Queue open(Path folder, String name, QueueOptions options) {
    Disk disk = new RealDisk();
    try {
      disk.makeFolder(folder);
    } catch (IOException e) {
      throw cannotOpen(name, folder, e);
    }
    Hold hold = Hold.take(folder.resolve("lock"), "queue " + name);
    try {
      return open(disk, folder, name, options, true, hold);
    } catch (RuntimeException e) {
      hold.close();
      throw e;
    }
  }

  /**
   * Opens a queue only for reading, also while another process writes to it.
   *
   * @return empty if there is no queue in the folder
   */
  public static Optional<Queue> openToRead(Path folder, String name) {
    return openToRead(folder, name, Keys.NONE);
  }

  /** Like {@link #openToRead(Path, String)}, with keys for what is encrypted. */
  public static Optional<Queue> openToRead(Path folder, String name, Keys keys) {
    Disk disk = new RealDisk();
    try {
      if (!QueueFile.isThere(disk, folder)) {
        return Optional.empty();
      }
    } catch (IOException e) {
      throw cannotOpen(name, folder, e);
    }
    QueueOptions options =
        QueueOptions.partitions(1).secrecy(new QueueOptions.Secrecy(keys, Optional.empty()));
    return Optional.of(open(disk, folder, name, options, false, null));
  }

  /**
   * Opens a queue on any disk.
   *
   * @param hold what holds the queue for this process, closed with the queue; null for nothing
   * @throws OutsideException if the disk fails, or if records that were acknowledged are damaged
   */
  public static Queue open(
      Disk disk, Path folder, String name, QueueOptions options, boolean writable, Hold hold) {
    try {
      QueueFile.Description queue =
          QueueFile.of(disk, folder, name, options.partitions(), writable);
      int count = queue.partitions();
      PositionsFile synced = PositionsFile.ofSynced(disk, folder);
      long[] ends = synced.read(count);
      List<Partition> partitions = new ArrayList<>();
      for (int number = 0; number < count; number++) {
        partitions.add(
            new Partition(
                disk,
                folder.resolve("p" + number),
                "queue " + name + ", partition " + number,
                number,
                queue.id(),
                writable,
                options.segmentBytes(),
                options.clock(),
                ends[number],
                options.secrecy().keys(),
                options.secrecy().key()));
      }
      return new Queue(disk, folder, name, queue.id(), options, writable, hold, partitions, synced);
    } catch (IOException e) {
      throw cannotOpen(name, folder, e);
    }
  }

  public static OutsideException cannotOpen(String name, Path folder, IOException e) {
    return new OutsideException(
        "cannot open queue " + name + " in " + folder + ": " + e.getMessage(), e);
  }

  /** The name given on opening. */
  public String name() {
    return name;
  }

  /** How many partitions the queue in a folder has; empty if there is none that can be read. */
  public static OptionalInt partitionsIn(Path folder) {
    try {
      return QueueFile.read(new RealDisk(), folder)
          .map(queue -> OptionalInt.of(queue.partitions()))
          .orElse(OptionalInt.empty());
    } catch (IOException e) {
      throw new OutsideException("cannot read queue " + folder + ": " + e.getMessage(), e);
    }
  }

  /** Who the queue in a folder is; empty if there is none, or its description is damaged. */
  public static Optional<Identity> identityOf(Path folder) {
    try {
      return QueueFile.read(new RealDisk(), folder)
          .map(queue -> new Identity(queue.id().toString()));
    } catch (IOException e) {
      throw new OutsideException("cannot read queue " + folder + ": " + e.getMessage(), e);
    }
  }

  /** Who the queue is: it has it from its making, and one made anew has another. */
  public Identity identity() {
    return new Identity(id.toString());
  }

  /** How many partitions there are. */
  public int partitions() {
    return partitions.size();
  }

  /**
   * The log of a partition, for who appends and reads whole packs, as the ends of pipelines do.
   * Others use producers and readers.
   */
  public Partition partition(int number) {
    return partitions.get(number);
  }

  public QueueOptions options() {
    return options;
  }

  /** Whether this process may append. */
  public boolean writable() {
    return writable;
  }

  /** A producer for this queue; each has buffers of its own. */
  public Producer producer() {
    return producer("");
  }

  /**
   * A producer that is known by its name after a restart: records with numbers that the queue has
   * are not appended again. Only one of a name may append at a time.
   */
  public Producer producer(String producerName) {
    if (!writable) {
      throw new IllegalStateException("queue " + name + " was opened only to read");
    }
    if (producerName.startsWith(PackHead.PASSING) || producerName.length() > 200) {
      throw new IllegalArgumentException(
          "a producer's name has at most 200 characters and does not begin with "
              + PackHead.PASSING);
    }
    return new Producer(this, producerName, options.linger());
  }

  /**
   * A producer of what others wait for: nothing lingers, and what comes while a pack is written
   * goes into the next one.
   */
  public Producer receiver() {
    if (!writable) {
      throw new IllegalStateException("queue " + name + " was opened only to read");
    }
    return new Producer(this, "", Duration.ZERO);
  }

  /**
   * The marks of parcels that were appended at a time or later, in the order of each partition,
   * with when that was, in milliseconds.
   */
  public Map<String, Long> marks(long sinceMillis) {
    Map<String, Long> marks = new LinkedHashMap<>();
    for (Partition partition : partitions) {
      long position = partition.positionOfPackAt(sinceMillis);
      Optional<Partition.Peek> found = partition.peek(position, PEEK);
      while (found.isPresent()) {
        Partition.Peek peek = found.get();
        if (peek.data().length < Pack.HEADER + peek.pack().headLength()) {
          peek = partition.peek(position, Integer.MAX_VALUE).orElseThrow();
        }
        String mark = peek.pack().head(peek.data(), 0).headers().get(Parcel.MARK);
        if (mark != null) {
          marks.put(mark, peek.pack().lastTime());
        }
        position = peek.pack().end();
        found = partition.peek(position, PEEK);
      }
    }
    return marks;
  }

  /**
   * A group of consumers; its members are made by {@link Group#join}.
   *
   * @param groupName letters, digits, {@code -} and {@code _}
   * @throws OutsideException if another process has the group
   * @throws IllegalStateException if the group is open already
   */
  public synchronized Group group(String groupName) {
    if (!groupName.matches("[A-Za-z0-9][A-Za-z0-9_-]{0,99}")) {
      throw new IllegalArgumentException("'" + groupName + "' is not a name of a group");
    }
    if (groups.containsKey(groupName)) {
      throw new IllegalStateException("group " + groupName + " is open already");
    }
    Hold held = null;
    if (disk instanceof RealDisk) {
      try {
        disk.makeFolder(folder.resolve(PositionsFile.GROUPS));
      } catch (IOException e) {
        throw cannotOpen(name, folder, e);
      }
      Path lock = folder.resolve(PositionsFile.GROUPS).resolve(groupName + ".lock");
      held = Hold.take(lock, "group " + groupName);
    }
    Group group = new Group(this, groupName, PositionsFile.ofGroup(disk, folder, groupName), held);
    groups.put(groupName, group);
    return group;
  }

  /** The names of the groups that committed something. */
  public List<String> groups() {
    try {
      return PositionsFile.groups(disk, folder);
    } catch (IOException e) {
      throw cannotOpen(name, folder, e);
    }
  }

  /** The positions that a group committed, without being one of its members; -1 for none. */
  public long[] committed(String groupName) {
    return PositionsFile.ofGroup(disk, folder, groupName).read(partitions.size());
  }

  synchronized void closed(Group group) {
    groups.remove(group.name());
  }

  /**
   * Names readers that are no groups and that {@link Keep#untilEveryGroupHasRead} waits for too.
   *
   * @param positions what one of them still needs, from this position on, of each partition; asked
   *     whenever something may be removed, by the thread that removes it
   */
  public void alsoReadBy(Supplier<List<long[]>> positions) {
    trimmer.alsoReadBy(positions);
  }

  /**
   * What the queue keeps only until it was read stays for some time longer, so that its {@linkplain
   * #marks marks} are known again. Of several times the longest counts.
   */
  public void remember(Duration time) {
    trimmer.remember(time);
  }

  Partition[] allPartitions() {
    return partitions.toArray(Partition[]::new);
  }

  /** A reader of all partitions from their oldest records. */
  public Reader readFromOldest() {
    return new Reader(this, partitions.stream().mapToLong(Partition::oldest).toArray());
  }

  /** A reader of what is appended from now on. */
  public Reader readFromNewest() {
    refresh();
    return new Reader(this, partitions.stream().mapToLong(Partition::end).toArray());
  }

  /** A reader of the records that were appended at a time or later. */
  public Reader readFrom(java.time.Instant time) {
    refresh();
    long[] positions =
        partitions.stream().mapToLong(p -> p.positionOfPackAt(time.toEpochMilli())).toArray();
    return new Reader(this, positions).after(time.toEpochMilli());
  }

  /**
   * A reader that starts at a position of each partition.
   *
   * @param positions as many as there are partitions
   */
  public Reader readFrom(long... positions) {
    if (positions.length != partitions.size()) {
      throw new IllegalArgumentException(
          positions.length + " positions for " + partitions.size() + " partitions");
    }
    return new Reader(this, positions.clone());
  }

  /** A reader of one partition alone. */
  Reader readOnly(int partition, long position) {
    long[] positions = new long[partitions.size()];
    Arrays.fill(positions, Long.MAX_VALUE);
    positions[partition] = position;
    return new Reader(this, positions);
  }

  /**
   * How many records a partition has from a position on, as of the last {@link #describe} where
   * another process appends.
   */
  public long recordsFrom(int partition, long position) {
    return partitions.get(partition).records(position);
  }

  /** Figures of every partition. */
  public List<PartitionInfo> describe() {
    refresh();
    return partitions.stream().map(Partition::info).toList();
  }

  /** Sees what another process has appended, if this one only reads. */
  public void refresh() {
    if (!writable) {
      partitions.forEach(Partition::refresh);
      refreshed = System.nanoTime();
    }
  }

  /**
   * Like {@link #refresh()}, unless that was done some milliseconds ago: of a thousand partitions
   * it takes as long as to read them.
   *
   * @return whether what is known is of this moment
   */
  public boolean refreshNowAndThen() {
    boolean due = writable || System.nanoTime() - refreshed > REFRESH;
    if (due) {
      refresh();
    }
    return due;
  }

  /** Like {@link #refresh()}, of one partition. */
  public void refresh(int partition) {
    if (!writable) {
      partitions.get(partition).refresh();
    }
  }

  /** Makes durable and readable what was appended, and wakes readers. */
  public void sync() {
    partitions.forEach(Partition::sync);
    if (System.nanoTime() - syncedNotedAt > NOTE_SYNCED) {
      noteSynced();
    }
    wakeReaders();
  }

  /**
   * Writes down up to where the partitions are synced. The packs tell it too, but each one only of
   * those before it: without this, damage to the last ones would look like a tear.
   */
  private synchronized void noteSynced() {
    synced.write(partitions.stream().mapToLong(Partition::durable).toArray());
    syncedNotedAt = System.nanoTime();
  }

  /** Wakes readers, and removes what is not kept any more. */
  public void appended() {
    wakeReaders();
    trimmer.appended(options.keep());
  }

  /**
   * Removes what the queue's {@link Keep} does not keep any more: whole files, never the one that
   * is written to.
   *
   * @return how many records were removed
   */
  public long trim() {
    return trim(options.keep());
  }

  /** Like {@link #trim()}, with other limits than the queue's own. */
  public long trim(Keep keep) {
    if (!writable) {
      throw new IllegalStateException("queue " + name + " was opened only to read");
    }
    return trimmer.trim(keep);
  }

  /**
   * Removes whole files whose records all stand before a position of a partition.
   *
   * @return how many records were removed
   */
  public long removeBefore(int partition, long position) {
    if (!writable) {
      throw new IllegalStateException("queue " + name + " was opened only to read");
    }
    return partitions.get(partition).removeBefore(position);
  }

  private void wakeReaders() {
    synchronized (this) {
      notifyAll();
    }
    appends.forEach(Runnable::run);
  }

  /**
   * Says who is called, soon and from any thread, when this process has appended something.
   *
   * @return takes it back
   */
  public Runnable whenAppended(Runnable come) {
    Runnable mine = come::run; // One that is equal to no other.
    appends.add(mine);
    return () -> appends.remove(mine);
  }

  /** Waits until something may have been appended, at most so long. */
  public void awaitAppend(long millis) {
    try {
      if (writable) {
        synchronized (this) {
          wait(Math.max(1, millis));
        }
      } else {
        Thread.sleep(Math.max(1, Math.min(millis, 20)));
      }
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    }
  }

  @Override
  public void close() {
    try {
      if (writable) {
        noteSynced();
      }
    } finally {
      closeFiles();
    }
  }

  private void closeFiles() {
    partitions.forEach(Partition::close);
    if (hold != null) {
      hold.close();
    }
  }
}

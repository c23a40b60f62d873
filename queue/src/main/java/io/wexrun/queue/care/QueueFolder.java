package io.wexrun.queue.care;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.queue.Queue;
import io.wexrun.queue.disk.Disk;
import io.wexrun.queue.disk.RealDisk;
import io.wexrun.queue.log.QueueFile;
import io.wexrun.state.Hold;
import java.io.IOException;
import java.nio.file.Path;
import java.util.Collection;
import java.util.List;
import java.util.Optional;

/** Looks after the folder of a queue that need not be one that can be opened. */
public final class QueueFolder {
  private static final Disk DISK = new RealDisk();

  private QueueFolder() {}

  /**
   * Reads every byte of a queue: magics, versions, lengths, checksums, positions without gaps, and
   * the indexes against what they tell of. Changes nothing; better done while nobody appends.
   *
   * @return empty if there is no queue in the folder
   */
  public static Optional<Verification> verify(Path folder) {
    try {
      boolean there = QueueFile.isThere(DISK, folder);
      return there ? Optional.of(new Verifier(DISK, folder).verify()) : Optional.empty();
    } catch (IOException e) {
      throw Queue.cannotOpen(String.valueOf(folder.getFileName()), folder, e);
    }
  }

  /**
   * Makes a damaged queue one that can be opened: what stands in whole packs keeps its positions,
   * the rest is set aside in files of the queue's folder, and the positions in between are lost.
   * Where only an unfinished end is torn there is nothing to repair. Nobody may read meanwhile.
   *
   * @param passed of readers that are no groups, the positions of the partitions that they have
   *     gone on from, which must not be given to other records
   * @param dry whether to change nothing and only say what would be done
   * @return empty if there is no queue in the folder
   * @throws OutsideException if another process writes to the queue, or the disk fails; then
   *     repairing again goes on
   */
  public static Optional<Repair> repair(
      Path folder, String name, Collection<long[]> passed, boolean dry) {
    Optional<Verification> found = verify(folder);
    if (found.isEmpty() || found.get().whole()) {
      return found.map(whole -> new Repair(!dry, whole.records(), 0, List.of()));
    }
    Hold hold = dry ? null : Hold.take(folder.resolve("lock"), "queue " + name);
    try {
      Repairer repairer = new Repairer(DISK, folder, System.currentTimeMillis(), dry);
      return Optional.of(repairer.repair(passed));
    } catch (IOException e) {
      throw new OutsideException("cannot repair queue " + name + ": " + e.getMessage(), e);
    } finally {
      if (hold != null) {
        hold.close();
      }
    }
  }
}

package io.wexrun.files.content;

import static java.nio.file.StandardWatchEventKinds.ENTRY_MODIFY;

import java.io.Closeable;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.WatchEvent;
import java.util.Collection;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Optional;
import java.util.Set;

/**
 * Watches folders by the events of the system, where those tell everything. They do not on network
 * folders, where others write without this system's knowledge. For one thread, and that of the
 * events.
 */
final class Watching implements Closeable {
  /** Beginnings of the names of file systems on which others may write unseen. */
  private static final List<String> UNSEEN =
      List.of(
          "nfs",
          "cifs",
          "smb",
          "fuse",
          "9p",
          "ceph",
          "gluster",
          "lustre",
          "afs",
          "virtiofs",
          "vboxsf");

  private final SystemEvents events;
  private volatile Runnable told = () -> {};
  private final Set<Path> watched = new LinkedHashSet<>();
  private Set<Path> written = new LinkedHashSet<>();
  private Set<Path> others = new LinkedHashSet<>();
  private boolean unknown;
  private long happened;
  private long rested;

  /**
   * What has happened since it was asked before.
   *
   * @param written files that were written to
   * @param others what came or went
   * @param unknown whether it is not known what else happened
   */
  record News(Set<Path> written, Set<Path> others, boolean unknown) {}

  private Watching(SystemEvents events) {
    this.events = events;
  }

  /** Watches nothing yet; empty if the system has no events. */
  static Optional<Watching> begin() {
    return SystemEvents.get().map(Watching::new);
  }

  /**
   * Watches folders, too.
   *
   * @return why not all of them can be watched; empty if they can
   */
  Optional<String> watch(Collection<Path> more) {
    for (Path folder : more) {
      if (isWatched(folder)) {
        continue;
      }
      try {
        String system = Files.getFileStore(folder).type();
        if (UNSEEN.stream().anyMatch(system::startsWith)) {
          return Optional.of(folder + " is on a file system (" + system + ") that has no events");
        }
        synchronized (this) {
          watched.add(folder); // Before the first event can come that says it is gone.
        }
        events.watch(folder.toRealPath(), folder, this);
      } catch (IOException e) {
        synchronized (this) {
          watched.remove(folder);
        }
        if (Files.isDirectory(folder)) {
          return Optional.of("the system gives no events of " + folder + ": " + e.getMessage());
        }
      }
    }
    return Optional.empty();
  }

  private synchronized boolean isWatched(Path folder) {
    return watched.contains(folder);
  }

  /** Something has happened in a folder. From the thread of the events. */
  void happened(Path folder, List<WatchEvent<?>> all, boolean valid) {
    note(folder, all, valid);
    told.run();
  }

  /** Says who is called when something has happened. */
  void listen(Runnable come) {
    told = come;
  }

  private synchronized void note(Path folder, List<WatchEvent<?>> all, boolean valid) {
    for (WatchEvent<?> event : all) {
      if (!(event.context() instanceof Path name)) {
        unknown = true;
      } else if (event.kind() == ENTRY_MODIFY) {
        written.add(folder.resolve(name));
      } else {
        others.add(folder.resolve(name));
      }
    }
    if (!valid) {
      watched.remove(folder); // It is gone; another one may come in its place.
      unknown = true;
    }
    happened++;
    notifyAll();
  }

  /** What has happened; does not wait. */
  synchronized News news() {
    News news = new News(written, others, unknown);
    written = new LinkedHashSet<>();
    others = new LinkedHashSet<>();
    unknown = false;
    return news;
  }

  /**
   * Waits until something has happened that has not ended such a wait before.
   *
   * @return whether it has; not, if it took too long
   */
  synchronized boolean await(long millis) throws InterruptedException {
    long until = System.nanoTime() + millis * 1_000_000;
    while (rested == happened) {
      long left = (until - System.nanoTime()) / 1_000_000;
      if (left <= 0) {
        return false;
      }
      wait(left);
    }
    rested = happened;
    return true;
  }

  @Override
  public void close() {
    events.leave(this);
  }
}

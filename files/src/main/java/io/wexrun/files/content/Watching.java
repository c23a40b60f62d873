package io.wexrun.files.content;

import static java.nio.file.StandardWatchEventKinds.ENTRY_CREATE;
import static java.nio.file.StandardWatchEventKinds.ENTRY_DELETE;
import static java.nio.file.StandardWatchEventKinds.ENTRY_MODIFY;

import java.io.Closeable;
import java.io.IOException;
import java.nio.file.FileSystems;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.WatchEvent;
import java.nio.file.WatchKey;
import java.nio.file.WatchService;
import java.util.Collection;
import java.util.HashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;

/**
 * Watches folders by the events of the system, where those tell everything. They do not on network
 * folders, where others write without this system's knowledge. For one thread.
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

  private final WatchService service;
  private final Map<WatchKey, Path> folders = new HashMap<>();
  private final Set<Path> watched = new LinkedHashSet<>();

  /**
   * What has happened since it was asked before.
   *
   * @param written files that were written to
   * @param others what came or went
   * @param unknown whether it is not known what else happened
   */
  record News(Set<Path> written, Set<Path> others, boolean unknown) {}

  private Watching(WatchService service) {
    this.service = service;
  }

  /** Watches nothing yet; empty if the system has no events. */
  static Optional<Watching> begin() {
    try {
      return Optional.of(new Watching(FileSystems.getDefault().newWatchService()));
    } catch (IOException | UnsupportedOperationException e) {
      return Optional.empty();
    }
  }

  /**
   * Watches folders, too.
   *
   * @return why not all of them can be watched; empty if they can
   */
  Optional<String> watch(Collection<Path> more) {
    for (Path folder : more) {
      if (watched.contains(folder)) {
        continue;
      }
      try {
        String system = Files.getFileStore(folder).type();
        if (UNSEEN.stream().anyMatch(system::startsWith)) {
          return Optional.of(folder + " is on a file system (" + system + ") that has no events");
        }
        WatchKey key =
            folder.toRealPath().register(service, ENTRY_CREATE, ENTRY_DELETE, ENTRY_MODIFY);
        folders.put(key, folder);
        watched.add(folder);
      } catch (IOException e) {
        if (Files.isDirectory(folder)) {
          return Optional.of("the system gives no events of " + folder + ": " + e.getMessage());
        }
      }
    }
    return Optional.empty();
  }

  /** What has happened; does not wait. */
  News news() {
    Set<Path> written = new LinkedHashSet<>();
    Set<Path> others = new LinkedHashSet<>();
    boolean unknown = false;
    for (WatchKey key = service.poll(); key != null; key = service.poll()) {
      Path folder = folders.get(key);
      for (WatchEvent<?> event : key.pollEvents()) {
        if (!(event.context() instanceof Path name)) {
          unknown = true;
        } else if (event.kind() == ENTRY_MODIFY) {
          written.add(folder.resolve(name));
        } else {
          others.add(folder.resolve(name));
        }
      }
      if (!key.reset()) {
        watched.remove(folder); // The folder is gone; another one may come in its place.
        folders.remove(key);
        unknown = true;
      }
    }
    return new News(written, others, unknown);
  }

  @Override
  public void close() throws IOException {
    service.close();
  }
}

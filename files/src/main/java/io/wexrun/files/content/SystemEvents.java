package io.wexrun.files.content;

import static java.nio.file.StandardWatchEventKinds.ENTRY_CREATE;
import static java.nio.file.StandardWatchEventKinds.ENTRY_DELETE;
import static java.nio.file.StandardWatchEventKinds.ENTRY_MODIFY;

import java.io.IOException;
import java.nio.file.ClosedWatchServiceException;
import java.nio.file.FileSystems;
import java.nio.file.Path;
import java.nio.file.WatchEvent;
import java.nio.file.WatchKey;
import java.nio.file.WatchService;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/**
 * The events of the system for all who watch folders in this process: systems give a user few such
 * services, and each has a thread. For several threads.
 */
final class SystemEvents {
  private static SystemEvents shared;

  private final WatchService service;
  private final Map<WatchKey, Map<Watching, Path>> watchers = new HashMap<>();

  private SystemEvents(WatchService service) {
    this.service = service;
    Thread thread = new Thread(this::pass, "wexrun-file-events");
    thread.setDaemon(true);
    thread.start();
  }

  /** The events of this process; empty if the system has none. */
  static synchronized Optional<SystemEvents> get() {
    if (shared == null) {
      try {
        shared = new SystemEvents(FileSystems.getDefault().newWatchService());
      } catch (IOException | UnsupportedOperationException e) {
        return Optional.empty();
      }
    }
    return Optional.of(shared);
  }

  /**
   * Tells one who watches of a folder's events from now on.
   *
   * @param real the folder as the system knows it
   * @param named the same, as the watcher names it
   */
  synchronized void watch(Path real, Path named, Watching watcher) throws IOException {
    WatchKey key = real.register(service, ENTRY_CREATE, ENTRY_DELETE, ENTRY_MODIFY);
    watchers.computeIfAbsent(key, k -> new LinkedHashMap<>()).put(watcher, named);
  }

  /** Tells one who watches nothing more. */
  synchronized void leave(Watching watcher) {
    watchers
        .entrySet()
        .removeIf(
            each -> {
              each.getValue().remove(watcher);
              if (each.getValue().isEmpty()) {
                each.getKey().cancel();
              }
              return each.getValue().isEmpty();
            });
  }

  private void pass() {
    try {
      while (true) {
        WatchKey key = service.take();
        synchronized (this) {
          List<WatchEvent<?>> events = key.pollEvents();
          boolean valid = key.reset();
          Map<Watching, Path> told = watchers.getOrDefault(key, Map.of());
          told.forEach((watcher, folder) -> watcher.happened(folder, events, valid));
          if (!valid) {
            watchers.remove(key); // The folder is gone; another one may come in its place.
          }
        }
      }
    } catch (InterruptedException | ClosedWatchServiceException e) {
      Thread.currentThread().interrupt(); // Nobody does either.
    }
  }
}

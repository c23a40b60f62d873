package io.wexrun.project;

import java.io.IOException;
import java.nio.file.DirectoryStream;
import java.nio.file.Files;
import java.nio.file.NoSuchFileException;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.concurrent.CountDownLatch;
import java.util.concurrent.TimeUnit;

/**
 * Looks whether the files of a workspace were changed while its pipelines run, about once a second.
 * What is still being written is waited for: it counts once it is the same at two looks.
 */
final class Reloading implements AutoCloseable {
  private static final long LOOK_MILLIS = 700;

  private final Path folder;
  private final Runnable changed;
  private final Thread thread;
  private final CountDownLatch over = new CountDownLatch(1);
  private String taken;

  /**
   * Begins to look.
   *
   * @param file the workspace's
   * @param changed is called when something was changed, on a thread of its own
   */
  Reloading(Path folder, String file, Runnable changed) {
    this.folder = folder;
    this.changed = changed;
    this.taken = stamps(file);
    this.thread = new Thread(() -> look(file), "wexrun-reload");
    thread.setDaemon(true);
    thread.start();
  }

  private void look(String file) {
    String last = taken;
    try {
      while (!over.await(LOOK_MILLIS, TimeUnit.MILLISECONDS)) {
        String now = stamps(file);
        if (!now.equals(taken) && now.equals(last)) {
          taken = now;
          changed.run();
        }
        last = now;
      }
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    }
  }

  /** When the files were changed last, and how long they are. */
  private String stamps(String file) {
    List<String> stamps = new ArrayList<>();
    stamps.add(stamp(folder.resolve(file)));
    try (DirectoryStream<Path> files =
        Files.newDirectoryStream(folder.resolve("pipelines"), "*.{yaml,yml}")) {
      files.forEach(each -> stamps.add(stamp(each)));
    } catch (NoSuchFileException e) {
      stamps.add("no pipelines");
    } catch (IOException e) {
      stamps.add(String.valueOf(e.getMessage()));
    }
    stamps.sort(null);
    return String.join(" ", stamps);
  }

  private static String stamp(Path file) {
    try {
      return file + ":" + Files.getLastModifiedTime(file).toMillis() + ":" + Files.size(file);
    } catch (IOException e) {
      return file + ":gone";
    }
  }

  /** Looks no more; waits for a change that is being made. */
  @Override
  public void close() {
    over.countDown();
    try {
      thread.join();
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    }
  }
}

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
import java.util.concurrent.locks.ReentrantLock;
import java.util.function.BooleanSupplier;

/**
 * Looks whether the files of a workspace were changed while its pipelines run, about once a second.
 * What is still being written is waited for: it counts once it is the same at two looks.
 */
final class Reloading implements AutoCloseable {
  private static final long LOOK_MILLIS = 700;
  private static final long AGAIN_NANOS = 5_000_000_000L;

  private final Path folder;
  private final String file;
  private final BooleanSupplier changed;
  private final Thread thread;
  private final CountDownLatch over = new CountDownLatch(1);
  private final ReentrantLock taking = new ReentrantLock();
  private String taken;
  private boolean waiting;
  private long tried;

  /**
   * Begins to look.
   *
   * @param file the workspace's
   * @param changed is called when something was changed; returns whether the change waits for
   *     something else, and is to be tried again after a while
   */
  Reloading(Path folder, String file, BooleanSupplier changed) {
    this.folder = folder;
    this.file = file;
    this.changed = changed;
    this.taken = stamps(file);
    this.thread = new Thread(this::look, "wexrun-reload");
    thread.setDaemon(true);
    thread.start();
  }

  private void look() {
    String last = taken;
    try {
      while (!over.await(LOOK_MILLIS, TimeUnit.MILLISECONDS)) {
        String now = stamps(file);
        if (now.equals(last)) {
          take(now, false);
        }
        last = now;
      }
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    }
  }

  private void take(String now, boolean atOnce) {
    if (!taking.tryLock()) {
      return; // Another thread is at it.
    }
    try {
      boolean again = waiting && (atOnce || System.nanoTime() - tried > AGAIN_NANOS);
      if (!now.equals(taken) || again) {
        taken = now;
        waiting = changed.getAsBoolean();
        tried = System.nanoTime();
      }
    } finally {
      taking.unlock();
    }
  }

  /**
   * Looks at once, on this thread, also whether what a change waits for is there now; unless it is
   * just being looked.
   */
  void now() {
    take(stamps(file), true);
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

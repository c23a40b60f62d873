package io.wexrun.state;

import io.wexrun.core.diagnose.OutsideException;
import java.io.IOException;
import java.nio.channels.FileChannel;
import java.nio.channels.FileLock;
import java.nio.channels.OverlappingFileLockException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.time.Instant;
import java.time.temporal.ChronoUnit;

/**
 * Holds something for this process by a lock on a file, which says who holds it. The operating
 * system lets go of it when the process ends, however it ends.
 */
public final class Hold implements AutoCloseable {
  /** The system property by which a program names itself to those who find something held. */
  public static final String COMMAND_PROPERTY = "wexrun.command";

  private static final int TRIES = 10;

  private final FileChannel channel;
  private final FileLock lock;

  private Hold(FileChannel channel, FileLock lock) {
    this.channel = channel;
    this.lock = lock;
  }

  /**
   * Takes hold.
   *
   * @param file the lock file; made if it is not there, and left there
   * @param what what is held, for the message: {@code queue gate-events}
   * @throws HeldException if somebody else holds it
   * @throws OutsideException if the file cannot be locked
   */
  public static Hold take(Path file, String what) {
    FileChannel channel = null;
    try {
      channel =
          FileChannel.open(
              file, StandardOpenOption.CREATE, StandardOpenOption.READ, StandardOpenOption.WRITE);
      FileLock lock = tryLock(channel);
      if (lock == null) {
        channel.close();
        String holder = Files.readString(file, StandardCharsets.UTF_8).strip();
        throw new HeldException(
            what
                + " is held by "
                + (holder.isEmpty() ? "another process" : holder)
                + "; stop that one, or wait until it ends (lock file "
                + file
                + ")");
      }
      channel.truncate(0);
      channel.write(StandardCharsets.UTF_8.encode(me() + "\n"));
      return new Hold(channel, lock);
    } catch (IOException e) {
      closeQuietly(channel);
      throw new OutsideException(what + " cannot be locked: " + e.getMessage(), e);
    }
  }

  private static void closeQuietly(FileChannel channel) {
    if (channel != null) {
      try {
        channel.close();
      } catch (IOException ignored) {
        // The failure that led here is the one to tell.
      }
    }
  }

  /** Tries for a moment, since somebody may only be looking. */
  private static FileLock tryLock(FileChannel channel) throws IOException {
    for (int tries = 0; ; tries++) {
      FileLock lock = null;
      try {
        lock = channel.tryLock();
      } catch (OverlappingFileLockException e) {
        return null;
      }
      if (lock != null || tries == TRIES) {
        return lock;
      }
      try {
        Thread.sleep(20);
      } catch (InterruptedException e) {
        Thread.currentThread().interrupt();
        return null;
      }
    }
  }

  /**
   * Whether somebody holds a file, this process included.
   *
   * @throws OutsideException if that cannot be found out
   */
  public static boolean isHeld(Path file) {
    if (!Files.exists(file)) {
      return false;
    }
    try (FileChannel channel = FileChannel.open(file, StandardOpenOption.READ);
        FileLock shared = channel.tryLock(0, Long.MAX_VALUE, true)) {
      return shared == null;
    } catch (OverlappingFileLockException e) {
      return true;
    } catch (IOException e) {
      throw new OutsideException("cannot look at lock " + file + ": " + e.getMessage(), e);
    }
  }

  private static String me() {
    String command = System.getProperty(COMMAND_PROPERTY, "a Java program");
    return "process "
        + ProcessHandle.current().pid()
        + " ("
        + command
        + "), since "
        + Instant.now().truncatedTo(ChronoUnit.SECONDS);
  }

  @Override
  public void close() {
    try {
      lock.release();
      channel.close();
    } catch (IOException e) {
      throw new OutsideException("a lock cannot be released: " + e.getMessage(), e);
    }
  }
}

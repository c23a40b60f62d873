package io.wexrun.queue.disk;

import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.file.NoSuchFileException;
import java.nio.file.Path;
import java.util.Arrays;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.SplittableRandom;
import java.util.TreeSet;

/**
 * A disk in memory that can lose power and run full. What was synced survives; of what was not, any
 * part may: a file may keep its old length, gain garbage, or have only some of its blocks written.
 */
public final class MemoryDisk implements Disk {
  private static final int BLOCK = 16;

  private static final class Content {
    private byte[] now = {};
    private byte[] synced = {};
    private boolean nameSynced;
  }

  private final Map<Path, Content> files = new HashMap<>();
  private final TreeSet<Path> folders = new TreeSet<>();
  private long writesUntilFailure = Long.MAX_VALUE;
  private long bytesLeft = Long.MAX_VALUE;
  private SplittableRandom hiccups = new SplittableRandom(0);
  private double shareOfHiccups;
  private Error nextError;

  /** After so many more writes, syncs or cuts every one fails, as if the machine had died. */
  public void dieAfter(long operations) {
    writesUntilFailure = operations;
  }

  /** Only so many more bytes fit. */
  public void fullAfter(long bytes) {
    bytesLeft = bytes;
  }

  /** A share of all operations fails, and would succeed if it were tried again. */
  public synchronized void flaky(SplittableRandom dice, double share) {
    hiccups = dice;
    shareOfHiccups = share;
  }

  /** The next operation ends with an error of the machine, as when memory is exhausted. */
  public synchronized void errorNext(Error error) {
    nextError = error;
  }

  private synchronized void operate() throws IOException {
    if (nextError != null) {
      throw nextError;
    }
    if (shareOfHiccups > 0 && hiccups.nextDouble() < shareOfHiccups) {
      throw new IOException("the disk hiccups");
    }
    if (writesUntilFailure-- <= 0) {
      throw new IOException("the power is gone");
    }
  }

  /** The disk as it may be found after the power came back. */
  public MemoryDisk afterPowerLoss(SplittableRandom dice) {
    MemoryDisk found = new MemoryDisk();
    found.folders.addAll(folders);
    files.forEach(
        (path, content) -> {
          if (!content.nameSynced && dice.nextBoolean()) {
            return;
          }
          Content kept = new Content();
          kept.nameSynced = true;
          kept.now = torn(content, dice);
          kept.synced = kept.now;
          found.files.put(path, kept);
        });
    return found;
  }

  private static byte[] torn(Content content, SplittableRandom dice) {
    int shorter = Math.min(content.now.length, content.synced.length);
    int longer = Math.max(content.now.length, content.synced.length);
    int length = shorter == longer ? longer : dice.nextInt(shorter, longer + 1);
    byte[] torn = new byte[length];
    for (int at = 0; at < length; at += BLOCK) {
      byte[] from = dice.nextBoolean() ? content.now : content.synced;
      for (int i = at; i < Math.min(length, at + BLOCK); i++) {
        boolean same =
            i < content.synced.length
                && i < content.now.length
                && content.now[i] == content.synced[i];
        torn[i] = same ? content.now[i] : i < from.length ? from[i] : 0;
      }
    }
    return torn;
  }

  /** Changes one byte, as a bad sector does. */
  public void damage(Path file, int place) {
    byte[] bytes = bytes(file);
    bytes[place] ^= 0x40;
    put(file, bytes);
  }

  /** The bytes of a file now. */
  public byte[] bytes(Path file) {
    return files.get(file).now.clone();
  }

  /** Puts a file there as if it had always been. */
  public void put(Path file, byte[] bytes) {
    Content content = new Content();
    content.now = bytes.clone();
    content.synced = content.now;
    content.nameSynced = true;
    files.put(file, content);
  }

  @Override
  public synchronized List<String> list(Path folder) {
    TreeSet<String> names = new TreeSet<>();
    files.keySet().stream()
        .filter(f -> folder.equals(f.getParent()))
        .forEach(f -> names.add(f.getFileName().toString()));
    folders.stream()
        .filter(f -> folder.equals(f.getParent()))
        .forEach(f -> names.add(f.getFileName().toString()));
    return List.copyOf(names);
  }

  @Override
  public synchronized void makeFolder(Path folder) {
    folders.add(folder);
  }

  @Override
  public synchronized DiskFile open(Path file, boolean writable) throws IOException {
    if (!files.containsKey(file)) {
      throw new NoSuchFileException(file.toString());
    }
    return new MemoryFile(files.get(file));
  }

  @Override
  public synchronized DiskFile create(Path file) throws IOException {
    operate();
    Content content = new Content();
    files.put(file, content);
    return new MemoryFile(content);
  }

  @Override
  public synchronized void rename(Path file, Path other) throws IOException {
    operate();
    files.put(other, files.remove(file));
  }

  @Override
  public synchronized void delete(Path file) throws IOException {
    operate();
    files.remove(file);
  }

  private final class MemoryFile implements DiskFile {
    private final Content content;

    MemoryFile(Content content) {
      this.content = content;
    }

    @Override
    public long size() {
      return content.now.length;
    }

    @Override
    public int read(long position, ByteBuffer into) {
      int n = (int) Math.max(0, Math.min(into.remaining(), content.now.length - position));
      into.put(content.now, (int) position, n);
      return n;
    }

    @Override
    public void write(long position, ByteBuffer from) throws IOException {
      operate();
      int fits = (int) Math.min(from.remaining(), bytesLeft);
      boolean whole = fits == from.remaining();
      int end = (int) position + fits;
      content.now = Arrays.copyOf(content.now, Math.max(content.now.length, end));
      from.get(content.now, (int) position, fits);
      bytesLeft -= fits;
      if (!whole) {
        throw new IOException("No space left on device");
      }
    }

    @Override
    public void truncate(long size) throws IOException {
      operate();
      content.now = Arrays.copyOf(content.now, (int) Math.min(size, content.now.length));
    }

    @Override
    public void sync() throws IOException {
      operate();
      content.synced = content.now.clone();
      content.nameSynced = true;
    }

    @Override
    public void close() {
      // Nothing to give back.
    }
  }
}

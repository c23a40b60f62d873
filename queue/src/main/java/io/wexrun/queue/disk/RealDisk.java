package io.wexrun.queue.disk;

import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.channels.FileChannel;
import java.nio.file.FileAlreadyExistsException;
import java.nio.file.Files;
import java.nio.file.NoSuchFileException;
import java.nio.file.NotDirectoryException;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.nio.file.StandardOpenOption;
import java.util.List;
import java.util.stream.Stream;

/** The machine's file system. */
public final class RealDisk implements Disk {
  @Override
  public List<String> list(Path folder) throws IOException {
    try (Stream<Path> entries = Files.list(folder)) {
      return entries.map(e -> e.getFileName().toString()).sorted().toList();
    } catch (NoSuchFileException | NotDirectoryException e) {
      return List.of();
    }
  }

  @Override
  public void makeFolder(Path folder) throws IOException {
    if (Files.isDirectory(folder)) {
      return;
    }
    Path parent = folder.toAbsolutePath().getParent();
    makeFolder(parent);
    try {
      Files.createDirectory(folder);
    } catch (FileAlreadyExistsException e) {
      if (!Files.isDirectory(folder)) {
        throw e;
      } // Another one has made it meanwhile.
    }
    syncFolder(parent);
  }

  @Override
  public DiskFile open(Path file, boolean writable) throws IOException {
    FileChannel channel =
        writable
            ? FileChannel.open(file, StandardOpenOption.READ, StandardOpenOption.WRITE)
            : FileChannel.open(file, StandardOpenOption.READ);
    return new RealFile(channel);
  }

  @Override
  public DiskFile create(Path file) throws IOException {
    FileChannel channel =
        FileChannel.open(
            file, StandardOpenOption.CREATE_NEW, StandardOpenOption.READ, StandardOpenOption.WRITE);
    syncFolder(file.toAbsolutePath().getParent());
    return new RealFile(channel);
  }

  @Override
  public void rename(Path file, Path other) throws IOException {
    Files.move(file, other, StandardCopyOption.ATOMIC_MOVE, StandardCopyOption.REPLACE_EXISTING);
    syncFolder(other.toAbsolutePath().getParent());
  }

  @Override
  public void delete(Path file) throws IOException {
    Files.delete(file);
  }

  /** On systems where a folder cannot be opened, its entries are durable without this. */
  private static void syncFolder(Path folder) throws IOException {
    if (System.getProperty("os.name").startsWith("Windows")) {
      return;
    }
    try (FileChannel channel = FileChannel.open(folder, StandardOpenOption.READ)) {
      channel.force(true);
    }
  }

  private record RealFile(FileChannel channel) implements DiskFile {
    @Override
    public long size() throws IOException {
      return channel.size();
    }

    @Override
    public int read(long position, ByteBuffer into) throws IOException {
      int start = into.position();
      while (into.hasRemaining()) {
        int n = channel.read(into, position + into.position() - start);
        if (n < 0) {
          break;
        }
      }
      return into.position() - start;
    }

    @Override
    public void write(long position, ByteBuffer from) throws IOException {
      int start = from.position();
      while (from.hasRemaining()) {
        channel.write(from, position + from.position() - start);
      }
    }

    @Override
    public void truncate(long size) throws IOException {
      channel.truncate(size);
    }

    @Override
    public void sync() throws IOException {
      channel.force(false);
    }

    @Override
    public void close() throws IOException {
      channel.close();
    }
  }
}

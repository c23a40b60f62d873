package io.wexrun.project.open;

import io.wexrun.core.connect.ReferenceReader;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.reference.ReferenceTable;
import io.wexrun.core.reference.References;
import java.io.ByteArrayInputStream;
import java.io.IOException;
import java.io.InputStream;
import java.io.OutputStream;
import java.nio.channels.FileChannel;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.nio.file.StandardOpenOption;
import java.nio.file.attribute.FileTime;
import java.security.DigestInputStream;
import java.security.MessageDigest;
import java.security.NoSuchAlgorithmException;
import java.time.Instant;
import java.util.HashMap;
import java.util.HexFormat;
import java.util.Map;
import java.util.SortedMap;
import java.util.TreeMap;
import java.util.function.Supplier;

/**
 * What one pipeline looks up, as it is at one moment: whatever is written to the files and tables
 * later, the same is found. Versions are digests of their content, and can be kept, so that a range
 * that was begun with them is finished with them. For several threads.
 */
public final class Snapshot implements References {
  private static final int DIGEST_BYTES = 16;
  private static final String TABLE = "table ";

  /** A file that is looked up in. */
  private record Used(Path path, String version, String stamp) {}

  private final WorkspaceReferences references;
  private final Map<String, String> wanted;
  private final Map<String, Used> used = new TreeMap<>();
  private final Map<String, ReferenceTable> tables = new HashMap<>();
  private final Map<String, byte[]> stored = new TreeMap<>();

  /**
   * A snapshot.
   *
   * @param wanted versions that were kept, by the names of the files, or {@code table} and the
   *     names of the stores' tables; others are as they are now
   */
  Snapshot(WorkspaceReferences references, Map<String, String> wanted) {
    this.references = references;
    this.wanted = Map.copyOf(wanted);
  }

  @Override
  public synchronized Supplier<ReferenceTable> file(String name) {
    ReferenceTable known = tables.get(name);
    if (known == null) {
      ReferenceReader reader = references.reader(name);
      known = read(name, path -> reader.read(path, name));
      tables.put(name, known);
    }
    ReferenceTable table = known;
    return () -> table;
  }

  @Override
  public synchronized Supplier<ReferenceTable> table(String name) {
    ReferenceTable table = tables.computeIfAbsent(TABLE + name, key -> stored(name));
    return () -> table;
  }

  private ReferenceTable stored(String name) {
    String kept = wanted.get(TABLE + name);
    try {
      ReferenceTable table =
          kept == null
              ? references.stored(name)
              : KeptTable.table(TABLE + name, Files.readAllBytes(keptPath(kept)));
      stored.put(TABLE + name, KeptTable.bytes(table));
      return table;
    } catch (IOException e) {
      throw new OutsideException("cannot read " + TABLE + name + ": " + e.getMessage(), e);
    }
  }

  @Override
  public synchronized byte[] bytes(String name) {
    return read(
        name,
        path -> {
          try {
            return Files.readAllBytes(path);
          } catch (IOException e) {
            throw new OutsideException("cannot read " + name + ": " + e.getMessage(), e);
          }
        });
  }

  /** Reads a file and finds out its version; again, if it was written to meanwhile. */
  private <T> T read(String name, java.util.function.Function<Path, T> reading) {
    String kept = wanted.get(name);
    Path path = kept == null ? references.existing(name) : keptPath(kept);
    try {
      for (int tries = 0; ; tries++) {
        String before = stamp(path);
        T read = reading.apply(path);
        String version = version(path);
        if (before.equals(stamp(path)) || tries == 2) {
          used.put(name, new Used(path, version, before));
          return read;
        }
      }
    } catch (IOException e) {
      throw new OutsideException("cannot read " + name + ": " + e.getMessage(), e);
    }
  }

  private static String stamp(Path path) throws IOException {
    return Files.getLastModifiedTime(path) + " " + Files.size(path);
  }

  private static String version(Path path) throws IOException {
    return version(Files.newInputStream(path));
  }

  private static String version(byte[] bytes) {
    try {
      return version(new ByteArrayInputStream(bytes));
    } catch (IOException e) {
      throw new IllegalStateException("memory gives every byte", e);
    }
  }

  private static String version(InputStream source) throws IOException {
    try (InputStream in = new DigestInputStream(source, MessageDigest.getInstance("SHA-256"))) {
      in.transferTo(OutputStream.nullOutputStream());
      byte[] digest = ((DigestInputStream) in).getMessageDigest().digest();
      return HexFormat.of().formatHex(digest, 0, DIGEST_BYTES);
    } catch (NoSuchAlgorithmException e) {
      throw new IllegalStateException("every Java has SHA-256", e);
    }
  }

  private Path keptPath(String version) {
    return references.kept().resolve(version);
  }

  /** The files and tables that were looked up in, with the versions of their content. */
  public synchronized SortedMap<String, String> versions() {
    SortedMap<String, String> versions = new TreeMap<>();
    used.forEach((name, file) -> versions.put(name, file.version()));
    stored.forEach((name, bytes) -> versions.put(name, version(bytes)));
    return versions;
  }

  /**
   * Whether a file has another content by now. One that is not there or cannot be read has not: the
   * content that is known stays.
   */
  public synchronized boolean changed() {
    for (Map.Entry<String, Used> each : used.entrySet()) {
      Used file = each.getValue();
      try {
        String now = stamp(file.path());
        if (!now.equals(file.stamp())) {
          if (!version(file.path()).equals(file.version())) {
            return true;
          }
          each.setValue(new Used(file.path(), file.version(), now));
        }
      } catch (IOException e) {
        continue; // Told when it is read the next time.
      }
    }
    return false;
  }

  /** The files that are not there any more, or cannot be read. */
  public synchronized java.util.List<String> unreadable() {
    return used.entrySet().stream()
        .filter(each -> !Files.isReadable(each.getValue().path()))
        .map(Map.Entry::getKey)
        .toList();
  }

  /**
   * Keeps the content of all files and tables, so that it survives the loss of power.
   *
   * @throws OutsideException if one has changed since, or cannot be kept
   */
  public synchronized void keep() {
    for (Map.Entry<String, Used> each : used.entrySet()) {
      Used file = each.getValue();
      keep(
          each.getKey(),
          file.version(),
          copy -> Files.copy(file.path(), copy, StandardCopyOption.REPLACE_EXISTING));
    }
    stored.forEach((name, bytes) -> keep(name, version(bytes), copy -> Files.write(copy, bytes)));
  }

  /** Writes content to a path. */
  private interface Writing {
    void to(Path path) throws IOException;
  }

  private void keep(String name, String version, Writing content) {
    Path kept = keptPath(version);
    try {
      if (Files.exists(kept)) {
        // It is used from now on, and not cleared away.
        Files.setLastModifiedTime(kept, FileTime.from(Instant.now()));
        return;
      }
      Files.createDirectories(kept.getParent());
      Path copy = kept.resolveSibling(version + ".new");
      content.to(copy);
      if (!version(copy).equals(version)) {
        throw new OutsideException(name + " was changed while it was read; run again");
      }
      try (FileChannel channel = FileChannel.open(copy, StandardOpenOption.WRITE)) {
        channel.force(true);
      }
      Files.move(copy, kept, StandardCopyOption.ATOMIC_MOVE);
    } catch (IOException e) {
      throw new OutsideException("cannot keep " + name + ": " + e.getMessage(), e);
    }
  }
}

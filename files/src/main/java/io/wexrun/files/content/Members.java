package io.wexrun.files.content;

import java.io.BufferedInputStream;
import java.io.Closeable;
import java.io.IOException;
import java.io.InputStream;
import java.nio.file.Path;
import java.util.Enumeration;
import java.util.Optional;
import org.apache.commons.compress.archivers.tar.TarArchiveEntry;
import org.apache.commons.compress.archivers.tar.TarArchiveInputStream;
import org.apache.commons.compress.archivers.zip.ZipArchiveEntry;
import org.apache.commons.compress.archivers.zip.ZipFile;

/** The files of an archive, in their order. For one thread. */
abstract class Members implements Closeable {
  /** The name of the next file, whose bytes {@link #bytes()} has then; empty if there is none. */
  abstract Optional<String> next() throws IOException;

  /** The bytes of the file; not to be closed. */
  abstract InputStream bytes() throws IOException;

  /** The bytes of the file; of a compressed one, those that were compressed. */
  final InputStream unpacked() throws IOException {
    BufferedInputStream in = new BufferedInputStream(bytes(), Packed.LOOKED_AT);
    Optional<Packed> how = peek(in);
    return how.isPresent() && !how.get().archive() ? how.get().open(in) : in;
  }

  /** How something is compressed that can be read from its begin on afterwards. */
  static Optional<Packed> peek(BufferedInputStream in) throws IOException {
    in.mark(Packed.LOOKED_AT);
    byte[] begin = in.readNBytes(Packed.LOOKED_AT);
    in.reset();
    return Packed.how(begin);
  }

  /** Those of a tar file that stand in a stream. */
  static Members ofTar(InputStream in) throws IOException {
    TarArchiveInputStream tar = new TarArchiveInputStream(in);
    return new Members() {
      @Override
      Optional<String> next() throws IOException {
        TarArchiveEntry entry = tar.getNextEntry();
        while (entry != null && !entry.isFile()) {
          entry = tar.getNextEntry();
        }
        return Optional.ofNullable(entry).map(TarArchiveEntry::getName);
      }

      @Override
      InputStream bytes() {
        return tar;
      }

      @Override
      public void close() throws IOException {
        tar.close();
      }
    };
  }

  /** Those of a zip file. */
  static Members ofZip(Path path) throws IOException {
    ZipFile zip = ZipFile.builder().setPath(path).get();
    Enumeration<ZipArchiveEntry> entries = zip.getEntriesInPhysicalOrder();
    return new Members() {
      private ZipArchiveEntry entry;

      @Override
      Optional<String> next() {
        entry = null;
        while (entry == null && entries.hasMoreElements()) {
          ZipArchiveEntry next = entries.nextElement();
          entry = next.isDirectory() || next.isUnixSymlink() ? null : next;
        }
        return Optional.ofNullable(entry).map(ZipArchiveEntry::getName);
      }

      @Override
      InputStream bytes() throws IOException {
        if (!zip.canReadEntryData(entry)) {
          throw new IOException(entry.getName() + " in it is encrypted, or packed in a rare way");
        }
        return zip.getInputStream(entry);
      }

      @Override
      public void close() throws IOException {
        zip.close();
      }
    };
  }
}

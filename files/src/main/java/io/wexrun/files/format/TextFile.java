package io.wexrun.files.format;

import io.wexrun.core.connect.FileForm;
import io.wexrun.core.secret.EncryptionKey;
import io.wexrun.core.secret.Keys;
import java.io.BufferedInputStream;
import java.io.BufferedOutputStream;
import java.io.IOException;
import java.io.InputStream;
import java.io.OutputStream;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.util.Arrays;
import java.util.List;
import java.util.zip.GZIPInputStream;
import java.util.zip.GZIPOutputStream;

/** A file of text, compressed and then encrypted, or neither. */
final class TextFile {
  static final List<String> COMPRESSIONS = List.of("gzip", "none");

  private static final int BUFFER = 64 << 10;
  private static final String GZIP = ".gz";
  private static final String ENCRYPTED = ".encrypted";

  private TextFile() {}

  static String ending(FileForm form) {
    return (form.compression().equals("gzip") ? GZIP : "")
        + form.key().map(k -> ENCRYPTED).orElse("");
  }

  /** Whether a name ends with {@code plain}, and behind it what a form adds. */
  static boolean owns(String name, String plain) {
    String rest = name.endsWith(ENCRYPTED) ? cut(name, ENCRYPTED) : name;
    return (rest.endsWith(GZIP) ? cut(rest, GZIP) : rest).endsWith(plain);
  }

  private static String cut(String name, String ending) {
    return name.substring(0, name.length() - ending.length());
  }

  /** Opens a file that is not there yet. */
  static OutputStream write(Path file, FileForm form) throws IOException {
    OutputStream plain =
        new BufferedOutputStream(
            Files.newOutputStream(file, StandardOpenOption.CREATE_NEW, StandardOpenOption.WRITE),
            BUFFER);
    if (form.key().isPresent()) {
      EncryptionKey key = form.key().get();
      plain = Sealed.write(plain, key);
    }
    return form.compression().equals("gzip") ? new GZIPOutputStream(plain, BUFFER) : plain;
  }

  /** Opens a file; what it is in is seen from its first bytes. */
  static InputStream read(Path file, Keys keys) throws IOException {
    InputStream in = new BufferedInputStream(Files.newInputStream(file), BUFFER);
    try {
      if (begins(in, Sealed.MAGIC)) {
        in = new BufferedInputStream(Sealed.read(in, file, keys), BUFFER);
      }
      return begins(in, new byte[] {0x1f, (byte) 0x8b}) ? new GZIPInputStream(in, BUFFER) : in;
    } catch (IOException | RuntimeException e) {
      in.close();
      throw e;
    }
  }

  private static boolean begins(InputStream in, byte[] with) throws IOException {
    in.mark(with.length);
    byte[] there = in.readNBytes(with.length);
    in.reset();
    return Arrays.equals(there, with);
  }
}

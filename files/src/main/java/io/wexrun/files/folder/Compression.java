package io.wexrun.files.folder;

import java.io.BufferedOutputStream;
import java.io.IOException;
import java.io.OutputStream;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.util.List;
import java.util.zip.GZIPOutputStream;

/** How files of text are compressed. */
final class Compression {
  static final List<String> ALL = List.of("gzip", "none");

  private static final int BUFFER = 64 << 10;

  private Compression() {}

  static String ending(String compression) {
    return compression.equals("gzip") ? ".gz" : "";
  }

  /** Opens a file that is not there yet. */
  static OutputStream open(Path file, String compression) throws IOException {
    OutputStream plain =
        new BufferedOutputStream(
            Files.newOutputStream(file, StandardOpenOption.CREATE_NEW, StandardOpenOption.WRITE),
            BUFFER);
    return compression.equals("gzip") ? new GZIPOutputStream(plain, BUFFER) : plain;
  }
}

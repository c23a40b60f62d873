package io.wexrun.cli;

import java.io.BufferedInputStream;
import java.io.FileDescriptor;
import java.io.FileInputStream;
import java.io.IOException;
import java.io.InputStream;
import java.nio.file.Files;
import java.nio.file.Path;

/**
 * The process's standard input. If it was closed when the process began, its number belongs to the
 * first file that the Java machine has opened, such as its own library: that must not be read.
 */
final class StandardInput {
  /** What the launcher says of it: {@code closed} or {@code open}; nothing without a launcher. */
  private static final String PROPERTY = "wexrun.input";

  private static final Path OPENED = Path.of("/proc/self/fd/0");

  private StandardInput() {}

  /** It, as a stream that fails if it is closed; from now on it is {@code System.in}, too. */
  static InputStream settle() {
    InputStream in =
        isClosed()
            ? new Closed()
            : new BufferedInputStream(new FileInputStream(FileDescriptor.in), 1 << 16);
    System.setIn(in);
    return in;
  }

  private static boolean isClosed() {
    String said = System.getProperty(PROPERTY, "");
    if (!said.isEmpty() || !Files.isSymbolicLink(OPENED)) {
      return said.equals("closed");
    }
    try {
      Path file = Files.readSymbolicLink(OPENED);
      Path java = Path.of(System.getProperty("java.home")).toRealPath();
      return file.isAbsolute() && file.startsWith(java) || file.toString().endsWith(".jar");
    } catch (IOException e) {
      return false; // Reading it will tell.
    }
  }

  private static final class Closed extends InputStream {
    @Override
    public int read() throws IOException {
      throw new IOException("it is closed");
    }
  }
}

package io.wexrun.cli;

import io.wexrun.core.diagnose.Failure;
import io.wexrun.core.diagnose.OutsideException;
import java.io.BufferedWriter;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.nio.file.StandardOpenOption;

/**
 * A file of lines that does not grow for ever: when it is long enough it gets the name with {@code
 * .1} behind it, the one before it {@code .2}, and so on. For several threads.
 */
final class RotatedFile implements AutoCloseable {
  private final Path file;
  private final long longest;
  private final int most;
  private BufferedWriter out;
  private long length;

  /**
   * Opens a file, and goes on behind what it has.
   *
   * @param longest after about so many bytes it is rotated
   * @param most how many files there are at most, with the first one
   * @throws OutsideException if it cannot be written
   */
  RotatedFile(Path file, long longest, int most) {
    this.file = file;
    this.longest = longest;
    this.most = most;
    try {
      open();
    } catch (IOException e) {
      throw new OutsideException("cannot write the log " + file + ": " + Failure.told(e), e);
    }
  }

  private void open() throws IOException {
    out =
        Files.newBufferedWriter(
            file, StandardCharsets.UTF_8, StandardOpenOption.CREATE, StandardOpenOption.APPEND);
    length = Files.size(file);
  }

  synchronized void write(String line) throws IOException {
    if (length >= longest) {
      out.close();
      for (int number = most - 1; number > 0; number--) {
        Path from = number == 1 ? file : numbered(number - 1);
        if (Files.exists(from)) {
          Files.move(from, numbered(number), StandardCopyOption.REPLACE_EXISTING);
        }
      }
      open();
    }
    out.write(line);
    out.write('\n');
    out.flush();
    length += line.length() + 1;
  }

  private Path numbered(int number) {
    return file.resolveSibling(file.getFileName() + "." + number);
  }

  @Override
  public synchronized void close() {
    try {
      out.close();
    } catch (IOException e) {
      throw new OutsideException("cannot close the log " + file + ": " + Failure.told(e), e);
    }
  }
}

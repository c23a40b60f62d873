package io.wexrun.files.folder;

import com.sun.jna.LastErrorException;
import com.sun.jna.Library;
import com.sun.jna.Native;
import com.sun.jna.Platform;
import io.wexrun.core.diagnose.OutsideException;
import java.io.IOException;
import java.nio.file.Path;

/**
 * Two folders take each other's names in one step, so that whoever looks sees one or the other.
 * Linux has renameat2(2) for it, macOS renamex_np(2).
 */
final class Exchange {
  private static final int AT_FDCWD = -100;
  private static final int RENAME_EXCHANGE = 2;
  private static final int RENAME_SWAP = 2;

  /**
   * ENOSYS and EINVAL on Linux, ENOTSUP on macOS: what a file system says that has no such step.
   */
  private static final int[] CANNOT = {38, 22, 45};

  private Exchange() {}

  /** The part of the C library that this needs. */
  interface C extends Library {
    int renameat2(int fromFolder, String from, int toFolder, String to, int flags)
        throws LastErrorException;

    int renamex_np(String from, String to, int flags) throws LastErrorException;
  }

  /**
   * Exchanges two folders of one file system.
   *
   * @throws OutsideException if the system cannot do this in one step; then nothing has changed
   */
  static void of(Path one, Path other) throws IOException {
    if (!Platform.isLinux() && !Platform.isMac()) {
      throw cannot(one);
    }
    String from = one.toAbsolutePath().toString();
    String to = other.toAbsolutePath().toString();
    try {
      C c = Native.load("c", C.class);
      if (Platform.isLinux()) {
        c.renameat2(AT_FDCWD, from, AT_FDCWD, to, RENAME_EXCHANGE);
      } else {
        c.renamex_np(from, to, RENAME_SWAP);
      }
    } catch (LastErrorException e) {
      for (int code : CANNOT) {
        if (e.getErrorCode() == code) {
          throw cannot(one);
        }
      }
      throw new IOException("cannot exchange " + from + " and " + to + ": " + e.getMessage(), e);
    } catch (UnsatisfiedLinkError e) {
      throw cannot(one); // A C library without it.
    }
  }

  private static OutsideException cannot(Path where) {
    return OutsideException.lasting(
        "the file system of "
            + where.toAbsolutePath().getParent()
            + " cannot exchange two folders in one step, as local file systems of Linux and macOS"
            + " can, so readers could see rows twice or not at all: nothing was merged");
  }
}

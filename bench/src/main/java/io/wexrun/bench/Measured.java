package io.wexrun.bench;

import com.sun.management.OperatingSystemMXBean;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.lang.management.ManagementFactory;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.Arrays;

/**
 * Runs another program's main in this process, and leaves its CPU time and peak memory in a file.
 */
final class Measured {
  private Measured() {}

  /** Arguments: the file, the class, its arguments. */
  public static void main(String[] args) throws ReflectiveOperationException {
    Path file = Path.of(args[0]);
    Runtime.getRuntime().addShutdownHook(new Thread(() -> write(file)));
    Class.forName(args[1])
        .getMethod("main", String[].class)
        .invoke(null, (Object) Arrays.copyOfRange(args, 2, args.length));
  }

  private static void write(Path file) {
    OperatingSystemMXBean system =
        (OperatingSystemMXBean) ManagementFactory.getOperatingSystemMXBean();
    try {
      Files.writeString(file, system.getProcessCpuTime() + " " + peakKilobytes());
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }

  /** The peak of the resident memory, as Linux tells it; 0 elsewhere. */
  private static long peakKilobytes() throws IOException {
    Path status = Path.of("/proc/self/status");
    if (!Files.exists(status)) {
      return 0;
    }
    for (String line : Files.readAllLines(status)) {
      if (line.startsWith("VmHWM:")) {
        return Long.parseLong(line.replaceAll("\\D", ""));
      }
    }
    return 0;
  }
}

package io.wexrun.cli;

import java.io.IOException;
import java.lang.management.CompilationMXBean;
import java.lang.management.ManagementFactory;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.stream.Stream;

/**
 * Runs what people start often, one after the other in one process, so that the classes of it can
 * be archived for quicker starts. Called when Wexrun is built.
 */
final class Training {
  private static final int TRIES = 60;
  private static final long QUIET_MILLIS = 500;

  private Training() {}

  /**
   * Makes the demo, and looks at its data.
   *
   * @param args the folder of the demo, which is made
   */
  public static void main(String[] args) throws IOException {
    Terminal terminal = Terminal.ofProcess();
    Path demo = Path.of(args[0]);
    Main.run(terminal, "demo", demo.toString());
    String here = demo.toString();
    Main.run(terminal, "check", "--workspace", here);
    Main.run(terminal, "tally", "--workspace", here);
    for (Path file : data(demo)) {
      Main.run(terminal, "look", file.toString());
    }
    letCompile();
    System.exit(0);
  }

  /**
   * Waits until nothing is compiled any more. A method that waits for its compiler when the archive
   * is written is archived as one that waits, and never compiled where the archive is used.
   */
  private static void letCompile() {
    CompilationMXBean compiler = ManagementFactory.getCompilationMXBean();
    long before = -1;
    for (int tries = 0; tries < TRIES && before != compiler.getTotalCompilationTime(); tries++) {
      before = compiler.getTotalCompilationTime();
      try {
        Thread.sleep(QUIET_MILLIS);
      } catch (InterruptedException e) {
        Thread.currentThread().interrupt();
        return;
      }
    }
  }

  /** Files of lines, JSON and CSV. */
  private static List<Path> data(Path demo) throws IOException {
    try (Stream<Path> files = Files.walk(demo, 3)) {
      return files
          .filter(file -> file.toString().matches(".*\\.(log|csv|ndjson|json|txt)"))
          .sorted()
          .limit(8)
          .toList();
    }
  }
}

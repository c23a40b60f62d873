package io.wexrun.cli;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.stream.Stream;

/**
 * Runs what people start often, one after the other in one process, so that the classes of it can
 * be archived for quicker starts. Called when Wexrun is built.
 */
final class Training {
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
    System.exit(0);
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

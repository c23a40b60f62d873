package io.wexrun.cli.demo;

import io.wexrun.core.diagnose.OutsideException;
import java.io.BufferedOutputStream;
import java.io.IOException;
import java.io.InputStream;
import java.io.OutputStream;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;

/** Makes the demo's workspace in a folder. */
public final class DemoWorkspace {
  /** How many lines each file has. */
  public static final int LINES_PER_FILE = 20_000;

  private static final double SPOILED = 0.015;
  private static final List<String> FILES = List.of("north", "harbour", "south");
  private static final List<String> DEFINITIONS = List.of("wexrun.yaml", "pipelines/gates.yaml");

  private DemoWorkspace() {}

  /**
   * Writes what is not there yet: definitions and data.
   *
   * @return whether anything was written
   * @throws OutsideException if the folder cannot be written
   */
  public static boolean make(Path folder) {
    boolean made = false;
    try {
      for (String name : DEFINITIONS) {
        Path file = folder.resolve(name);
        if (!Files.exists(file)) {
          Files.createDirectories(file.getParent());
          copyResource("/demo/" + name, file);
          made = true;
        }
      }
      Path gates = Files.createDirectories(folder.resolve("incoming/gates"));
      for (int i = 0; i < FILES.size(); i++) {
        Path file = gates.resolve("gates-" + FILES.get(i) + ".log");
        if (!Files.exists(file)) {
          writeLines(file, 41 + i);
          made = true;
        }
      }
    } catch (IOException e) {
      throw new OutsideException("cannot make the demo in " + folder + ": " + e.getMessage(), e);
    }
    return made;
  }

  private static void copyResource(String resource, Path file) throws IOException {
    try (InputStream in = DemoWorkspace.class.getResourceAsStream(resource)) {
      Files.copy(in, file);
    }
  }

  private static void writeLines(Path file, long seed) throws IOException {
    GateLines lines = new GateLines(seed, SPOILED);
    Path unfinished = file.resolveSibling(file.getFileName() + ".part");
    try (OutputStream out = new BufferedOutputStream(Files.newOutputStream(unfinished), 1 << 16)) {
      for (int i = 0; i < LINES_PER_FILE; i++) {
        lines.writeNext(out);
      }
    }
    Files.move(unfinished, file);
  }
}

package io.wexrun.bench;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;

/** A Java program with its arguments, started in a process of its own like the launcher does. */
record Program(String name, String main, List<String> arguments) {
  /** What one run took: seconds of wall clock and of CPU, and peak memory in megabytes. */
  record Run(double wall, double cpu, double peak) {}

  static Program of(String name, Class<?> main, String... arguments) {
    return new Program(name, main.getName(), List.of(arguments));
  }

  static Program wexrun(String name, String... arguments) {
    return new Program(name, "io.wexrun.cli.Main", List.of(arguments));
  }

  /** Runs the program; every program of the benchmark has the same heap and the same options. */
  Run run() throws IOException, InterruptedException {
    Path figures = Files.createTempFile("wexrun-bench", ".txt");
    List<String> line = new ArrayList<>();
    line.add(Path.of(System.getProperty("java.home"), "bin", "java").toString());
    line.addAll(
        List.of("--add-opens=java.base/java.nio=ALL-UNNAMED", "-XX:+UseParallelGC", "-Xmx512m"));
    line.add("-Djava.library.path=" + System.getProperty("java.library.path"));
    line.addAll(List.of("-cp", System.getProperty("java.class.path")));
    line.addAll(List.of("io.wexrun.bench.Measured", figures.toString(), main));
    line.addAll(arguments);
    long start = System.nanoTime();
    Process process = new ProcessBuilder(line).redirectErrorStream(true).start();
    String output = new String(process.getInputStream().readAllBytes());
    int exit = process.waitFor();
    double wall = (System.nanoTime() - start) / 1e9;
    if (exit != 0) {
      throw new IllegalStateException(name + " failed with " + exit + ":\n" + output);
    }
    String[] written = Files.readString(figures).split(" ");
    Files.delete(figures);
    return new Run(wall, Long.parseLong(written[0]) / 1e9, Long.parseLong(written[1]) / 1024.0);
  }
}

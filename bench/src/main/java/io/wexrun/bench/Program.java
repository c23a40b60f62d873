package io.wexrun.bench;

import java.io.File;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.concurrent.TimeUnit;

/**
 * A program in a process of its own, run as its user would run it: ours by its launcher, the others
 * by {@code java}. All have the same heap.
 */
record Program(String name, List<String> command) {
  /** What one run took: seconds of wall clock and of CPU, and peak memory in megabytes. */
  record Run(double wall, double cpu, double peak) {}

  private static final String HEAP = "-Xmx512m";
  private static final long LOOK_MILLIS = 10;

  static Program of(String name, Class<?> main, String... arguments) {
    List<String> command = new ArrayList<>();
    command.add(Path.of(System.getProperty("java.home"), "bin", "java").toString());
    command.addAll(
        List.of("--add-opens=java.base/java.nio=ALL-UNNAMED", "-XX:+UseParallelGC", HEAP));
    command.add("-Djava.library.path=" + System.getProperty("java.library.path"));
    command.addAll(List.of("-cp", System.getProperty("java.class.path"), main.getName()));
    command.addAll(List.of(arguments));
    return new Program(name, command);
  }

  static Program wexrun(String name, String... arguments) {
    List<String> command = new ArrayList<>();
    command.add(System.getProperty("wexrun.launcher"));
    command.addAll(List.of(arguments));
    return new Program(name, command);
  }

  /** The same program under another name. */
  Program named(String other) {
    return new Program(other, command);
  }

  /** Runs the program to its end. */
  Run run() throws IOException, InterruptedException {
    File output = File.createTempFile("wexrun-bench", ".txt");
    ProcessBuilder builder = new ProcessBuilder(command);
    builder.redirectErrorStream(true).redirectOutput(output);
    builder.environment().put("WEXRUN_JAVA_OPTS", HEAP);
    long start = System.nanoTime();
    Process process = builder.start();
    double cpu = 0;
    double peak = 0;
    while (!process.waitFor(LOOK_MILLIS, TimeUnit.MILLISECONDS)) {
      cpu = Math.max(cpu, cpuSeconds(process));
      peak = Math.max(peak, peakMegabytes(process));
    }
    double wall = (System.nanoTime() - start) / 1e9;
    String said = Files.readString(output.toPath());
    Files.delete(output.toPath());
    if (process.exitValue() != 0) {
      throw new IllegalStateException(name + " failed with " + process.exitValue() + ":\n" + said);
    }
    return new Run(wall, cpu, peak);
  }

  /** The CPU time that the operating system tells while the process lives. */
  private static double cpuSeconds(Process process) {
    return process.info().totalCpuDuration().map(d -> d.toNanos() / 1e9).orElse(0.0);
  }

  /** The peak of the resident memory, as Linux tells it while the process lives; 0 elsewhere. */
  private static double peakMegabytes(Process process) {
    try {
      for (String line : Files.readAllLines(Path.of("/proc/" + process.pid() + "/status"))) {
        if (line.startsWith("VmHWM:")) {
          return Long.parseLong(line.replaceAll("\\D", "")) / 1024.0;
        }
      }
    } catch (IOException e) {
      return 0; // The process has just ended, or the system has no such file.
    }
    return 0;
  }
}

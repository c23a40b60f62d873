package io.wexrun.cli;

import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.concurrent.TimeUnit;
import tools.jackson.databind.JsonNode;
import tools.jackson.databind.json.JsonMapper;

/** The real command in a child process, in a folder. */
record Wexrun(Path folder, List<String> options) {
  static Wexrun in(Path folder) {
    return new Wexrun(folder, List.of("-Xmx512m"));
  }

  /** What a command gave. */
  record Result(int exit, String out, String err) {
    JsonNode json() {
      return JsonMapper.builder().build().readTree(out);
    }
  }

  private List<String> command(String... args) {
    List<String> command = new ArrayList<>();
    command.add(Path.of(System.getProperty("java.home"), "bin", "java").toString());
    command.add("--add-opens=java.base/java.nio=ALL-UNNAMED");
    command.addAll(options);
    command.addAll(List.of("-cp", System.getProperty("java.class.path"), "io.wexrun.cli.Main"));
    command.addAll(List.of(args));
    return command;
  }

  /** Starts a command; its output goes to files in the folder. */
  Process start(String... args) {
    return start(command(args));
  }

  private Process start(List<String> command) {
    try {
      return new ProcessBuilder(command)
          .directory(folder.toFile())
          .redirectOutput(folder.resolve("out.txt").toFile())
          .redirectError(folder.resolve("err.txt").toFile())
          .start();
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }

  /** Runs a command to its end. */
  Result run(String... args) {
    return finish(start(args));
  }

  /** Runs a command through a shell that sets a limit first, such as {@code ulimit -f 100}. */
  Result runLimited(String limit, String... args) {
    List<String> quoted = command(args).stream().map(a -> "'" + a + "'").toList();
    return finish(start(List.of("sh", "-c", limit + " && exec " + String.join(" ", quoted))));
  }

  Result finish(Process process) {
    try {
      if (!process.waitFor(3, TimeUnit.MINUTES)) {
        process.destroyForcibly();
        throw new AssertionError("the command did not end: " + read("err.txt"));
      }
    } catch (InterruptedException e) {
      throw new AssertionError(e);
    }
    return new Result(process.exitValue(), read("out.txt"), read("err.txt"));
  }

  String read(String name) {
    try {
      return new String(Files.readAllBytes(folder.resolve(name)), StandardCharsets.UTF_8);
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }
}

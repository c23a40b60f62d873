package io.wexrun.cli;

import java.io.ByteArrayInputStream;
import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.concurrent.TimeUnit;
import tools.jackson.databind.JsonNode;
import tools.jackson.databind.json.JsonMapper;

/**
 * The real command, called in a folder: in this process, or in a child process where signals,
 * limits, the start or another process matter.
 *
 * @param terminals which streams are terminals, as the launcher says it
 */
record Wexrun(Path folder, String terminals) {
  private static final List<String> JAVA =
      List.of("-Xmx512m", "-XX:TieredStopAtLevel=1", "--add-opens=java.base/java.nio=ALL-UNNAMED");

  static Wexrun in(Path folder) {
    return new Wexrun(folder, "");
  }

  /** What a command gave. */
  record Result(int exit, String out, String err) {
    JsonNode json() {
      return JsonMapper.builder().build().readTree(out);
    }
  }

  /** Runs a command in this process. */
  Result run(String... args) {
    return runWith("", args);
  }

  /** Runs a command in this process, with a text as its standard input. */
  Result runWith(String input, String... args) {
    ByteArrayOutputStream out = new ByteArrayOutputStream();
    ByteArrayOutputStream err = new ByteArrayOutputStream();
    ByteArrayInputStream in = new ByteArrayInputStream(input.getBytes(StandardCharsets.UTF_8));
    Terminal terminal = new Terminal(folder, in, out, err, terminals, false);
    int exit = Main.run(terminal, args);
    return new Result(
        exit, out.toString(StandardCharsets.UTF_8), err.toString(StandardCharsets.UTF_8));
  }

  private static List<String> command(List<String> options, String... args) {
    List<String> command = new ArrayList<>();
    command.add(Path.of(System.getProperty("java.home"), "bin", "java").toString());
    command.addAll(JAVA);
    command.addAll(options);
    command.addAll(List.of("-cp", System.getProperty("java.class.path"), "io.wexrun.cli.Main"));
    command.addAll(List.of(args));
    return command;
  }

  /** Starts a command in a child process; its output goes to files in the folder. */
  Process start(String... args) {
    return start(command(List.of("-Dwexrun.terminal=" + terminals), args));
  }

  /** Starts a command with options for its Java machine. */
  Process startWith(List<String> options, String... args) {
    List<String> all = new ArrayList<>(List.of("-Dwexrun.terminal=" + terminals));
    all.addAll(options);
    return start(command(all, args));
  }

  /** Starts a command with more in its environment. */
  Process startIn(Map<String, String> environment, String... args) {
    return start(environment, command(List.of("-Dwexrun.terminal=" + terminals), args));
  }

  private Process start(List<String> command) {
    return start(Map.of(), command);
  }

  private Process start(Map<String, String> environment, List<String> command) {
    try {
      ProcessBuilder builder = new ProcessBuilder(command);
      builder.environment().putAll(environment);
      return builder
          .directory(folder.toFile())
          .redirectOutput(folder.resolve("out.txt").toFile())
          .redirectError(folder.resolve("err.txt").toFile())
          .start();
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }

  /** Runs a command to its end in a child process with options for its Java machine. */
  Result runChild(List<String> options, String... args) {
    return finish(start(command(options, args)));
  }

  /** Runs a command through a shell that sets a limit first, such as {@code ulimit -f 100}. */
  Result runLimited(String limit, String... args) {
    List<String> options = List.of("-Dwexrun.terminal=" + terminals);
    List<String> quoted = command(options, args).stream().map(a -> "'" + a + "'").toList();
    return finish(start(List.of("sh", "-c", limit + " && exec " + String.join(" ", quoted))));
  }

  /** Runs a command through a shell, behind a pipe or with its standard input redirected. */
  Result runInShell(String before, String redirection, String... args) {
    List<String> options = List.of("-Dwexrun.terminal=" + terminals);
    List<String> quoted = command(options, args).stream().map(a -> "'" + a + "'").toList();
    String line = before + String.join(" ", quoted) + " " + redirection;
    return finish(start(List.of("sh", "-c", line)));
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

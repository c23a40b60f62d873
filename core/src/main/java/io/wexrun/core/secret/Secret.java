package io.wexrun.core.secret;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.diagnose.Shown;
import java.io.IOException;
import java.io.InputStream;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.Optional;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.ExecutionException;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.TimeoutException;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/**
 * A setting whose value should not stand in a file of settings. It is read when it is used, and
 * never kept.
 *
 * <pre>{@code
 * Setting --> (TEXT | "${" Where "}")*
 * Where   --> "env:" VARIABLE | "file:" FILE | "command:" COMMAND
 * }</pre>
 *
 * <p>FILE starts from the workspace's folder; it may have up to 64 kB, and a line feed at its end
 * does not count. COMMAND is a line for {@code sh}, started in that folder, and what it writes is
 * the value, in the same way; it must end well within 30 seconds.
 */
public final class Secret {
  private static final Pattern PLACE = Pattern.compile("\\$\\{(env|file|command):([^}]*)}");
  private static final int LONGEST = 64 << 10;
  private static final long PATIENCE_SECONDS = 30;
  private static final String ENV = "env";
  private static final String FILE = "file";

  private Secret() {}

  /** Whether a setting says where its value is, and not what it is. */
  public static boolean isElsewhere(String written) {
    return PLACE.matcher(written).find();
  }

  /**
   * What is missing of that which a setting names, in words: a variable or a file. No command is
   * run.
   *
   * @param folder the workspace's
   */
  public static Optional<String> missing(String written, Path folder) {
    return PLACE
        .matcher(written)
        .results()
        .flatMap(found -> missing(found.group(1), found.group(2), folder).stream())
        .findFirst();
  }

  private static Optional<String> missing(String kind, String name, Path folder) {
    if (kind.equals(ENV) && System.getenv(name) == null) {
      return Optional.of("the environment variable " + name + " is not set");
    }
    return kind.equals(FILE) && !Files.isReadable(folder.resolve(name))
        ? Optional.of("there is no file " + name + " that can be read")
        : Optional.empty();
  }

  /**
   * What a setting says, with the values from elsewhere.
   *
   * @param folder the workspace's
   * @throws OutsideException if one cannot be had; it does not tell what was found
   */
  public static String of(String written, Path folder) {
    return PLACE
        .matcher(written)
        .replaceAll(
            found ->
                Matcher.quoteReplacement(
                    value(found.group(1), found.group(2), folder, "which a setting names")));
  }

  /**
   * A value from elsewhere.
   *
   * @param kind {@code env}, {@code file} or {@code command}
   * @param name the variable, the file, the command
   * @param why what it is needed for, for messages
   * @throws OutsideException if it cannot be had
   */
  public static String value(String kind, String name, Path folder, String why) {
    Optional<String> missing = missing(kind, name, folder);
    if (missing.isPresent()) {
      throw OutsideException.lasting(missing.get() + ", " + why);
    }
    String value =
        switch (kind) {
          case ENV -> System.getenv(name);
          case FILE -> file(name, folder, why);
          default -> output(name, folder, why);
        };
    Shown.hide(value);
    return value;
  }

  private static String file(String name, Path folder, String why) {
    try (InputStream in = Files.newInputStream(folder.resolve(name))) {
      return ofBytes(in.readNBytes(LONGEST + 1), "the file " + name, why);
    } catch (IOException e) {
      throw OutsideException.lasting(
          "cannot read the file " + name + ", " + why + ": " + e.getMessage());
    }
  }

  private static String ofBytes(byte[] found, String where, String why) {
    if (found.length > LONGEST) {
      throw OutsideException.lasting(where + " is too long for a secret, " + why);
    }
    return new String(found, StandardCharsets.UTF_8).replaceFirst("\\r?\\n\\z", "");
  }

  private static String output(String command, Path folder, String why) {
    String told = "the command '" + command + "', " + why + ", ";
    try {
      Process process =
          new ProcessBuilder("sh", "-c", command)
              .directory(folder.toFile())
              .redirectError(ProcessBuilder.Redirect.DISCARD)
              .start();
      process.getOutputStream().close();
      CompletableFuture<byte[]> output =
          CompletableFuture.supplyAsync(() -> read(process.getInputStream()));
      if (!process.waitFor(PATIENCE_SECONDS, TimeUnit.SECONDS)) {
        process.destroyForcibly();
        throw new OutsideException(told + "did not end within " + PATIENCE_SECONDS + " s");
      }
      if (process.exitValue() != 0) {
        throw new OutsideException(told + "ended with exit code " + process.exitValue());
      }
      return ofBytes(output.get(1, TimeUnit.SECONDS), "what the command wrote", why);
    } catch (IOException | ExecutionException | TimeoutException e) {
      throw new OutsideException(told + "cannot be run: " + e.getMessage(), e);
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new OutsideException(told + "was interrupted", e);
    }
  }

  private static byte[] read(InputStream in) {
    try {
      return in.readNBytes(LONGEST + 1);
    } catch (IOException e) {
      return new byte[0]; // It was ended.
    }
  }
}

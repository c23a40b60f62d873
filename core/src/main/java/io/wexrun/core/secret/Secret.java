package io.wexrun.core.secret;

import io.wexrun.core.diagnose.OutsideException;
import java.util.Optional;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/**
 * A setting that should not stand in a file: {@code ${env:NAME}} is the value of an environment
 * variable. It is read when it is used, and never kept.
 */
public final class Secret {
  private static final Pattern VARIABLE = Pattern.compile("\\$\\{env:([^}]*)}");

  private Secret() {}

  /** The first environment variable that a setting names and that is not set. */
  public static Optional<String> missing(String written) {
    return VARIABLE
        .matcher(written)
        .results()
        .map(found -> found.group(1))
        .filter(name -> System.getenv(name) == null)
        .findFirst();
  }

  /**
   * What a setting says, with the values of the variables.
   *
   * @throws OutsideException if one is not set
   */
  public static String of(String written) {
    Optional<String> missing = missing(written);
    if (missing.isPresent()) {
      throw OutsideException.lasting(
          "the environment variable " + missing.get() + " is not set, which a setting names");
    }
    return VARIABLE
        .matcher(written)
        .replaceAll(found -> Matcher.quoteReplacement(System.getenv(found.group(1))));
  }
}

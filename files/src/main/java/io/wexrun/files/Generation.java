package io.wexrun.files;

import java.nio.file.Path;
import java.util.Optional;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/**
 * How the name of a rotated file is made of the one that it had: {@code a.log.2}, {@code
 * a.log-20261125}, {@code a-20261125.log}, each also with the ending of a compressed file.
 *
 * @param digits those of the number or date
 */
record Generation(String digits) {
  /** Numbers have fewer digits than dates. */
  private static final int DATE_DIGITS = 6;

  private static final Pattern PACKED = Pattern.compile("\\.(?:gz|zst|zstd|bz2|xz)$");
  private static final Pattern LAST_TURN = Pattern.compile("(?<=.)[._-]\\d[\\d._:T-]{0,30}$");
  private static final Pattern MIDDLE_DATE =
      Pattern.compile("(?<=.)[._-](?:[._:T-]?\\d){6,30}(?=\\.[^.]+$)");
  private static final Pattern TURN = Pattern.compile("[._-](\\d[\\d._:T-]{0,30})");

  /** The generation of a file; empty if its name is not made of the other one's in such a way. */
  static Optional<Generation> of(Path name, Path original) {
    String it = PACKED.matcher(name.getFileName().toString()).replaceFirst("");
    String of = original.getFileName().toString();
    if (!name.resolveSibling(of).equals(original) || it.equals(of)) {
      return Optional.empty();
    }
    int dot = of.lastIndexOf('.');
    if (it.startsWith(of)) {
      return turn(it.substring(of.length()));
    }
    return dot > 0
            && it.length() > of.length()
            && it.startsWith(of.substring(0, dot))
            && it.endsWith(of.substring(dot))
        ? turn(it.substring(dot, it.length() - of.length() + dot))
        : Optional.empty();
  }

  /** The name that a rotated file had, as far as its own tells; one that was not keeps its own. */
  static Path family(Path name) {
    String it = PACKED.matcher(name.getFileName().toString()).replaceFirst("");
    String without = LAST_TURN.matcher(it).replaceFirst("");
    String family = without.equals(it) ? MIDDLE_DATE.matcher(it).replaceFirst("") : without;
    return name.resolveSibling(family.isEmpty() ? it : family);
  }

  private static Optional<Generation> turn(String text) {
    Matcher turn = TURN.matcher(text);
    return turn.matches()
        ? Optional.of(new Generation(turn.group(1).replaceAll("\\D", "")))
        : Optional.empty();
  }

  private boolean date() {
    return digits.length() >= DATE_DIGITS;
  }

  /** Whether it was rotated after another one: numbers grow with age, dates do not. */
  boolean after(Generation other) {
    if (date() != other.date()) {
      return false;
    }
    String padded = "0".repeat(Math.max(0, other.digits.length() - digits.length())) + digits;
    String others = "0".repeat(Math.max(0, digits.length() - other.digits.length())) + other.digits;
    int order = date() ? digits.compareTo(other.digits) : others.compareTo(padded);
    return order > 0;
  }
}

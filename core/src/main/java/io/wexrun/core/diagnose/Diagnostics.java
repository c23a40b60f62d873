package io.wexrun.core.diagnose;

import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.function.Function;

/**
 * Collects the mistakes of one subject (a file, a pipeline), so that all can be told at once. Not
 * for several threads.
 */
public final class Diagnostics {

  /** Finds the place of a path in a file; {@code offset} counts characters into a scalar. */
  @FunctionalInterface
  public interface Locator {
    /**
     * The place of {@code length} characters at {@code offset} of the value at {@code path}; if
     * {@code offset} is {@link #KEY}, the place of the key that the path ends with.
     */
    Optional<Place> locate(KeyPath path, int offset, int length);
  }

  /** The offset that stands for the key of a value, not for the value itself. */
  public static final int KEY = -1;

  private final String subject;
  private final Locator locator;
  private final List<Diagnostic> list;

  private Diagnostics(String subject, Locator locator, List<Diagnostic> list) {
    this.subject = subject;
    this.locator = locator;
    this.list = list;
  }

  /** A collector for a definition without a file. */
  public static Diagnostics of(String subject) {
    return new Diagnostics(subject, (path, offset, length) -> Optional.empty(), new ArrayList<>());
  }

  /** A collector into the same list, with another subject and another way to find places. */
  public Diagnostics about(String other, Locator places) {
    return new Diagnostics(other, places, list);
  }

  /** Reports an error at a path. */
  public void error(String code, KeyPath path, String message, Optional<String> hint) {
    add(Severity.ERROR, code, path, 0, Integer.MAX_VALUE, message, hint);
  }

  /** Reports an error at some characters of the text that stands at a path. */
  public void error(
      String code, KeyPath path, int offset, int length, String message, Optional<String> hint) {
    add(Severity.ERROR, code, path, offset, length, message, hint);
  }

  /** Reports an error of the key that a path ends with, not of its value. */
  public void keyError(String code, KeyPath path, String message, Optional<String> hint) {
    add(Severity.ERROR, code, path, KEY, Integer.MAX_VALUE, message, hint);
  }

  /** Reports something that is probably not meant. */
  public void warning(String code, KeyPath path, String message, Optional<String> hint) {
    add(Severity.WARNING, code, path, 0, Integer.MAX_VALUE, message, hint);
  }

  private void add(
      Severity severity,
      String code,
      KeyPath path,
      int offset,
      int length,
      String message,
      Optional<String> hint) {
    Optional<Place> place = locator.locate(path, offset, length);
    list.add(new Diagnostic(code, severity, subject, path, place, message, hint));
  }

  /** Everything reported so far. */
  public List<Diagnostic> all() {
    return List.copyOf(list);
  }

  /** How many errors there are, in all subjects that share this list. */
  public int errors() {
    return (int) list.stream().filter(d -> d.severity() == Severity.ERROR).count();
  }

  /**
   * Ends a reading: nothing happens if there is no error.
   *
   * @throws MistakesException with everything reported, if there is an error
   */
  public void orThrow() {
    if (errors() > 0) {
      throw new MistakesException(all());
    }
  }

  /** The known name nearest to a misspelt one as "did you mean 'x'?"; empty if none is near. */
  public static Optional<String> nearest(String wrong, Iterable<String> known) {
    return Spelling.nearest(wrong, known).map(name -> "did you mean '" + name + "'?");
  }

  /** The nearest known name as a hint, or else the list of what is known. */
  public static Optional<String> nearestOrKnown(
      String wrong, List<String> known, Function<String, String> introduce) {
    return nearest(wrong, known)
        .or(
            () ->
                known.isEmpty()
                    ? Optional.empty()
                    : Optional.of(introduce.apply(String.join(", ", known))));
  }
}

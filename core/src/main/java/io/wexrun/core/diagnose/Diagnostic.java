package io.wexrun.core.diagnose;

import java.util.Optional;
import java.util.Set;

/**
 * One mistake, or one thing that is probably not meant.
 *
 * @param code a fixed code, such as {@code unknown-field}; never changes its meaning
 * @param severity how bad it is
 * @param subject what it is about: a file or {@code pipeline gate-load}
 * @param path where in the definition
 * @param place where in a file; empty for definitions made in Java
 * @param message what is wrong, as one sentence without a full stop
 * @param hint what to do, or what was probably meant
 */
public record Diagnostic(
    String code,
    Severity severity,
    String subject,
    KeyPath path,
    Optional<Place> place,
    String message,
    Optional<String> hint) {
  /** What is not there, or does not answer, at the moment. */
  private static final Set<String> OUTSIDE =
      Set.of(
          "bad-certificate",
          "missing-file",
          "missing-folder",
          "missing-reference",
          "missing-secret",
          "missing-table",
          "unreachable-store");

  /**
   * Whether nothing is wrong with the text itself: something outside of it is missing, and may come
   * later. A run waits for that, or ends as when anything outside fails.
   */
  public boolean isOutside() {
    return OUTSIDE.contains(code);
  }

  /** The same diagnostic at a place in a file. */
  public Diagnostic at(Place found) {
    return new Diagnostic(code, severity, subject, path, Optional.of(found), message, hint);
  }

  /** Place, message, source line with a caret, and hint, as several lines without colour. */
  public String render() {
    StringBuilder out = new StringBuilder();
    String where =
        place
            .map(p -> p.file() + ":" + p.line() + ":" + p.column())
            .orElseGet(() -> path.parts().isEmpty() ? subject : subject + ", " + path);
    out.append(where).append(": ");
    out.append(severity == Severity.ERROR ? "error" : "warning");
    out.append(" [").append(code).append("] ").append(Shown.line(message));
    place.ifPresent(
        p -> {
          String gutter = String.format("%5d | ", p.line());
          out.append('\n').append(gutter).append(p.text());
          out.append('\n').append(" ".repeat(gutter.length() - 2)).append("| ");
          out.append(" ".repeat(Math.max(0, p.column() - 1)));
          int room = Math.max(1, p.text().length() - p.column() + 1);
          out.append("^".repeat(Math.max(1, Math.min(p.length(), room))));
        });
    hint.ifPresent(h -> out.append("\n      = ").append(Shown.line(h)));
    return out.toString();
  }
}

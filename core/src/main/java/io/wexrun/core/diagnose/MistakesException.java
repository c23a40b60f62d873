package io.wexrun.core.diagnose;

import java.util.List;
import java.util.stream.Collectors;

/** A definition has mistakes that its author can mend; carries every one that was found. */
public final class MistakesException extends RuntimeException {
  private final transient List<Diagnostic> diagnostics;

  /** Made with every diagnostic found, warnings too. */
  public MistakesException(List<Diagnostic> diagnostics) {
    super(diagnostics.stream().map(Diagnostic::render).collect(Collectors.joining("\n")));
    this.diagnostics = List.copyOf(diagnostics);
  }

  /** Every diagnostic found, warnings too. */
  public List<Diagnostic> diagnostics() {
    return diagnostics;
  }
}

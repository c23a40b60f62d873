package io.wexrun.core.pattern;

/** A pattern has something that no automaton is made for; the message says what. */
final class UnsupportedPatternException extends Exception {
  private static final long serialVersionUID = 1L;

  UnsupportedPatternException(String what) {
    super(what);
  }
}

package io.wexrun.cli;

/** What the command's exit codes mean; also told by {@code wexrun --help}. */
final class ExitCode {
  static final int DONE = 0;
  static final int MISTAKES = 1;
  static final int USAGE = 2;
  static final int OUTSIDE = 3;
  static final int UNBALANCED = 4;
  static final int BUG = 5;

  private ExitCode() {}
}

package io.wexrun.core.diagnose;

/** How bad a diagnostic is. */
public enum Severity {
  /** The pipeline cannot run. */
  ERROR,
  /** The pipeline runs, but probably not as meant. */
  WARNING
}

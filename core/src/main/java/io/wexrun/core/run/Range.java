package io.wexrun.core.run;

import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.tally.Counts;

/** A block whose rows are on their way: it is done when no target holds it any more. */
final class Range {
  final SourcePartition source;
  final long from;
  final long to;
  final Counts counts;
  private int waiting;

  Range(SourcePartition source, long from, long to, Counts counts) {
    this.source = source;
    this.from = from;
    this.to = to;
    this.counts = counts;
  }

  void waitFor() {
    waiting++;
  }

  void committed() {
    waiting--;
  }

  boolean done() {
    return waiting == 0;
  }
}

package io.wexrun.network.otlp;

import io.wexrun.core.diagnose.Counted;

/** Counts the records of a request that are not taken, and keeps why the first one is not. */
final class Rejected {
  private long count;
  private String first = "";

  /** Counts some. */
  void add(long more, String why) {
    if (more > 0) {
      first = count == 0 ? why : first;
      count += more;
    }
  }

  long count() {
    return count;
  }

  /** What is told of them. */
  String why() {
    return Counted.of(count, "record") + " not taken; the first one: " + first;
  }
}

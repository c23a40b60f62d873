package io.wexrun.project.run;

import java.util.ArrayDeque;
import java.util.Deque;

/** How fast a number grows. Not for several threads. */
final class Rate {
  private static final long WINDOW_NANOS = 10_000_000_000L;

  private record Seen(long nanos, long number) {}

  private final Deque<Seen> seen = new ArrayDeque<>();

  /** The number as it is now; told about once a second. */
  void see(long nanos, long number) {
    seen.add(new Seen(nanos, number));
    while (seen.size() > 2 && nanos - seen.peek().nanos() > WINDOW_NANOS) {
      seen.remove();
    }
  }

  /** By how much it grew in a second, over about the last ten. */
  double perSecond() {
    if (seen.size() < 2) {
      return 0;
    }
    Seen first = seen.peekFirst();
    Seen last = seen.peekLast();
    return Math.max(0, (last.number() - first.number()) * 1e9 / (last.nanos() - first.nanos()));
  }
}

package io.wexrun.core.run;

import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.tally.Account;
import java.util.ArrayDeque;
import java.util.Deque;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.OptionalLong;

/**
 * How much was taken from the source and is not accounted for, wherever it waits: in positions,
 * which are bytes of a file and records of a queue. For several threads.
 */
final class OnTheWay {
  private final Map<SourcePartition, Span> spans = new HashMap<>();
  private long sum;

  /** What is on the way of one source partition. */
  private static final class Span {
    private long from;
    private long to;

    /** Its blocks in order: where each ends, and when it was taken. */
    private final Deque<long[]> blocks = new ArrayDeque<>();
  }

  /** The intake has given a block, maybe again. */
  synchronized void took(Block block) {
    Span span = spans.get(block.source());
    if (span == null) {
      span = new Span();
      span.from = block.first();
      span.to = block.first();
      spans.put(block.source(), span);
    }
    while (!span.blocks.isEmpty() && span.blocks.peekLast()[0] > block.first()) {
      span.blocks.removeLast(); // It is taken again.
    }
    long taken = block.taken() == 0 ? System.currentTimeMillis() * 1000 : block.taken();
    span.blocks.addLast(new long[] {block.end(), taken});
    move(span, Math.min(span.from, block.first()), block.end());
  }

  /** Ranges are done. */
  synchronized void accounted(List<Account> accounts) {
    for (Account account : accounts) {
      Span span = spans.get(account.source());
      if (span != null) {
        while (!span.blocks.isEmpty() && span.blocks.peekFirst()[0] <= account.to()) {
          span.blocks.removeFirst();
        }
        move(span, account.to(), Math.max(span.to, account.to()));
        if (span.from == span.to) {
          spans.remove(account.source());
        }
      }
    }
  }

  private void move(Span span, long from, long to) {
    sum += to - from - (span.to - span.from);
    span.from = from;
    span.to = to;
  }

  /** When the oldest of it was taken, in microseconds since 1970-01-01T00:00:00Z. */
  synchronized OptionalLong oldest() {
    return spans.values().stream()
        .filter(span -> !span.blocks.isEmpty())
        .mapToLong(span -> span.blocks.peekFirst()[1])
        .min();
  }

  /** How much it is of all source partitions. */
  synchronized long sum() {
    return sum;
  }
}

package io.wexrun.core.run;

import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.tally.Account;
import io.wexrun.core.tally.Counts;
import io.wexrun.core.tally.Revival;
import java.util.ArrayDeque;
import java.util.ArrayList;
import java.util.Deque;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.OptionalLong;
import java.util.TreeMap;
import java.util.function.Consumer;

/**
 * The ranges that are not accounted for yet, in the order of each source partition. A range is
 * accounted for when it and all before it are done.
 */
final class Books {
  private final Map<SourcePartition, Deque<Range>> open = new LinkedHashMap<>();

  void enter(Range range) {
    open.computeIfAbsent(range.source, s -> new ArrayDeque<>()).add(range);
  }

  /**
   * Takes out what is done, as one account for each source partition.
   *
   * @param settled is told of each range that is done
   * @throws IllegalStateException if the counts of a range do not balance
   */
  List<Account> settle(Consumer<Range> settled) {
    List<Account> accounts = new ArrayList<>();
    open.forEach(
        (source, ranges) -> {
          Range first = ranges.peek();
          Counts sum = Counts.NONE;
          Map<String, Long> reached = new TreeMap<>();
          List<Revival> revivals = new ArrayList<>();
          long newest = Long.MIN_VALUE;
          long to = -1;
          while (!ranges.isEmpty() && ranges.peek().done()) {
            Range range = ranges.remove();
            settled.accept(range);
            if (range.counts().in() != range.counts().out()) {
              throw new IllegalStateException(
                  "the books of "
                      + source
                      + " do not balance from position "
                      + range.from
                      + " to "
                      + range.to
                      + ": "
                      + range.counts());
            }
            sum = sum.plus(range.counts());
            reached.putAll(range.reached());
            range.revival().ifPresent(revivals::add);
            newest = Math.max(newest, range.newest.orElse(newest));
            to = range.to;
          }
          if (to >= 0) {
            accounts.add(
                new Account(
                    source,
                    first.from,
                    to,
                    sum,
                    reached,
                    revivals,
                    newest == Long.MIN_VALUE ? OptionalLong.empty() : OptionalLong.of(newest)));
          }
        });
    open.values().removeIf(Deque::isEmpty);
    return accounts;
  }

  /** When the oldest was taken that is open, in microseconds since 1970; empty if none is. */
  OptionalLong oldest() {
    return open.values().stream().mapToLong(ranges -> ranges.peek().taken).min();
  }

  boolean isEmpty() {
    return open.isEmpty();
  }
}

package io.wexrun.core.pattern;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;

/** Sets of code points, as pairs of first and last ones. */
final class Ranges {
  static final int LAST = Character.MAX_CODE_POINT;
  static final int[] DIGIT = {'0', '9'};
  static final int[] SPACE = {'\t', '\n', '\f', '\r', ' ', ' '};
  static final int[] WORD = {'0', '9', 'A', 'Z', '_', '_', 'a', 'z'};
  private static final int KELVIN = 0x212A;
  private static final int LONG_S = 0x17F;

  private final List<int[]> all = new ArrayList<>();

  Ranges add(int first, int last) {
    all.add(new int[] {first, last});
    return this;
  }

  Ranges add(int... pairs) {
    for (int i = 0; i < pairs.length; i += 2) {
      add(pairs[i], pairs[i + 1]);
    }
    return this;
  }

  boolean isEmpty() {
    return all.isEmpty();
  }

  /** Adds what differs by case only; letters beyond ASCII are not supported. */
  Ranges withBothCases() throws UnsupportedPatternException {
    for (int[] range : List.copyOf(all)) {
      if (range[1] >= 0x80 && !coversRest(range)) {
        throw new UnsupportedPatternException("letters beyond ASCII without case");
      }
      for (int c = range[0]; c <= Math.min(range[1], 'z'); c++) {
        int other = c >= 'A' && c <= 'Z' ? c + 32 : c >= 'a' && c <= 'z' ? c - 32 : c;
        add(other, other);
        if (c == 'k' || c == 'K') {
          add(KELVIN, KELVIN);
        } else if (c == 's' || c == 'S') {
          add(LONG_S, LONG_S);
        }
      }
    }
    return this;
  }

  /** Whether a range has all that is beyond ASCII, so that no case is missing there. */
  private static boolean coversRest(int[] range) {
    return range[0] <= 'z' && range[1] == LAST && range[0] <= 'A';
  }

  /** Sorted, without overlaps. */
  int[] sorted() {
    all.sort((a, b) -> Integer.compare(a[0], b[0]));
    List<int[]> merged = new ArrayList<>();
    for (int[] range : all) {
      int[] last = merged.isEmpty() ? null : merged.get(merged.size() - 1);
      if (last != null && range[0] <= last[1] + 1) {
        last[1] = Math.max(last[1], range[1]);
      } else {
        merged.add(range.clone());
      }
    }
    return merged.stream().flatMapToInt(Arrays::stream).toArray();
  }

  /** All that is not in sorted ranges. */
  static int[] without(int[] sorted) {
    Ranges others = new Ranges();
    int next = 0;
    for (int i = 0; i < sorted.length; i += 2) {
      if (sorted[i] > next) {
        others.add(next, sorted[i] - 1);
      }
      next = sorted[i + 1] + 1;
    }
    if (next <= LAST) {
      others.add(next, LAST);
    }
    return others.sorted();
  }
}

package io.wexrun.core.diagnose;

import java.util.Locale;
import java.util.Optional;

/** Finds what was probably meant by a misspelt name. */
final class Spelling {
  private Spelling() {}

  /** The known name at the smallest distance, if that is at most a third of its length. */
  static Optional<String> nearest(String wrong, Iterable<String> known) {
    String best = null;
    int least = Integer.MAX_VALUE;
    for (String name : known) {
      int distance = distance(wrong.toLowerCase(Locale.ROOT), name.toLowerCase(Locale.ROOT));
      int allowed = Math.max(1, Math.max(name.length(), wrong.length()) / 3);
      if (distance <= allowed && distance < least) {
        least = distance;
        best = name;
      }
    }
    return Optional.ofNullable(best);
  }

  /** Edit distance with neighbouring characters swapped as one edit (optimal string alignment). */
  private static int distance(String a, String b) {
    int[][] cost = new int[a.length() + 1][b.length() + 1];
    for (int i = 0; i <= a.length(); i++) {
      for (int j = 0; j <= b.length(); j++) {
        if (i == 0 || j == 0) {
          cost[i][j] = i + j;
          continue;
        }
        int change = a.charAt(i - 1) == b.charAt(j - 1) ? 0 : 1;
        int least = Math.min(cost[i - 1][j] + 1, cost[i][j - 1] + 1);
        least = Math.min(least, cost[i - 1][j - 1] + change);
        boolean swapped =
            i > 1
                && j > 1
                && a.charAt(i - 1) == b.charAt(j - 2)
                && a.charAt(i - 2) == b.charAt(j - 1);
        cost[i][j] = swapped ? Math.min(least, cost[i - 2][j - 2] + 1) : least;
      }
    }
    return cost[a.length()][b.length()];
  }
}

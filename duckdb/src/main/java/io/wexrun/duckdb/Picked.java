package io.wexrun.duckdb;

import io.wexrun.core.batch.ListVector;
import io.wexrun.core.batch.Rows;

/**
 * Some rows of a vector, in order.
 *
 * @param places the rows; null for all from 0 on
 * @param count how many they are
 */
record Picked(int[] places, int count) {
  static Picked of(Rows rows) {
    if (rows.isAll()) {
      return new Picked(null, rows.count());
    }
    int[] places = new int[rows.count()];
    for (int i = 0; i < places.length; i++) {
      places[i] = rows.row(i);
    }
    return new Picked(places, places.length);
  }

  /** The vector's row of the row with number {@code i}. */
  int row(int i) {
    return places == null ? i : places[i];
  }

  /** How many rows from number {@code i} on follow each other, so that one copy takes them. */
  int run(int i) {
    if (places == null) {
      return count - i;
    }
    int last = i + 1;
    while (last < count && places[last] == places[last - 1] + 1) {
      last++;
    }
    return last - i;
  }

  /** The elements of these rows' lists. */
  Picked elements(ListVector lists) {
    int sum = 0;
    for (int i = 0; i < count; i++) {
      sum += lists.end(row(i)) - lists.start(row(i));
    }
    int[] elements = new int[sum];
    int filled = 0;
    for (int i = 0; i < count; i++) {
      for (int element = lists.start(row(i)); element < lists.end(row(i)); element++) {
        elements[filled++] = element;
      }
    }
    return new Picked(elements, sum);
  }
}

package io.wexrun.core.target;

import java.util.List;

/** A store that puts tables in the places of others. For several threads. */
public interface Swapping {
  /**
   * One table for another.
   *
   * @param table the name that the shadow gets
   * @param shadow its name before
   * @param kept the name that the table of before has from then on, with its rows, identity and
   *     progress
   */
  record Exchange(String table, String shadow, String kept) {}

  /**
   * Exchanges tables in one step: who reads sees all of them as before, or all of them as
   * afterwards. A table is the one that was the shadow then, with its identity and progress; where
   * there was no table of the name, nothing is kept. No target of any of them is open meanwhile.
   *
   * @throws io.wexrun.core.diagnose.OutsideException if there is no such shadow, or there is a
   *     table with a name that is to be kept, or the store fails; then nothing is changed
   */
  void swap(List<Exchange> exchanges);
}

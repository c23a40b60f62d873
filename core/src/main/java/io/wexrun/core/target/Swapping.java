package io.wexrun.core.target;

import java.util.List;
import java.util.Map;

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

  /**
   * Copies rows of a table into its shadow, which is there: those made of records before given
   * positions, as the {@linkplain io.wexrun.core.pipeline.OriginColumns columns of their origin}
   * tell. Columns that only one of the two tables has are left out.
   *
   * @param before for numbers of sources the position before which a row's record stands
   * @return how many rows were copied, by the number of their source
   * @throws io.wexrun.core.diagnose.OutsideException if a row does not fit the shadow's columns, or
   *     the store fails; then nothing is copied
   */
  Map<Long, Long> copy(String table, String shadow, Map<Long, Long> before);

  /**
   * Drops a table and forgets who it was; nothing if there is none. No target of it is open.
   *
   * @throws io.wexrun.core.diagnose.OutsideException if the store fails, or does not let it go,
   *     since something else depends on it
   */
  void drop(String table);
}

package io.wexrun.sql;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.Rows;
import io.wexrun.core.target.Flush;
import io.wexrun.core.target.Refusal;
import java.sql.SQLException;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Comparator;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.stream.IntStream;

/**
 * The rows of a flush that a table does not take. Most are found by the database itself, all at
 * once ({@link Loading.Inserting#unfit}). What it cannot tell is found by inserting halves of the
 * rows, each in a transaction that is rolled back: first those that are refused whatever comes with
 * them, then those that clash with rows before them. For one thread.
 */
final class Sieve {
  /** Inserts rows, and takes them back. */
  @FunctionalInterface
  interface Trial {
    /**
     * Tries to insert rows.
     *
     * @param rows at least one
     * @return why the table does not take them, in one line, if that is because of the rows
     * @throws SQLException if it failed because of anything else
     */
    Optional<String> failure(List<Rows> rows) throws SQLException;
  }

  private final Flush flush;
  private final int[] partOf;
  private final int[] rowOf;
  private final int[] numberOf;
  private final List<Refusal> refused = new ArrayList<>();
  private int searched;

  /**
   * A sieve of rows.
   *
   * @param fresh of each part of the flush, those of its rows that are to be inserted
   */
  Sieve(Flush flush, List<Rows> fresh) {
    this.flush = flush;
    int all = fresh.stream().mapToInt(Rows::count).sum();
    this.partOf = new int[all];
    this.rowOf = new int[all];
    this.numberOf = new int[all];
    int next = 0;
    for (int part = 0; part < fresh.size(); part++) {
      Rows own = fresh.get(part);
      int at = 0;
      // Invariant: own.row(0..at) are behind us, as are those of the whole part before i.
      Rows whole = flush.parts().get(part).rows();
      int number = 0;
      for (int i = 0; at < own.count(); i++) {
        Batch batch = whole.batch();
        boolean same = i > 0 && batch.position(whole.row(i - 1)) == batch.position(whole.row(i));
        number = same ? number + 1 : 0;
        if (whole.row(i) == own.row(at)) {
          partOf[next] = part;
          numberOf[next] = number;
          rowOf[next++] = own.row(at++);
        }
      }
    }
  }

  /** Notes rows that are refused, by their numbers in the order of the flush, with the reasons. */
  void refuse(Map<Integer, String> rows) {
    rows.forEach(this::refuse);
  }

  /** Finds those that are refused by inserting halves. */
  void halve(Trial trial) throws SQLException {
    List<Integer> alone = new ArrayList<>();
    sift(trial, List.of(), IntStream.range(0, rowOf.length).boxed().toList(), alone);
    if (failure(trial, alone) != null) {
      searched = 0;
      List<Integer> together = new ArrayList<>();
      sift(trial, together, alone, together);
    }
  }

  /** What was refused, in the order of the sources and their positions. */
  List<Refusal> refused() {
    refused.sort(
        Comparator.comparing(Refusal::source)
            .thenComparingLong(Refusal::position)
            .thenComparingInt(Refusal::row));
    return refused;
  }

  /**
   * Adds to {@code kept} those of some rows that can be inserted behind {@code before}, which may
   * be the same list.
   */
  private void sift(Trial trial, List<Integer> before, List<Integer> some, List<Integer> kept)
      throws SQLException {
    List<Integer> all = new ArrayList<>(before);
    all.addAll(some);
    String failure = failure(trial, all);
    if (failure == null) {
      kept.addAll(some);
    } else if (some.size() == 1) {
      refuse(some.get(0), failure);
    } else {
      sift(trial, before, some.subList(0, some.size() / 2), kept);
      sift(trial, before, some.subList(some.size() / 2, some.size()), kept);
      return;
    }
    searched += some.size();
    flush.search().found(searched, refused.size(), rowOf.length);
  }

  /** Why rows cannot be inserted; null if they can. */
  private String failure(Trial trial, List<Integer> some) throws SQLException {
    if (some.isEmpty()) {
      return null;
    }
    return trial.failure(rows(some)).orElse(null);
  }

  private List<Rows> rows(List<Integer> some) {
    List<Rows> rows = new ArrayList<>();
    int[] selected = new int[some.size()];
    for (int at = 0; at < some.size(); ) {
      int part = partOf[some.get(at)];
      int count = 0;
      while (at < some.size() && partOf[some.get(at)] == part) {
        selected[count++] = rowOf[some.get(at++)];
      }
      Batch batch = flush.parts().get(part).rows().batch();
      rows.add(Rows.of(batch, Arrays.copyOf(selected, count), count));
    }
    return rows;
  }

  private void refuse(int which, String why) {
    Flush.Part part = flush.parts().get(partOf[which]);
    long position = part.rows().batch().position(rowOf[which]);
    refused.add(new Refusal(part.source(), position, numberOf[which], why));
  }
}

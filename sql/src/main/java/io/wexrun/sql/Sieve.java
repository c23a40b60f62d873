package io.wexrun.sql;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.Rows;
import io.wexrun.core.target.Flush;
import io.wexrun.core.target.Refusal;
import java.sql.SQLException;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Optional;
import java.util.stream.IntStream;

/**
 * Finds the rows that a table does not take, by inserting halves of them, each in a transaction
 * that is rolled back: first those that are refused whatever comes with them, then those that clash
 * with rows before them. For one thread.
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

  private final Trial trial;
  private final List<Flush.Part> parts;
  private final int[] partOf;
  private final int[] rowOf;
  private final List<Refusal> refused = new ArrayList<>();

  /**
   * A sieve of rows.
   *
   * @param trial inserts rows and takes them back
   * @param parts the parts of a flush
   * @param fresh of each part, those of its rows that are to be inserted
   */
  Sieve(Trial trial, List<Flush.Part> parts, List<Rows> fresh) {
    this.trial = trial;
    this.parts = parts;
    int all = fresh.stream().mapToInt(Rows::count).sum();
    this.partOf = new int[all];
    this.rowOf = new int[all];
    int next = 0;
    for (int part = 0; part < fresh.size(); part++) {
      for (int i = 0; i < fresh.get(part).count(); i++) {
        partOf[next] = part;
        rowOf[next++] = fresh.get(part).row(i);
      }
    }
  }

  /** The rows that can be inserted together, part by part. */
  List<Rows> kept() throws SQLException {
    List<Integer> alone = new ArrayList<>();
    sift(List.of(), IntStream.range(0, rowOf.length).boxed().toList(), alone);
    if (failure(alone) == null) {
      return rows(alone);
    }
    List<Integer> together = new ArrayList<>();
    sift(together, alone, together);
    return rows(together);
  }

  /** What was refused, in the order of the flush. */
  List<Refusal> refused() {
    refused.sort(
        (a, b) -> {
          int source = a.source().compareTo(b.source());
          int position = Long.compare(a.position(), b.position());
          return source != 0
              ? source
              : position != 0 ? position : Integer.compare(a.row(), b.row());
        });
    return refused;
  }

  /**
   * Adds to {@code kept} those of some rows that can be inserted behind {@code before}, which may
   * be the same list.
   */
  private void sift(List<Integer> before, List<Integer> some, List<Integer> kept)
      throws SQLException {
    List<Integer> all = new ArrayList<>(before);
    all.addAll(some);
    String failure = failure(all);
    if (failure == null) {
      kept.addAll(some);
    } else if (some.size() == 1) {
      refuse(some.get(0), failure);
    } else {
      sift(before, some.subList(0, some.size() / 2), kept);
      sift(before, some.subList(some.size() / 2, some.size()), kept);
    }
  }

  /** Why rows cannot be inserted; null if they can. */
  private String failure(List<Integer> some) throws SQLException {
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
      rows.add(Rows.of(parts.get(part).rows().batch(), Arrays.copyOf(selected, count), count));
    }
    return rows;
  }

  private void refuse(int which, String why) {
    Flush.Part part = parts.get(partOf[which]);
    Batch batch = part.rows().batch();
    long position = batch.position(rowOf[which]);
    int row = 0;
    for (int i = 0; part.rows().row(i) != rowOf[which]; i++) {
      row = batch.position(part.rows().row(i)) == position ? row + 1 : 0;
    }
    refused.add(new Refusal(part.source(), position, row, why));
  }
}

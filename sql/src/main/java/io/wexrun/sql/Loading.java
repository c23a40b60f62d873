package io.wexrun.sql;

import io.wexrun.core.batch.Rows;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.target.Flush;
import io.wexrun.core.target.Receipt;
import io.wexrun.core.target.Refusal;
import java.sql.Connection;
import java.sql.SQLException;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.concurrent.atomic.AtomicLong;

/**
 * What becomes of the rows of a flush in a table: those that were committed before are skipped, and
 * if the table does not take some of the others, these are found and refused.
 *
 * @param receipt once the transaction is committed
 * @param more how many rows of each source partition it commits
 * @param replaced how many of them took the places of others, or had theirs taken
 */
public record Loading(Receipt receipt, Map<SourcePartition, Long> more, long replaced) {
  /** How a database inserts rows, in the transaction of the flush. */
  public interface Inserting {
    /**
     * Inserts rows; by the table's key, if it has one, they take the places of others.
     *
     * @return how many of them took no other's place
     */
    long insert(List<Rows> rows) throws SQLException;

    /** Whether an insertion failed because of its rows, so that others may be inserted. */
    boolean isAboutRows(SQLException failure);

    /** Takes back what an insertion did before it failed. */
    void takeBack() throws SQLException;

    /** Why the table does not take rows, if that is because of the rows; they are taken back. */
    Optional<String> failure(List<Rows> rows) throws SQLException;

    /**
     * Finds the rows that the table does not take, all at once; what that inserts is {@linkplain
     * #takeBack taken back}.
     *
     * @param rows at least one; of those with one key only the newest
     * @param searched is called with how many were searched and how many of them are refused
     * @return why, by the numbers of rows from 0, counted through all parts; empty if the database
     *     cannot tell
     */
    Map<Integer, String> unfit(List<Rows> rows, Searched searched) throws SQLException;

    /** Inserts rows into {@link Refusals#NAME}. */
    void remember(Rows refused) throws SQLException;
  }

  /** Learns how far a search for refused rows has got. */
  @FunctionalInterface
  public interface Searched {
    /** So many rows were searched, and so many of them are refused. */
    void rows(long count, long refused);
  }

  /**
   * Loads a flush.
   *
   * @param connection in the transaction of the flush
   * @param table where they go
   * @param done up to where the rows of each source partition were committed before
   * @param refusals of the table, which know what was refused before
   */
  public static Loading of(
      Connection connection,
      Table table,
      Flush flush,
      Map<SourcePartition, Long> done,
      Refusals refusals,
      Inserting how)
      throws SQLException {
    List<Rows> fresh = new ArrayList<>();
    List<Refusal> refused = new ArrayList<>();
    for (Flush.Part part : flush.parts()) {
      long from = done.getOrDefault(part.source(), Long.MIN_VALUE);
      fresh.add(part.rows().from(from));
      refused.addAll(refusals.of(connection, part, from));
    }
    long handed = fresh.stream().mapToLong(Rows::count).sum();
    long skipped = flush.rows() - handed - refused.size();
    List<Refusal> found = new ArrayList<>();
    AtomicLong grown = new AtomicLong();
    long written = handed == 0 ? 0 : load(table, flush, fresh, found, how, grown);
    if (!found.isEmpty()) {
      how.remember(refusals.rows(found));
    }
    Map<SourcePartition, Long> more = new HashMap<>();
    for (int i = 0; i < fresh.size(); i++) {
      more.merge(flush.parts().get(i).source(), (long) fresh.get(i).count(), Long::sum);
    }
    found.forEach(refusal -> more.merge(refusal.source(), -1L, Long::sum));
    refused.addAll(found);
    return new Loading(new Receipt(written, skipped, refused), more, written - grown.get());
  }

  /**
   * Inserts rows, of those with one key the newest that the table takes; how many became of it,
   * those included that a newer one replaces.
   *
   * @param grown is set to how many of them took no other's place
   */
  private static long load(
      Table table,
      Flush flush,
      List<Rows> fresh,
      List<Refusal> found,
      Inserting how,
      AtomicLong grown)
      throws SQLException {
    List<Rows> left = fresh;
    List<Rows> newest = Newest.of(table, left);
    Optional<SQLException> failure = failure(newest, how, grown);
    while (failure.isPresent()) {
      Sieve sieve = new Sieve(flush, newest);
      long before = found.size();
      Map<Integer, String> unfit =
          how.unfit(
              newest,
              (count, refused) -> flush.search().found(count, before + refused, flush.rows()));
      how.takeBack();
      if (unfit.isEmpty()) {
        sieve.halve(how::failure);
      } else {
        sieve.refuse(unfit);
      }
      if (sieve.refused().isEmpty()) {
        throw failure.get(); // Each row fits, and all fit together: it is not about them.
      }
      found.addAll(sieve.refused());
      left = without(flush, left, found);
      newest = Newest.of(table, left);
      failure = failure(newest, how, grown);
    }
    return left.stream().mapToLong(Rows::count).sum();
  }

  /** Inserts rows; why some of them are not taken, if it is about them: then none is inserted. */
  private static Optional<SQLException> failure(List<Rows> rows, Inserting how, AtomicLong grown)
      throws SQLException {
    List<Rows> some = rows.stream().filter(part -> part.count() > 0).toList();
    try {
      if (!some.isEmpty()) {
        grown.set(how.insert(some));
      }
      return Optional.empty();
    } catch (SQLException e) {
      if (!how.isAboutRows(e)) {
        throw e;
      }
      how.takeBack();
      return Optional.of(e);
    }
  }

  /** The rows that are not refused. */
  private static List<Rows> without(Flush flush, List<Rows> rows, List<Refusal> refused) {
    Set<Refusal> gone = new HashSet<>();
    refused.forEach(r -> gone.add(new Refusal(r.source(), r.position(), r.row(), "")));
    List<Rows> left = new ArrayList<>();
    for (int part = 0; part < rows.size(); part++) {
      Flush.Part whole = flush.parts().get(part);
      Rows own = rows.get(part);
      int[] kept = new int[own.count()];
      int count = 0;
      int next = 0;
      // Invariant: own.row(0, next) are behind us, as are those of the whole part before i.
      int number = 0;
      for (int i = 0; i < whole.rows().count() && next < own.count(); i++) {
        int row = whole.rows().row(i);
        long position = whole.rows().batch().position(row);
        boolean same = i > 0 && whole.rows().batch().position(whole.rows().row(i - 1)) == position;
        number = same ? number + 1 : 0;
        if (row == own.row(next)) {
          next++;
          if (!gone.contains(new Refusal(whole.source(), position, number, ""))) {
            kept[count++] = row;
          }
        }
      }
      left.add(Rows.of(own.batch(), kept, count));
    }
    return left;
  }
}

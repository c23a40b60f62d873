package io.wexrun.sql;

import io.wexrun.core.batch.Rows;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.target.Flush;
import io.wexrun.core.target.Receipt;
import io.wexrun.core.target.Refusal;
import java.sql.SQLException;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/**
 * What becomes of the rows of a flush in a table: those that were committed before are skipped, and
 * if the table does not take some of the others, these are found and refused.
 *
 * @param receipt once the transaction is committed
 * @param more how many rows of each source partition it commits
 */
public record Loading(Receipt receipt, Map<SourcePartition, Long> more) {
  /** How a database inserts rows, in the transaction of the flush. */
  public interface Inserting {
    /** Inserts rows; how many there were. */
    long insert(List<Rows> rows) throws SQLException;

    /** Whether an insertion failed because of its rows, so that others may be inserted. */
    boolean isAboutRows(SQLException failure);

    /** Takes back what an insertion did before it failed. */
    void takeBack() throws SQLException;

    /** Why the table does not take rows, if that is because of the rows; they are taken back. */
    Optional<String> failure(List<Rows> rows) throws SQLException;

    /** Notes rows that are refused. */
    void remember(List<Refusal> refused) throws SQLException;
  }

  /**
   * Loads a flush.
   *
   * @param done up to where the rows of each source partition were committed before
   * @param refusals of the table, which know what was refused before
   */
  public static Loading of(
      Flush flush, Map<SourcePartition, Long> done, Refusals refusals, Inserting how)
      throws SQLException {
    List<Rows> fresh = new ArrayList<>();
    List<Refusal> refused = new ArrayList<>();
    for (Flush.Part part : flush.parts()) {
      long from = done.getOrDefault(part.source(), Long.MIN_VALUE);
      fresh.add(part.rows().from(from));
      refused.addAll(refusals.of(part, from));
    }
    long handed = fresh.stream().mapToLong(Rows::count).sum();
    long skipped = flush.rows() - handed - refused.size();
    List<Refusal> found = new ArrayList<>();
    long written = handed == 0 ? 0 : load(flush, fresh, found, how);
    Map<SourcePartition, Long> more = new HashMap<>();
    for (int i = 0; i < fresh.size(); i++) {
      more.merge(flush.parts().get(i).source(), (long) fresh.get(i).count(), Long::sum);
    }
    found.forEach(refusal -> more.merge(refusal.source(), -1L, Long::sum));
    refused.addAll(found);
    return new Loading(new Receipt(written, skipped, refused), more);
  }

  private static long load(Flush flush, List<Rows> fresh, List<Refusal> found, Inserting how)
      throws SQLException {
    try {
      return how.insert(fresh.stream().filter(part -> part.count() > 0).toList());
    } catch (SQLException e) {
      if (!how.isAboutRows(e)) {
        throw e;
      }
    }
    how.takeBack();
    Sieve sieve = new Sieve(how::failure, flush.parts(), fresh);
    List<Rows> kept = sieve.kept();
    found.addAll(sieve.refused());
    long written = kept.isEmpty() ? 0 : how.insert(kept);
    how.remember(sieve.refused());
    return written;
  }
}

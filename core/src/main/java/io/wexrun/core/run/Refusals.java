package io.wexrun.core.run;

import io.wexrun.core.batch.Rows;
import io.wexrun.core.dead.LetterRows;
import io.wexrun.core.dead.Reason;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Former;
import io.wexrun.core.intake.Records;
import io.wexrun.core.pipeline.Route;
import io.wexrun.core.target.Flush;
import io.wexrun.core.target.Receipt;
import io.wexrun.core.target.Refusal;
import io.wexrun.core.target.Target;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;

/**
 * Makes dead letters of rows that stores refused, with their raw records.
 *
 * <p>They are written after the flush that refused them was committed, and before the next one. If
 * that fails, the target names them again when their range is delivered again. The dead letters of
 * each refusing target are written under a name of their own, since they come in another order than
 * those of shaping. For several threads.
 */
final class Refusals implements AutoCloseable {
  /** Stands between the names of the pipeline and the target; no name has it. */
  private static final String OF = ">";

  /**
   * Where rows come from.
   *
   * @param block their raw records
   * @param whole whether each record became one row, so that who refuses the row refuses the record
   */
  record Source(Block block, boolean whole) {}

  private final String pipeline;
  private final String version;
  private final TargetOpener opener;
  private final Map<String, Target> open = new HashMap<>();

  Refusals(String pipeline, String version, TargetOpener opener) {
    this.pipeline = pipeline;
    this.version = version;
    this.opener = opener;
  }

  /**
   * Writes what a target refused.
   *
   * @param sources where the flush's parts come from
   * @return how many letters are new; the others were written before a failure
   */
  long bury(String target, Flush flush, List<Source> sources, Receipt receipt) {
    List<Flush.Part> letters = new ArrayList<>();
    long rows = 0;
    for (int i = 0; i < flush.parts().size(); i++) {
      Flush.Part part = flush.parts().get(i);
      List<Refusal> refused =
          receipt.refused().stream()
              .filter(
                  r ->
                      r.source().equals(part.source())
                          && r.position() >= part.from()
                          && r.position() < part.end())
              .toList();
      if (!refused.isEmpty()) {
        Rows dead = letters(target, sources.get(i).block(), sources.get(i).whole(), refused);
        letters.add(new Flush.Part(part.source(), part.from(), part.end(), dead));
        rows += dead.count();
      }
    }
    if (rows != receipt.refused().size()) {
      throw new OutsideException(
          "target "
              + target
              + " of pipeline "
              + pipeline
              + " refused rows that it was not given; the tally stays where it was");
    }
    Receipt buried = target(target).stage(new Flush(letters)).commit();
    if (buried.written() + buried.skipped() != rows) {
      throw new OutsideException(
          "the dead letters of pipeline " + pipeline + " did not take all that were refused");
    }
    return buried.written();
  }

  private Rows letters(String target, Block block, boolean whole, List<Refusal> refused) {
    Records records = block.records();
    LetterRows rows = new LetterRows();
    int next = 0;
    for (Refusal refusal : refused) {
      while (next < records.count() && records.position(next) < refusal.position()) {
        next++;
      }
      if (next < records.count() && records.position(next) == refusal.position()) {
        String which = refusal.row() == 0 ? "" : " (row " + (refusal.row() + 1) + ")";
        if (whole) {
          rows.add(next, Reason.REFUSED, target, "", refusal.why() + which);
        } else {
          Former.Part part = new Former.Part(target, refusal.row());
          rows.add(next, Reason.REFUSED, target, refusal.why() + which, part);
        }
      }
    }
    return Rows.all(rows.batch(records, version));
  }

  private synchronized Target target(String refusing) {
    return open.computeIfAbsent(refusing, name -> opener.open(Route.DEAD, pipeline + OF + name));
  }

  /** What is accounted for is not refused again. */
  @Override
  public synchronized void close() {
    open.values().forEach(Target::close);
    open.clear();
  }
}

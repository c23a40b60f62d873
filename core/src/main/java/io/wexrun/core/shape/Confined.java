package io.wexrun.core.shape;

import io.wexrun.core.batch.Rows;
import io.wexrun.core.dead.LetterRows;
import io.wexrun.core.dead.Reason;
import io.wexrun.core.intake.Former;
import io.wexrun.core.intake.Records;
import java.util.Map;

/**
 * Keeps what a dead letter is for that is replayed: if a store refused one row of a record, and the
 * others are in their targets, only that row comes again. Such a letter is a block of its own.
 */
final class Confined {
  private Confined() {}

  /** What was made of a block, without what is there already. */
  static Shaped toPart(Shaped shaped, Records records, String version) {
    if (!records.areReplayed() || records.count() != 1 || shaped.dead().count() > 0) {
      return shaped;
    }
    return records
        .former(0)
        .part()
        .map(part -> toPart(shaped, records, version, part))
        .orElse(shaped);
  }

  private static Shaped toPart(Shaped shaped, Records records, String version, Former.Part part) {
    Rows rows = shaped.rows().get(part.target());
    if (rows != null && part.row() < rows.count()) {
      Rows one = Rows.of(rows.batch(), new int[] {rows.row(part.row())}, 1);
      LetterRows none = new LetterRows();
      return with(shaped, Map.of(part.target(), one), none, records, version);
    }
    LetterRows letter = new LetterRows();
    letter.add(
        0,
        Reason.REFUSED,
        part.target(),
        "the pipeline makes no such row of the record any more for this target, and other rows of"
            + " it are loaded",
        part);
    return with(shaped, Map.of(), letter, records, version);
  }

  private static Shaped with(
      Shaped shaped, Map<String, Rows> rows, LetterRows dead, Records records, String version) {
    return new Shaped(
        shaped.block(),
        shaped.taken(),
        0,
        0,
        0,
        rows,
        Rows.all(dead.batch(records, version)),
        dead.reasons(),
        shaped.left(),
        shaped.ignored(),
        shaped.efforts(),
        shaped.fitted());
  }
}

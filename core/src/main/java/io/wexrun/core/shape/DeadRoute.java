package io.wexrun.core.shape;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.Rows;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.dead.DeadLetter;
import io.wexrun.core.dead.Reason;
import io.wexrun.core.intake.Records;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type;
import io.wexrun.core.step.Rejects;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.BitSet;
import java.util.EnumMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;

/**
 * Sends some of a pipeline's dead letters elsewhere: to a table, a queue, or nowhere. Those that no
 * entry takes, or that their table does not take, stay dead letters. Immutable.
 */
final class DeadRoute {
  private static final String TEXT = "text";
  private static final String KEY = "key";

  /** The fields of a letter: what its conditions see, and its tables may have columns of. */
  static final Schema FIELDS = fields();

  private final Router router;

  /**
   * A route of dead letters.
   *
   * @param router compiled against {@link #FIELDS}
   */
  DeadRoute(Router router) {
    this.router = router;
  }

  private static Schema fields() {
    List<Column> columns = new ArrayList<>(DeadLetter.SCHEMA.columns());
    columns.add(Column.required(TEXT, Type.Scalar.TEXT));
    return new Schema(columns);
  }

  Set<String> targets() {
    return router.targets();
  }

  List<String> onLibrary() {
    return router.onLibrary();
  }

  /** Sends the dead letters of a block on. */
  Shaped sendOn(Shaped shaped, Records records) {
    Batch letters = shaped.dead().batch();
    if (letters.rows() == 0) {
      return shaped;
    }
    Batch whole = letters.with(FIELDS, Map.of(TEXT, texts(letters, records)));
    Rejects stay = new Rejects();
    Router.Chosen chosen = router.choose(whole, stay);
    Router.Routed routed = router.gather(chosen, stay, new BitSet());
    int[] dead = new int[letters.rows()];
    int count = 0;
    Map<Reason, Long> reasons = new EnumMap<>(Reason.class);
    TextVector codes = (TextVector) letters.column(letters.schema().find("reason").orElseThrow());
    for (int row = 0; row < letters.rows(); row++) {
      if (stay.rejected(letters.record(row))) {
        dead[count++] = row;
        reasons.merge(Reason.of(codes.text(row)).orElseThrow(), 1L, Long::sum);
      }
    }
    Map<String, Rows> rows = new LinkedHashMap<>(shaped.rows());
    routed.rows().forEach((target, part) -> rows.merge(target, part, Merging::of));
    return new Shaped(
        shaped.block(),
        shaped.taken(),
        shaped.unfolded(),
        shaped.copied() + routed.copied(),
        shaped.dropped() + routed.dropped(),
        rows,
        Rows.of(letters, dead, count),
        reasons,
        shaped.left(),
        shaped.ignored(),
        shaped.efforts(),
        shaped.fitted());
  }

  private static TextVector texts(Batch letters, Records records) {
    TextVector texts = new TextVector(letters.rows(), letters.rows() * 100);
    for (int row = 0; row < letters.rows(); row++) {
      int record = letters.record(row);
      int start = records.start(record);
      // What is not UTF-8 becomes replacement characters.
      texts.append(
          new String(records.data(), start, records.end(record) - start, StandardCharsets.UTF_8));
    }
    return texts;
  }

  /**
   * Letters for a queue, with what is known of them as headers.
   *
   * @param keyed letters of which nothing is left but a key
   */
  static Batch forQueue(Batch letters, Batch keyed) {
    List<Column> columns = new ArrayList<>(DeadLetter.SCHEMA.columns());
    columns.add(Column.of(KEY, Type.Scalar.TEXT));
    Schema schema = new Schema(columns);
    Batch withoutText =
        letters.with(DeadLetter.SCHEMA, letters.columns().subList(0, DeadLetter.SCHEMA.size()));
    return withoutText.with(schema, Map.of(KEY, keyed.column(0)));
  }
}

package io.wexrun.core.shape;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.dead.Reason;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.field.JsonMembers;
import io.wexrun.core.pipeline.Drift;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.schema.Doubtful;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type;
import io.wexrun.core.step.Rejects;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalInt;
import java.util.function.Consumer;

/**
 * Looks for fields that data have and a table has no column for; one that is null is not there.
 * Immutable.
 *
 * @param place of the field that holds them as one JSON object; -1 if nobody wants to know
 */
record NewFields(Table table, int place, Optional<Drift> drift) {
  /** So many names are told apart in a block; the values of others are counted together. */
  private static final int MOST = 100;

  private static final String OTHERS = "...";

  static NewFields of(
      Table table, Schema fields, Doubtful doubtful, KeyPath path, Diagnostics diagnostics) {
    Optional<Drift> drift = table.details().drift();
    if (drift.isEmpty()) {
      return new NewFields(table, -1, drift);
    }
    String field = drift.get().field();
    OptionalInt place = fields.find(field);
    String who = "table '" + table.name() + "' looks for new fields in '" + field + "'";
    if (place.isEmpty() && !doubtful.mayBe(field, fields.names())) {
      diagnostics.error(
          "unknown-field",
          path,
          who + ", but the shape gives no field of that name",
          Optional.of("the step that reads the records keeps what no field takes: rest: " + field));
    } else if (place.isPresent() && fields.column(place.getAsInt()).type() != Type.Scalar.JSON) {
      String type = fields.column(place.getAsInt()).type().withArticle();
      diagnostics.error(
          "type-clash", path, who + ", which is " + type + ", not JSON", Optional.empty());
    }
    return new NewFields(table, place.orElse(-1), drift);
  }

  private boolean is(Drift.Policy policy) {
    return place >= 0 && drift.map(Drift::policy).equals(Optional.of(policy));
  }

  /** Whether {@link #check} may reject a row. */
  boolean mayReject() {
    return is(Drift.Policy.DIE);
  }

  /** Rejects a row with a new field, if the table takes none. */
  void check(Batch batch, int row, Rejects rejects) {
    if (!mayReject()) {
      return;
    }
    StringBuilder found = new StringBuilder();
    visit(
        batch,
        row,
        name -> {
          if (found.length() < 200) {
            found.append(found.isEmpty() ? "'" : ", '").append(name).append('\'');
          }
        });
    if (!found.isEmpty()) {
      rejects.reject(
          batch.record(row),
          Reason.NEW_FIELD,
          drift.orElseThrow().field(),
          "table '" + table.name() + "' has no column for " + found);
    }
  }

  /** Counts values of new fields in rows that go to the table, if it ignores them. */
  void count(Batch batch, int[] rows, int count, Map<String, Long> counts) {
    if (!is(Drift.Policy.IGNORE)) {
      return;
    }
    for (int i = 0; i < count; i++) {
      visit(
          batch,
          rows[i],
          name -> {
            String key = table.name() + "." + name;
            boolean told = counts.size() < MOST || counts.containsKey(key);
            counts.merge(told ? key : table.name() + "." + OTHERS, 1L, Long::sum);
          });
    }
  }

  private void visit(Batch batch, int row, Consumer<String> told) {
    TextVector objects = (TextVector) batch.column(place);
    if (objects.absent(row) || objects.data()[objects.start(row)] != '{') {
      return;
    }
    new JsonMembers()
        .each(
            objects.data(),
            objects.start(row),
            objects.end(row),
            (name, from, to) -> {
              if (objects.data()[from] != 'n' && table.schema().find(name).isEmpty()) {
                told.accept(name);
              }
            });
  }
}

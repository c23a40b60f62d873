package io.wexrun.core.rollup;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.Rows;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.batch.Vectors;
import io.wexrun.core.pipeline.Rollup;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;

/**
 * Rows on their way into a rollup, in groups. What was kept of a group before can be added, and
 * then the whole be written in its place; or the part alone is written beside the others. The
 * result depends on the rows alone, not on their order or on how they came in parts. For one
 * thread.
 */
public final class Grouping {
  private final Table table;
  private final Rollup rollup;
  private final Groups groups;
  private final List<Accumulator> measures = new ArrayList<>();
  private final Map<String, Integer> byId = new HashMap<>();
  private final List<String> ids = new ArrayList<>();

  private Grouping(Table table, Schema input) {
    this.table = table;
    this.rollup = table.rollup().orElseThrow();
    this.groups =
        new Groups(
            rollup.group().stream()
                .map(name -> input.column(input.find(name).orElseThrow()))
                .toList());
    for (Rollup.Measure measure : rollup.measures()) {
      Type type =
          input.find(measure.column()).stream()
              .mapToObj(place -> input.column(place).type())
              .findFirst()
              .orElse(null);
      measures.add(Accumulator.of(measure, type));
    }
  }

  /**
   * The groups of rows.
   *
   * @param rows of one schema: the columns of the group, and for each measure of something a column
   *     of its name with the values; at least one part
   */
  public static Grouping of(Table table, List<Rows> rows) {
    Schema input = rows.get(0).batch().schema();
    Grouping grouping = new Grouping(table, input);
    rows.forEach(part -> grouping.add(part, input));
    for (int group = 0; group < grouping.groups.count(); group++) {
      String id = grouping.groups.id(group).toString();
      grouping.byId.put(id, group);
      grouping.ids.add(id);
    }
    return grouping;
  }

  private void add(Rows rows, Schema input) {
    int[] places =
        rollup.group().stream().mapToInt(name -> input.find(name).orElseThrow()).toArray();
    int[] group = groups.of(rows, places);
    for (int i = 0; i < measures.size(); i++) {
      Vector values =
          input.find(rollup.measures().get(i).column()).stream()
              .mapToObj(place -> rows.batch().column(place))
              .findFirst()
              .orElse(null);
      measures.get(i).room(groups.count());
      measures.get(i).add(rows, values, group);
    }
  }

  /** What tells each group from all others: the values of {@link Rollup#ID}. */
  public List<String> ids() {
    return List.copyOf(ids);
  }

  /**
   * Adds what a table has of these groups.
   *
   * @param stored rows with the columns of the table; those of other groups are left out
   */
  public void absorb(Batch stored) {
    TextVector of = (TextVector) stored.column(stored.schema().find(Rollup.ID).orElseThrow());
    for (int row = 0; row < stored.rows(); row++) {
      Integer group = byId.get(of.text(row));
      for (int i = 0; i < measures.size() && group != null; i++) {
        int[] places = Accumulator.Kept.places(rollup.measures().get(i), stored.schema());
        measures.get(i).absorb(new Accumulator.Kept(stored, places, row), group);
      }
    }
  }

  /**
   * The groups as rows of the table.
   *
   * @throws OutOfRange if a measure does not fit into its column
   */
  public Batch rows() {
    Schema schema = table.schema();
    int count = groups.count();
    Vector[] columns = new Vector[schema.size()];
    for (int c = 0; c < columns.length; c++) {
      columns[c] = Vectors.forType(schema.column(c).type(), count);
    }
    for (int c = 0; c < rollup.group().size(); c++) {
      Vector values = groups.values(c);
      columns[schema.find(rollup.group().get(c)).orElseThrow()] = values;
    }
    TextVector id = (TextVector) columns[schema.find(Rollup.ID).orElseThrow()];
    ids.forEach(id::append);
    for (int i = 0; i < measures.size(); i++) {
      int[] places = Accumulator.Kept.places(rollup.measures().get(i), schema);
      Vector[] own = new Vector[places.length];
      for (int p = 0; p < places.length; p++) {
        own[p] = columns[places[p]];
      }
      for (int group = 0; group < count; group++) {
        measures.get(i).write(group, own);
      }
    }
    return Batch.ofNoRecords(schema, List.of(columns), count);
  }
}

package io.wexrun.project.ask;

import io.wexrun.core.pipeline.Table;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type;
import io.wexrun.core.target.AddedColumn;
import io.wexrun.core.target.Answer;
import io.wexrun.core.target.Comparing;
import io.wexrun.core.target.TableDifference;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Collections;
import java.util.List;
import java.util.Optional;
import java.util.OptionalLong;

/**
 * How a table stands in a store that another process holds, as that process says.
 *
 * @param there whether the store has it
 * @param statement the one that makes it
 * @param difference how it differs from its definition
 * @param count how many rows it has
 * @param more the columns that it got because data had fields for which it had none
 * @param live its columns as they are
 */
public record AskedTable(
    boolean there,
    String statement,
    Optional<TableDifference> difference,
    OptionalLong count,
    List<AddedColumn> more,
    Optional<Schema> live)
    implements Comparing {
  private static final List<String> COLUMNS = List.of("what", "1", "2", "3", "4", "5", "6");

  /** What a store says of a table; of one that is defined without columns only what it is. */
  static AskedTable of(Comparing store, Table table) {
    boolean defined = table.schema().size() > 0;
    return new AskedTable(
        store.has(table.name()),
        defined ? store.ddl(table) : "",
        defined ? store.compare(table) : Optional.empty(),
        store.rows(table),
        store.added(table.name()),
        store.columns(table.name()));
  }

  @Override
  public Optional<Schema> columns(String table) {
    return live;
  }

  @Override
  public Optional<TableDifference> compare(Table table) {
    return difference;
  }

  @Override
  public boolean has(String table) {
    return there;
  }

  @Override
  public OptionalLong rows(Table table) {
    return count;
  }

  @Override
  public List<AddedColumn> added(String table) {
    return more;
  }

  @Override
  public String ddl(Table table) {
    return statement;
  }

  /** The same as rows, one for each thing that is said. */
  Answer answer() {
    List<List<Object>> rows = new ArrayList<>();
    rows.add(row("there", there, statement));
    count.ifPresent(all -> rows.add(row("rows", all)));
    difference.ifPresent(
        differs -> {
          rows.add(row("differs", differs.table(), differs.ddl(), differs.stops()));
          differs
              .columns()
              .forEach(
                  c ->
                      rows.add(
                          row(
                              "column",
                              c.name(),
                              c.there().orElse(null),
                              c.defined().orElse(null),
                              c.what())));
        });
    live.ifPresent(
        schema ->
            schema
                .columns()
                .forEach(c -> rows.add(row("live", c.name(), c.type().toString(), c.required()))));
    for (AddedColumn c : more) {
      rows.add(
          row("added", c.column(), c.type(), c.by(), c.source(), c.position(), c.at().toString()));
    }
    return new Answer(COLUMNS, Collections.nCopies(COLUMNS.size(), false), rows);
  }

  private static List<Object> row(Object... values) {
    return Arrays.asList(Arrays.copyOf(values, COLUMNS.size()));
  }

  /** What {@link #answer} has said. */
  static AskedTable of(Answer answer) {
    boolean there = false;
    String statement = "";
    OptionalLong count = OptionalLong.empty();
    Optional<String> differs = Optional.empty();
    List<String> ddl = new ArrayList<>();
    boolean[] stops = new boolean[1];
    List<TableDifference.Column> columns = new ArrayList<>();
    List<AddedColumn> more = new ArrayList<>();
    List<Column> live = new ArrayList<>();
    for (List<Object> row : answer.rows()) {
      switch ((String) row.get(0)) {
        case "there" -> {
          there = (Boolean) row.get(1);
          statement = (String) row.get(2);
        }
        case "rows" -> count = OptionalLong.of(((Number) row.get(1)).longValue());
        case "differs" -> {
          differs = Optional.of((String) row.get(1));
          ((List<?>) row.get(2)).forEach(each -> ddl.add((String) each));
          stops[0] = (Boolean) row.get(3);
        }
        case "live" ->
            live.add(
                new Column(
                    (String) row.get(1),
                    Type.parse((String) row.get(2)).orElseThrow(),
                    (Boolean) row.get(3)));
        case "column" ->
            columns.add(
                new TableDifference.Column(
                    (String) row.get(1),
                    Optional.ofNullable((String) row.get(2)),
                    Optional.ofNullable((String) row.get(3)),
                    (String) row.get(4)));
        default ->
            more.add(
                new AddedColumn(
                    (String) row.get(1),
                    (String) row.get(2),
                    (String) row.get(3),
                    (String) row.get(4),
                    ((Number) row.get(5)).longValue(),
                    Instant.parse((String) row.get(6))));
      }
    }
    Optional<TableDifference> difference =
        differs.map(table -> new TableDifference(table, columns, ddl, stops[0]));
    Optional<Schema> schema = live.isEmpty() ? Optional.empty() : Optional.of(new Schema(live));
    return new AskedTable(there, statement, difference, count, more, schema);
  }
}

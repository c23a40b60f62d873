package io.wexrun.sql;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.Rows;
import io.wexrun.core.batch.StructVector;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.batch.Vectors;
import io.wexrun.core.field.Field;
import io.wexrun.core.field.JsonMembers;
import io.wexrun.core.field.JsonValues;
import io.wexrun.core.identity.Identity;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.Drift;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type;
import io.wexrun.core.target.AddedColumn;
import io.wexrun.core.target.Flush;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.TreeMap;

/**
 * Gives a table columns for fields that are new in its data, and fills them. A column has the type
 * that fits the values of the first flush with them; values that do not fit into it later are
 * refused. For one target, and one thread at a time.
 */
public final class AddedColumns {
  /** The table in which it is kept when columns were added, and because of what. */
  public static final String TABLE =
      "create table if not exists wexrun.added (table_id varchar not null, column_name varchar not"
          + " null, type varchar not null, writer varchar not null, source varchar not null,"
          + " position bigint not null, added_at bigint not null, number bigint not null)";

  /** A table gets no more columns beyond so many. */
  private static final int MOST = 1000;

  /** The longest name that every database takes whole, in characters. */
  private static final int LONGEST_NAME = 60;

  private final Table table;
  private final Dialect dialect;
  private final String field;
  private final Map<String, Type> known = new LinkedHashMap<>();
  private boolean looked;

  private AddedColumns(Table table, Dialect dialect, String field) {
    this.table = table;
    this.dialect = dialect;
    this.field = field;
  }

  /** What adds columns to a table; empty if it is not to have any. */
  public static Optional<AddedColumns> of(Table table, Dialect dialect) {
    return table
        .details()
        .drift()
        .filter(drift -> drift.policy() == Drift.Policy.ADD)
        .map(drift -> new AddedColumns(table, dialect, drift.field()));
  }

  /**
   * Rows with the columns that they fill.
   *
   * @param table with these columns behind its own
   * @param unfit rows with a value that does not fit into its column, or has none: why, by their
   *     numbers from 0, counted through all parts
   */
  public record Filled(Table table, List<Rows> rows, Map<Integer, String> unfit) {
    /**
     * These rows, if all of them fit.
     *
     * @throws UnfitRows if one does not
     */
    public Filled orThrow() throws UnfitRows {
      if (!unfit.isEmpty()) {
        throw new UnfitRows(unfit.values().iterator().next());
      }
      return this;
    }
  }

  /** A field that was found for the first time. */
  private static final class Found {
    private final SourcePartition source;
    private final long position;
    private Type type;

    Found(SourcePartition source, long position) {
      this.source = source;
      this.position = position;
    }
  }

  /** Whether rows of a flush may need columns that are not known to be there. */
  public boolean needs(Flush flush) {
    return !looked || !known.keySet().containsAll(found(flush).keySet());
  }

  private Map<String, Found> found(Flush flush) {
    Map<String, Found> found = new LinkedHashMap<>();
    for (Flush.Part part : flush.parts()) {
      find(part, found);
    }
    found.values().removeIf(each -> each.type == null);
    return found;
  }

  /**
   * Adds the columns that the rows of a flush need and the table has not.
   *
   * @param connection in a transaction of its own, which is committed by the caller, and beside
   *     which nobody adds columns to the table
   */
  public void add(Connection connection, Identity identity, String writer, Flush flush)
      throws SQLException {
    Map<String, Found> found = found(flush);
    looked = true;
    List<StoredColumn> there = dialect.columns(connection, table.name());
    known.clear();
    for (AddedColumn column : read(connection, identity)) {
      there.stream()
          .filter(stored -> stored.name().equals(column.column()))
          .findFirst()
          .flatMap(dialect::read)
          .ifPresent(type -> known.put(column.column(), type));
    }
    int count = there.size();
    for (Map.Entry<String, Found> each : found.entrySet()) {
      String name = each.getKey();
      Optional<StoredColumn> same = there.stream().filter(c -> isSame(c.name(), name)).findFirst();
      if (same.isPresent()) {
        // Somebody has made it; it is filled if its values can be read.
        if (same.get().name().equals(name)) {
          dialect.read(same.get()).ifPresent(type -> known.putIfAbsent(name, type));
        }
      } else if (count < MOST && name.length() <= LONGEST_NAME && !name.isEmpty()) {
        add(connection, identity, writer, name, each.getValue(), count++);
        known.put(name, each.getValue().type);
        there = dialect.columns(connection, table.name());
      }
    }
  }

  private boolean isSame(String a, String b) {
    return dialect.foldsCase()
        ? a.toLowerCase(Locale.ROOT).equals(b.toLowerCase(Locale.ROOT))
        : a.equals(b);
  }

  private void find(Flush.Part part, Map<String, Found> found) {
    Batch batch = part.rows().batch();
    TextVector objects = objects(batch);
    JsonMembers members = new JsonMembers();
    for (int i = 0; i < part.rows().count(); i++) {
      int row = part.rows().row(i);
      if (isObject(objects, row)) {
        members.each(
            objects.data(),
            objects.start(row),
            objects.end(row),
            (name, from, to) -> {
              if (table.schema().find(name).isEmpty()) {
                Found each =
                    found.computeIfAbsent(name, n -> new Found(part.source(), batch.position(row)));
                each.type = wider(each.type, typeOf(objects.data(), from, to));
              }
            });
      }
    }
  }

  private TextVector objects(Batch batch) {
    return (TextVector) batch.column(batch.schema().find(field).orElseThrow());
  }

  private static boolean isObject(TextVector objects, int row) {
    return !objects.absent(row) && objects.data()[objects.start(row)] == '{';
  }

  /** The type of a JSON value; null for null. */
  private static Type typeOf(byte[] data, int from, int to) {
    return switch (data[from]) {
      case 'n' -> null;
      case 't', 'f' -> Type.Scalar.BOOL;
      case '"' -> Type.Scalar.TEXT;
      case '{', '[' -> Type.Scalar.JSON;
      default -> {
        LongTrial trial = new LongTrial();
        yield trial.fits(data, from, to) ? Type.Scalar.LONG : Type.Scalar.DOUBLE;
      }
    };
  }

  /** Whether a number is a whole one of 64 bits. */
  private static final class LongTrial {
    private final Field whole = Field.of("", Type.Scalar.LONG);

    boolean fits(byte[] data, int from, int to) {
      return whole.append(data, from, to, Vectors.forType(Type.Scalar.LONG, 1), 0);
    }
  }

  private static Type wider(Type a, Type b) {
    if (a == null || b == null || a.equals(b)) {
      return a == null ? b : a;
    }
    boolean numbers = a.storage() != Type.Storage.TEXT && b.storage() != Type.Storage.TEXT;
    boolean none = a == Type.Scalar.BOOL || b == Type.Scalar.BOOL;
    return numbers && !none ? Type.Scalar.DOUBLE : Type.Scalar.JSON;
  }

  private void add(
      Connection connection, Identity identity, String writer, String name, Found found, int number)
      throws SQLException {
    String type = dialect.type(found.type);
    try (Statement statement = connection.createStatement()) {
      statement.execute(
          "alter table "
              + Names.name(table.name())
              + " add column "
              + Names.name(name)
              + " "
              + type);
    }
    try (PreparedStatement insert =
        connection.prepareStatement("insert into wexrun.added values (?, ?, ?, ?, ?, ?, ?, ?)")) {
      insert.setString(1, identity.text());
      insert.setString(2, name);
      insert.setString(3, type);
      insert.setString(4, writer);
      insert.setString(5, found.source.name());
      insert.setLong(6, found.position);
      insert.setLong(7, System.currentTimeMillis());
      insert.setLong(8, number);
      insert.executeUpdate();
    }
  }

  /** The columns that a table was given, in their order. */
  public static List<AddedColumn> read(Connection connection, Identity identity)
      throws SQLException {
    List<AddedColumn> added = new ArrayList<>();
    try (PreparedStatement select =
        connection.prepareStatement(
            "select column_name, type, writer, source, position, added_at from wexrun.added"
                + " where table_id = ? order by number")) {
      select.setString(1, identity.text());
      try (ResultSet rows = select.executeQuery()) {
        while (rows.next()) {
          added.add(
              new AddedColumn(
                  rows.getString(1),
                  rows.getString(2),
                  rows.getString(3),
                  rows.getString(4),
                  rows.getLong(5),
                  java.time.Instant.ofEpochMilli(rows.getLong(6))));
        }
      }
    }
    return added;
  }

  /** Brings rows to the form of the table with its added columns. */
  public Filled fill(List<Rows> rows) {
    Schema schema = table.schema();
    List<Column> more = new ArrayList<>();
    known.forEach((name, type) -> more.add(Column.of(name, type)));
    for (Column column : more) {
      schema = schema.with(column);
    }
    Table wide = table.wider(schema);
    if (more.isEmpty()) {
      Schema own = schema;
      return new Filled(
          wide, rows.stream().map(part -> fit(part, own, List.of())).toList(), unfit(rows));
    }
    Field object = Field.of("", new Type.Struct(more));
    List<Rows> filled = new ArrayList<>();
    Map<Integer, String> unfit = new TreeMap<>();
    int first = 0;
    for (Rows part : rows) {
      StructVector values = new StructVector(vectors(more, part.batch().rows()));
      fill(part, object, values, first, unfit);
      filled.add(fit(part, schema, values.fields()));
      first += part.count();
    }
    return new Filled(wide, filled, unfit);
  }

  private static List<Vector> vectors(List<Column> columns, int rows) {
    return columns.stream().map(column -> Vectors.forType(column.type(), rows)).toList();
  }

  private void fill(
      Rows part, Field object, StructVector values, int first, Map<Integer, String> unfit) {
    TextVector objects = objects(part.batch());
    JsonValues reader = new JsonValues();
    int next = 0;
    for (int row = 0; row < part.batch().rows(); row++) {
      boolean chosen = next < part.count() && part.row(next) == row;
      next += chosen ? 1 : 0;
      if (!chosen || !isObject(objects, row)) {
        values.appendAbsent();
        continue;
      }
      int number = first + next - 1;
      strange(objects, row).ifPresent(name -> unfit.put(number, noColumn(name)));
      boolean fits =
          reader.parse(object, objects.data(), objects.start(row), objects.end(row), values, 0);
      if (!fits) {
        unfit.putIfAbsent(number, "the value does not fit into an added column: " + reader.fault());
        values.appendAbsent();
      }
    }
  }

  /** A field of an object that has no column; empty if all have one. */
  private Optional<String> strange(TextVector objects, int row) {
    List<String> strange = new ArrayList<>();
    new JsonMembers()
        .each(
            objects.data(),
            objects.start(row),
            objects.end(row),
            (name, from, to) -> {
              boolean told = table.schema().find(name).isPresent() || known.containsKey(name);
              if (!told && objects.data()[from] != 'n') {
                strange.add(name);
              }
            });
    return strange.stream().findFirst();
  }

  private static String noColumn(String field) {
    return "no column can be added for the field '"
        + field
        + "': a name differs from it in its case alone, or it is longer than "
        + LONGEST_NAME
        + " characters, or there are "
        + MOST
        + " columns already";
  }

  /** Rows with a field that has no column, where no column could be added at all. */
  private Map<Integer, String> unfit(List<Rows> rows) {
    Map<Integer, String> unfit = new TreeMap<>();
    int number = 0;
    for (Rows part : rows) {
      TextVector objects = objects(part.batch());
      for (int i = 0; i < part.count(); i++, number++) {
        int row = part.row(i);
        if (isObject(objects, row)) {
          Optional<String> field = strange(objects, row);
          if (field.isPresent()) {
            unfit.put(number, noColumn(field.get()));
          }
        }
      }
    }
    return unfit;
  }

  /** The same rows with the table's own columns and more. */
  private Rows fit(Rows part, Schema schema, List<Vector> more) {
    List<Vector> columns =
        new ArrayList<>(part.batch().columns().subList(0, table.schema().size()));
    columns.addAll(more);
    Batch batch = part.batch().with(schema, columns);
    int[] rows = new int[part.count()];
    for (int i = 0; i < rows.length; i++) {
      rows[i] = part.row(i);
    }
    return Rows.of(batch, rows, rows.length);
  }
}

package io.wexrun.duckdb;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import io.wexrun.contract.FolderSite;
import io.wexrun.contract.TypedRows;
import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.LongVector;
import io.wexrun.core.batch.Rows;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.batch.Vectors;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.identity.Identity;
import io.wexrun.core.intake.Records;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.reference.ReferenceTable;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type;
import io.wexrun.core.schema.Type.Scalar;
import io.wexrun.core.target.Answer;
import io.wexrun.core.target.Flush;
import io.wexrun.core.target.QueryBounds;
import io.wexrun.core.target.Receipt;
import io.wexrun.core.target.Staged;
import io.wexrun.core.target.TableDifference;
import io.wexrun.core.target.Target;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.time.Duration;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.SplittableRandom;
import java.util.stream.IntStream;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;

class DuckDbStoreTest {
  private static final SourcePartition A = new SourcePartition("a.log");

  @TempDir private Path folder;
  private DuckDbStore store;

  @BeforeEach
  void openStore() {
    store = open();
  }

  private DuckDbStore open() {
    FolderSite site = new FolderSite(folder);
    return (DuckDbStore)
        new DuckDbConnector().open("warehouse", DuckDbConnector.file("w.db"), site);
  }

  @AfterEach
  void closeStore() {
    store.close();
  }

  private static Batch batch(Schema schema, List<Vector> columns, int rows) {
    int[] places = IntStream.range(0, rows).toArray();
    Records records = Records.numbered(null, places, places, rows, 0, null);
    return new Batch(schema, columns, rows, records, places);
  }

  private void load(Schema schema, Rows rows) {
    try (Target target = store.target("p", new Table("t", "warehouse", schema, Map.of()))) {
      target.stage(new Flush(List.of(new Flush.Part(A, 0, 99, rows)))).commit();
    }
  }

  private static LongVector longs(Long... values) {
    LongVector vector = new LongVector(values.length);
    Arrays.stream(values)
        .forEach(
            v -> {
              if (v == null) {
                vector.appendAbsent();
              } else {
                vector.append(v);
              }
            });
    return vector;
  }

  private static TextVector texts(String... values) {
    TextVector vector = new TextVector(values.length, 16);
    Arrays.stream(values)
        .forEach(
            v -> {
              if (v == null) {
                vector.appendAbsent();
              } else {
                vector.append(v);
              }
            });
    return vector;
  }

  private static Vector parsed(Type type, String... jsons) {
    Vector vector = Vectors.forType(type, jsons.length);
    for (String json : jsons) {
      byte[] text = json.getBytes(StandardCharsets.UTF_8);
      if (json.isEmpty()) {
        vector.appendAbsent();
      } else {
        assertThat(io.wexrun.core.field.ValueText.append(type, text, 0, text.length, vector))
            .isTrue();
      }
    }
    return vector;
  }

  @Test
  void listsAndStructsArriveAsDuckDbsOwn() {
    Type struct =
        Type.parse(
                "{b: bool, i: int, l: long, x: double, d: decimal(6,2), s: text, t: timestamp, day:"
                    + " date, u: uuid, j: json, in: {s: list<text>}}")
            .orElseThrow();
    String full =
        "{\"b\": true, \"i\": -7, \"l\": 8, \"x\": 2.5, \"d\": -12.50, \"s\": \"zé\", \"t\":"
            + " \"2026-05-03T06:14:09.118Z\", \"day\": \"2026-05-03\", \"u\":"
            + " \"123e4567-e89b-12d3-a456-426614174000\", \"j\": {\"a\":1}, \"in\": {\"s\": [\"p\","
            + " null]}}";
    Schema schema =
        Schema.of(
            Column.of("one", struct),
            Column.of("many", new Type.ListOf(struct)),
            Column.of("grid", Type.parse("list<list<int>>").orElseThrow()));
    List<Vector> columns =
        List.of(
            parsed(struct, full, full, "", "{}"),
            parsed(schema.column(1).type(), "[]", "[" + full + ", null]", "", "[{\"i\": 4}]"),
            parsed(schema.column(2).type(), "[[9]]", "[[1, 2], [], null, [3]]", "", "[]"));
    load(schema, Rows.of(batch(schema, columns, 4), new int[] {1, 2, 3}, 3));
    String shown =
        "{b=true, i=-7, l=8, x=2.5, d=-12.50, s=zé, t=2026-05-03T06:14:09.118Z, day=2026-05-03,"
            + " u=123e4567-e89b-12d3-a456-426614174000, j={\"a\":1}, in={s=[p, null]}}";
    Answer answer = store.query("select * from t");
    assertThat(answer.rows().get(0).stream().map(String::valueOf))
        .containsExactly(shown, "[" + shown + ", null]", "[[1, 2], [], null, [3]]");
    assertThat(answer.rows().get(1)).containsOnlyNulls();
    assertThat(String.valueOf(answer.rows().get(2).get(0))).startsWith("{b=null, i=null,");
    assertThat(store.query("select many[1].i, len(grid), one.in is null from t").rows().get(2))
        .map(String::valueOf)
        .containsExactly("4", "0", "true");
    assertThat(store.query("select typeof(grid) from t").rows().get(0))
        .containsExactly("INTEGER[][]");
  }

  @Test
  void selectedRowsArriveWithTheirAbsentValues() {
    SplittableRandom dice = new SplittableRandom(11);
    Schema schema =
        Schema.of(
            Column.of("n", Scalar.LONG), Column.of("s", Scalar.TEXT), Column.of("b", Scalar.BOOL));
    int count = 5000;
    List<Vector> columns =
        List.of(
            Vectors.forType(Scalar.LONG, 1),
            Vectors.forType(Scalar.TEXT, 1),
            Vectors.forType(Scalar.BOOL, 1));
    List<List<Object>> expected = new ArrayList<>();
    int[] selected = new int[count];
    int chosen = 0;
    for (int i = 0; i < count; i++) {
      boolean absent = dice.nextInt(5) == 0;
      String text = "x".repeat(dice.nextInt(30)) + i;
      if (absent) {
        columns.forEach(Vector::appendAbsent);
      } else {
        ((LongVector) columns.get(0)).append(i);
        ((TextVector) columns.get(1)).append(text);
        ((LongVector) columns.get(2)).append(i % 2);
      }
      if (dice.nextInt(4) > 0) {
        selected[chosen++] = i;
        expected.add(
            absent ? Arrays.asList(null, null, null) : List.of((long) i, text, i % 2 == 1));
      }
    }
    load(schema, Rows.of(batch(schema, columns, count), selected, chosen));
    assertThat(store.query("select * from t").rows()).isEqualTo(expected);
  }

  @Test
  void aQueryEndsAtItsBounds() {
    QueryBounds bounds = new QueryBounds(Duration.ofSeconds(1), 10, 1 << 20);
    assertThat(store.query("select * from range(10)", bounds).rows()).hasSize(10);
    assertThatThrownBy(() -> store.query("select * from range(11)", bounds))
        .isInstanceOf(OutsideException.class)
        .hasMessage("the query gives more than 10 rows: add a limit to it");
    assertThatThrownBy(
            () ->
                store.query(
                    "select count(*) from range(1000000) a, range(1000000) b where a.range *"
                        + " b.range % 7 = 3",
                    bounds))
        .isInstanceOf(OutsideException.class)
        .hasMessage("the query was ended after 1 second");
    assertThat(store.query("select * from range(10)").rows()).hasSize(10);
  }

  /** Also what the database does not count as its memory is bounded, and what rows take here. */
  @Test
  void aQueryThatNeedsTooMuchMemoryIsEnded() {
    QueryBounds bounds = new QueryBounds(Duration.ofMinutes(5), 100_000, 1 << 20);
    assertThatThrownBy(
            () -> store.query("select repeat('x', 1000) || range from range(5000)", bounds))
        .isInstanceOf(OutsideException.class)
        .hasMessageContaining("take more than 1 MB: add a limit to it");
    assertThatThrownBy(
            () ->
                store.query(
                    "select length(string_agg(repeat('x', 100000), '')) from range(100000000)",
                    bounds))
        .isInstanceOf(OutsideException.class)
        .hasMessageContaining("memory");
    assertThat(store.query("select * from range(10)").rows()).hasSize(10);
  }

  @Test
  void aTableWithOtherColumnsIsRefusedWithBoth() {
    store.change("create table rows (key varchar, extra integer not null)");
    Schema schema = Schema.of(Column.of("key", Scalar.TEXT));
    assertThatThrownBy(() -> store.target("p", new Table("rows", "warehouse", schema, Map.of())))
        .isInstanceOf(OutsideException.class)
        .hasMessageContaining("extra: INTEGER not null in the store, not defined");
  }

  @Test
  void aRowThatTheStoreRefusesIsNamedAndTheOthersAreLoaded() {
    Schema schema = Schema.of(Column.required("key", Scalar.TEXT));
    try (Target target = store.target("p", new Table("t", "warehouse", schema, Map.of()))) {
      Rows rows = Rows.all(batch(schema, List.of(texts("a", null, "b")), 3));
      Receipt receipt = target.stage(new Flush(List.of(new Flush.Part(A, 0, 3, rows)))).commit();
      assertThat(receipt.written()).isEqualTo(2);
      assertThat(receipt.refused()).hasSize(1);
      assertThat(receipt.refused().get(0).why()).contains("NOT NULL");
    }
    assertThat(store.query("select key from t order by key").rows()).hasToString("[[a], [b]]");
    assertThat(store.standing("p", "t").orElseThrow().rows()).isEqualTo(Map.of(A, 2L));
  }

  @Test
  void aQueryThatIsNotSqlIsToldInTheStoresWords() {
    assertThatThrownBy(() -> store.query("selec 1"))
        .isInstanceOf(OutsideException.class)
        .hasMessageContaining("does not take the query")
        .hasMessageContaining("syntax error");
  }

  @Test
  void aFileThatIsNoDatabaseIsToldWithItsName() throws Exception {
    Files.writeString(folder.resolve("text.db"), "hello ".repeat(2000));
    assertThatThrownBy(
            () ->
                new DuckDbConnector()
                    .open("x", DuckDbConnector.file("text.db"), new FolderSite(folder)))
        .isInstanceOf(OutsideException.class)
        .hasMessageContaining("cannot open store x (" + folder.resolve("text.db") + ")");
  }

  @Test
  void nothingIsLoadedIntoAFileThatWasRemovedOrReplaced() throws IOException {
    Schema schema = new Schema(List.of(new Column("n", Scalar.LONG, false)));
    Path file = folder.resolve("w.db");
    try (Target target = store.target("p", new Table("t", "warehouse", schema, Map.of()))) {
      Rows rows = Rows.all(batch(schema, List.of(longs(1L, 2L)), 2));
      target.stage(new Flush(List.of(new Flush.Part(A, 0, 9, rows)))).commit();
      Staged staged = target.stage(new Flush(List.of(new Flush.Part(A, 9, 19, rows))));
      Path away = Files.move(file, folder.resolve("away.db"));
      assertThatThrownBy(staged::commit).hasMessageContaining("was removed or replaced while");
      Flush next = new Flush(List.of(new Flush.Part(A, 19, 29, rows)));
      Files.writeString(file, "another file");
      assertThatThrownBy(() -> target.stage(next))
          .isInstanceOf(OutsideException.class)
          .hasMessageContaining("store warehouse")
          .hasMessageContaining("was removed or replaced while");
      Files.move(away, file, StandardCopyOption.REPLACE_EXISTING);
    }
    assertThat(store.query("select count(*) from t").rows()).isEqualTo(List.of(List.of(2L)));
  }

  @Test
  void progressIsKeptShort() {
    Schema schema = Schema.of(Column.of("key", Scalar.TEXT));
    Table table = new Table("t", "warehouse", schema, Map.of());
    for (int i = 0; i < 5; i++) {
      try (Target target = store.target("p", table)) {
        Rows row = Rows.all(batch(schema, List.of(texts("a")), 1));
        target.stage(new Flush(List.of(new Flush.Part(A, i, i + 1, row)))).commit();
      }
    }
    store.target("p", table).close();
    assertThat(store.query("select source, to_position from wexrun.progress").rows())
        .isEqualTo(List.of(List.of("a.log", 5L)));
  }

  @Test
  void aCommentOfTheUsersStaysBesideTheTablesIdentity() {
    Table table = new Table("t", "warehouse", Schema.of(Column.of("n", Scalar.INT)), Map.of());
    Identity first;
    try (Target target = store.target("p", table)) {
      first = target.identity().orElseThrow();
    }
    store.change("comment on table t is 'Trams by day'");
    try (Target target = store.target("p", table)) {
      assertThat(target.identity()).as("nothing says it is the same").isNotEqualTo(first);
    }
    assertThat(store.query("select comment from duckdb_tables() where table_name = 't'").rows())
        .asString()
        .contains("Trams by day [wexrun ");
  }

  @Test
  void aTableIsComparedWithItsDefinitionAndTheStatementsCloseTheDifference() {
    store.change(
        "create table t (a varchar not null, gone varchar, b varchar, c decimal(7,2), d date)");
    store.change("insert into t values ('1', 'x', 'y', 2.5, null)");
    Table table =
        Table.in("warehouse", "t")
            .column("a", Scalar.LONG)
            .column("b", Scalar.TEXT)
            .column("added", new Type.ListOf(Scalar.INT))
            .required("c", new Type.Decimal(7, 2))
            .column("d", Scalar.DATE)
            .build();
    TableDifference difference = store.compare(table).orElseThrow();
    assertThat(difference.columns().stream().map(c -> c.name() + " " + c.what()))
        .containsExactly(
            "a has another type",
            "a must not be null, unlike its definition",
            "added is missing",
            "c may be null, unlike its definition");
    assertThatThrownBy(() -> store.target("p", table))
        .isInstanceOf(OutsideException.class)
        .hasMessageContaining("a: VARCHAR not null in the store, BIGINT defined");
    difference.ddl().stream()
        .filter(line -> !line.startsWith("--"))
        .forEach(line -> store.change(line.replaceAll("--.*", "")));
    assertThat(store.compare(table)).isEmpty();
    store.target("p", table).close();
    assertThat(store.query("select a, b, added, c, d, gone from t").rows().get(0))
        .map(String::valueOf)
        .containsExactly("1", "y", "null", "2.50", "null", "x");
    assertThat(store.compare(Table.in("warehouse", "other").column("a", Scalar.INT).build()))
        .isEmpty();
  }

  @Test
  void tablesOfOthersAreLoadedIntoEveryTypeThatHoldsTheValues() {
    store.change("set TimeZone = 'Europe/Berlin'");
    store.change(
        "create table t (n smallint, m hugeint, ratio float, \"at\" timestamp, how enum('low',"
            + " 'high'), price decimal(30,4), small utinyint)");
    Table like =
        new Table("t", "warehouse", store.columns("t").orElseThrow(), Map.of())
            .managed(Table.Manage.NEVER);
    assertThat(like.schema().columns().stream().map(c -> c.name() + " " + c.type()))
        .containsExactly(
            "n int",
            "m long",
            "ratio double",
            "at timestamp",
            "how text",
            "price decimal(18,4)",
            "small int");
    TableDifference edges = store.compare(like).orElseThrow();
    assertThat(edges.stops()).isFalse();
    assertThat(edges.columns())
        .extracting(TableDifference.Column::name)
        .containsExactly("n", "ratio", "at", "how", "price", "small");
    List<String> good = List.of("1", "2", "0.5", "2026-05-03T04:00:00Z", "low", "1.25", "3");
    List<List<String>> rows = new ArrayList<>(List.of(good));
    for (Map.Entry<Integer, String> bad :
        Map.of(0, "40000", 2, "1e300", 4, "middle", 6, "-1").entrySet()) {
      List<String> row = new ArrayList<>(good);
      row.set(bad.getKey(), bad.getValue());
      rows.add(row);
    }
    Flush.Part part =
        new Flush.Part(new SourcePartition("s"), 0, rows.size(), TypedRows.of(like.schema(), rows));
    try (Target target = store.target("p", like)) {
      Receipt receipt = target.stage(new Flush(List.of(part))).commit();
      assertThat(receipt.written()).isEqualTo(1);
      assertThat(receipt.refused()).hasSize(4).allMatch(r -> r.why().contains("Conversion Error"));
    }
    assertThat(store.query("select \"at\"::varchar, how::varchar, price::varchar from t").rows())
        .hasToString("[[2026-05-03 04:00:00, low, 1.2500]]");
  }

  @Test
  void aParquetFileIsAReferenceTable() {
    Path file = folder.resolve("fares.parquet");
    store.change(
        "copy (select * from (values ('day', 7.5, date '2026-05-01', [1, 2]), ('ride', null, null,"
            + " null)) t(product, price, since, zones)) to '"
            + file
            + "' (format parquet)");
    ParquetReferences reader = new ParquetReferences();
    ReferenceTable table = reader.read(file, "fares.parquet");
    assertThat(table.columns()).containsExactly("product", "price", "since", "zones");
    assertThat(table.rows().get(0)).containsExactly("day", "7.5", "2026-05-01", "[1, 2]");
    assertThat(table.rows().get(1)).containsExactly("ride", null, null, null);
    assertThat(reader.read(file, "fares.parquet", 1).rows()).hasSize(1);
    assertThatThrownBy(() -> reader.read(folder.resolve("none.parquet"), "none.parquet"))
        .isInstanceOf(OutsideException.class)
        .hasMessageStartingWith("cannot read none.parquet");
  }

  @ParameterizedTest
  @ValueSource(
      strings = {
        "insert into t values (1)",
        "drop table t",
        "select 1; drop table t",
        "copy t to 'out.csv'",
        "attach 'other.db'",
        "export database 'out'",
        "install httpfs",
        "set enable_external_access = true",
        "with gone as (select 1) delete from t",
        "pragma disable_checkpoint_on_shutdown",
        "explain analyze insert into t values (2)",
      })
  void aQueryOnlyReads(String sql) {
    store.change("create table t (n integer)");
    assertThatThrownBy(() -> store.query(sql)).isInstanceOf(OutsideException.class);
    assertThat(store.query("select count(*) from t").rows()).hasToString("[[0]]");
    assertThat(store.query("explain select * from t").rows()).isNotEmpty();
    assertThat(store.query("describe t").rows()).hasSize(1);
  }

  @Test
  void filesOutsideTheWorkspaceAreNotReached(@TempDir Path other) throws IOException {
    Path outside = Files.writeString(other.resolve("x.csv"), "a,b\n1,2\n");
    Path inside = Files.writeString(folder.resolve("x.csv"), "a,b\n1,2\n");
    assertThat(store.query("select a from read_csv('" + inside + "')").rows()).hasToString("[[1]]");
    assertThatThrownBy(() -> store.query("select a from read_csv('" + outside + "')"))
        .hasMessageContaining("Cannot access file");
    store.close();
    FolderSite site = new FolderSite(folder);
    Settings told = DuckDbConnector.file("w.db").with("reads", other.toString());
    store = (DuckDbStore) new DuckDbConnector().open("warehouse", told, site);
    assertThat(store.query("select a from read_csv('" + outside + "')").rows())
        .hasToString("[[1]]");
  }

  @Test
  void aFileThatIsNotADatabaseIsToldAsThat() throws IOException {
    Files.writeString(folder.resolve("s.db"), "SQLite format 3\0 and more of it");
    assertThatThrownBy(
            () ->
                new DuckDbConnector()
                    .open("s", DuckDbConnector.file("s.db"), new FolderSite(folder)))
        .isInstanceOf(OutsideException.class)
        .hasMessageContaining("s.db")
        .hasMessageContaining("not a DuckDB database");
  }
}

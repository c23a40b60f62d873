package io.wexrun.project;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.core.dead.Reason;
import io.wexrun.core.diagnose.Diagnostic;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.run.RunOptions;
import io.wexrun.core.schema.Column;
import io.wexrun.project.read.DefinitionText;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/** What may be said of tables in the workspace's file. */
class TablesTest {
  @TempDir private Path path;
  private Folder folder;

  @BeforeEach
  void makeFolder() {
    folder = new Folder(path);
  }

  private void tables(String tables) {
    folder.write(
        "wexrun.yaml",
        "stores: {w: {duckdb: w.db}, f: {folder: out, format: parquet}}\ntables:\n"
            + tables.indent(2));
  }

  private void pipeline(String lines, String targets) {
    folder.write("a.log", lines);
    folder.write(
        "pipelines/p.yaml",
        """
        pipeline: p
        intake: {files: a.log}
        shape: [template: '{time:timestamp} {gate} {ms:int?}']
        route: [to: [%s]]
        flush: {age: 1m}
        """
            .formatted(targets));
  }

  private List<String> mistakes() {
    try (Workspace workspace = Workspace.open(path)) {
      return workspace.check().stream().map(TablesTest::shown).toList();
    }
  }

  private static String shown(Diagnostic mistake) {
    return mistake.place().map(p -> p.line() + ": ").orElse("")
        + mistake.code()
        + ": "
        + mistake.message();
  }

  private void run() throws InterruptedException {
    try (Workspace workspace = Workspace.open(path);
        WorkspaceRun run = workspace.run(RunOptions.untilDrained(true))) {
      run.await();
    }
  }

  private List<List<Object>> query(String sql) {
    try (Workspace workspace = Workspace.open(path)) {
      return workspace.query("w", sql).rows();
    }
  }

  private Table table(String name) {
    try (Workspace workspace = Workspace.open(path)) {
      return workspace.definition().tables().get(name);
    }
  }

  private List<String> columns(String name) {
    return table(name).schema().columns().stream().map(Column::toString).toList();
  }

  @Test
  void columnsAreComputedForOneTableAlone() throws InterruptedException {
    tables(
        """
        a:
          in: w
          columns:
            gate: text
            slow: bool = ms > 500
            day: timestamp required = truncate(time, "day", "Europe/Berlin")
            tenth: 'long = 10 / ms'
        b: {in: w, columns: {gate: text, slow: text}}
        """);
    pipeline(
        "2026-05-03T22:30:00Z g1 501\n2026-05-03T01:00:00Z g2 0\n2026-05-03T01:00:00Z g3 \n",
        "a, b");
    assertThat(mistakes())
        .hasSize(1)
        .allMatch(m -> m.contains("'slow' of table 'b' is never filled"));
    run();
    assertThat(query("select gate, slow, day::varchar, tenth from a order by 1"))
        .hasToString(
            "[[g1, true, 2026-05-03 22:00:00+00, 0], [g3, false, 2026-05-02 22:00:00+00, null]]");
    assertThat(query("select gate from b order by 1"))
        .as("a record that one table does not take goes to none")
        .hasToString("[[g1], [g3]]");
    try (Workspace workspace = Workspace.open(path)) {
      assertThat(workspace.tally("p").counts().dead()).containsOnlyKeys(Reason.FAILED_EXPRESSION);
    }
  }

  @Test
  void mistakesInWhatIsComputedAreToldWhereTheRouteNamesTheTable() {
    tables(
        """
        a:
          in: w
          columns: {x: long = gat, y: bool = ms, z: 'timestamp = truncate(time, "hours")'}
        r:
          in: w
          group: [gate, none]
          key: gate
          columns: {gate: text, n: int = count(), s: long = sum(gate), t: text, c_sketch: text, c: long = distinct(ms)}
        """);
    pipeline("", "a, r");
    assertThat(mistakes())
        .containsExactly(
            "8: unknown-column: the table has no column 'none'",
            "9: wrong-form: a table with 'group' has one row for each group: it takes no 'key'",
            "10: bad-measure: 'n': count gives a long, not an int",
            "10: bad-measure: 't' is neither in 'group', nor does it say what is kept of the rows",
            "10: bad-measure: 'c_sketch' is neither in 'group', nor does it say what is kept of the"
                + " rows",
            "10: reserved-name: 'c_sketch' is the name of a column that the table keeps by itself",
            "4: unknown-field: column 'x' of table 'a' is computed from 'gat': there is no field"
                + " 'gat' here",
            "4: type-clash: 'ms' is an int, but column 'y' of table 'a' is a bool",
            "4: bad-expression: column 'z' of table 'a' is computed from 'truncate(time,"
                + " \"hours\")': truncate: \"hours\" is not a unit: second, minute, hour, day, week"
                + " (from Monday), month,"
                + " year",
            "4: type-clash: 'gate' is text, but column 's' of table 'r' is a long");
  }

  @Test
  void twoKindsThatMeetInARollupGiveItTheSameTypes() {
    tables("r: {in: w, group: gate, columns: {gate: text, m: double = avg(v)}}");
    folder.write("a.log", "");
    folder.write(
        "pipelines/p.yaml",
        """
        pipeline: p
        intake: {files: a.log}
        shape: [json: {fields: {gate: text, kind: text}}]
        kinds:
          one: {where: {kind: a}, shape: [json: {fields: {v: int}}], to: r}
          two: {where: {kind: b}, shape: [json: {fields: {v: double}}], to: r}
        """);
    assertThat(mistakes())
        .hasSize(1)
        .allMatch(m -> m.contains("rollup 'r' gets values of other types from this kind"));
  }

  @Test
  void textsHaveALengthAndTablesAndColumnsAreDescribed() throws InterruptedException {
    tables(
        """
        a:
          in: w
          about: Every scan of a gate
          columns: {gate: text(4), ms: int}
          comments: {gate: "The reader's number"}
        """);
    pipeline("2026-05-03T01:00:00Z ünïc 1\n2026-05-03T01:00:00Z gates 2\n", "a");
    assertThat(mistakes()).isEmpty();
    run();
    assertThat(query("select gate from a")).hasToString("[[ünïc]]");
    assertThat(
            query(
                "select comment from duckdb_columns() where table_name = 'a' and comment is not"
                    + " null"))
        .hasToString("[[The reader's number]]");
    try (Workspace workspace = Workspace.open(path)) {
      assertThat(workspace.tally("p").counts().dead()).isEqualTo(Map.of(Reason.BAD_VALUE, 1L));
      assertThat(workspace.tables().facts().get(0).ddl())
          .contains("comment on table \"a\" is 'Every scan of a gate'");
    }
    tables("a: {in: w, columns: {gate: text(0)}, comments: {gat: x}, sort: [gate]}");
    assertThat(mistakes())
        .containsExactly(
            "3: unknown-type: 'text(0)' is not a column: it is a type, then 'required', 'default"
                + " VALUE' or '= EXPRESSION'",
            "3: unknown-column: the table has no column 'gat'",
            "3: unused-sort: store 'w' does not keep rows in an order");
  }

  @Test
  void fieldsThatAreNewAreIgnoredKeptOrKill() throws InterruptedException {
    tables(
        """
        ignores: {in: w, drift: {others: ignore}, columns: {id: int}}
        keeps: {in: w, drift: {others: keep}, columns: {id: int, others: json}}
        dies: {in: w, drift: {others: die}, columns: {id: int}}
        """);
    folder.write(
        "a.log",
        """
        {"id": 1}
        {"id": 2, "line": 7, "name": "x", "none": null}
        {"id": 3, "line": null}
        {"id": 4, "line": 8}
        """);
    String pipeline =
        """
        pipeline: %s
        intake: {files: a.log}
        shape: [json: {fields: {id: int}, rest: others}]
        route: [to: [%s]]
        """;
    folder.write("pipelines/p.yaml", pipeline.formatted("p", "ignores, keeps"));
    folder.write("pipelines/q.yaml", pipeline.formatted("q", "dies"));
    assertThat(mistakes()).isEmpty();
    run();
    assertThat(query("select id from ignores order by 1")).hasToString("[[1], [2], [3], [4]]");
    assertThat(query("select id, others->>'line' from keeps order by 1"))
        .hasToString("[[1, null], [2, 7], [3, null], [4, 8]]");
    assertThat(query("select id from dies order by 1")).hasToString("[[1], [3]]");
    try (Workspace workspace = Workspace.open(path)) {
      assertThat(workspace.tally("p").counts().ignored())
          .isEqualTo(Map.of("ignores.line", 2L, "ignores.name", 1L));
      assertThat(workspace.tally("q").counts().dead()).isEqualTo(Map.of(Reason.NEW_FIELD, 2L));
      assertThat(workspace.tally("q").counts().ignored()).isEmpty();
    }
  }

  @Test
  void driftNamesAFieldThatHoldsWhatIsNew() {
    tables(
        """
        a: {in: w, drift: {others: kep}, columns: {gate: text}}
        b: {in: w, drift: {others: keep}, columns: {gate: text}}
        c: {in: f, drift: {others: add}, columns: {gate: text}}
        d: {in: w, drift: {gate: die}, columns: {gate: text}}
        e: {in: w, drift: {others: die, more: add}, columns: {gate: text}}
        g: {in: w, drift: {others: die}, group: gate, columns: {gate: text}}
        """);
    pipeline("", "b, c, d");
    assertThat(mistakes())
        .satisfiesExactly(
            m -> assertThat(m).contains("3: bad-value: 'kep' does not say"),
            m ->
                assertThat(m)
                    .contains("4: missing-column: new fields are kept in a column 'others'"),
            m -> assertThat(m).contains("5: bad-value: store 'f' does not add columns"),
            m -> assertThat(m).contains("7: wrong-form: 'drift' names one field"),
            m -> assertThat(m).contains("8: wrong-form: a table with 'group' has no rows"),
            m ->
                assertThat(m).contains("unknown-field: table 'b' looks for new fields in 'others'"),
            m ->
                assertThat(m).contains("unknown-field: table 'c' looks for new fields in 'others'"),
            m ->
                assertThat(m)
                    .contains(
                        "type-clash: table 'd' looks for new fields in 'gate', which is text"));
  }

  /** What a table makes of a record is kept with the pipeline's text. */
  @Test
  void tablesAreReadBackAsTheyWereWritten() {
    tables(
        """
        plain: {in: w, columns: {n: int required, t: text(9), d: 'decimal(7,2) default 1.50', s: {a: int, b: 'list<text>'}}}
        keyed: {in: w, key: [n, t], columns: {n: int, t: text, up: 'bool = n > 5 && t != "a: b"'}}
        drifts: {in: w, drift: {others: add}, columns: {n: int default 0}}
        sums:
          in: w
          group: [hour, t]
          columns:
            t: text required
            hour: timestamp = truncate(at, "hour", "Europe/Berlin")
            n: long = count()
            some: long = count(t)
            m: double = avg(n)
            d: double = sum(double(n) / 3.0)
            c: long = distinct(t)
        """);
    try (Workspace workspace = Workspace.open(path)) {
      Map<String, Table> tables = workspace.definition().tables();
      Diagnostics diagnostics = Diagnostics.of("a test");
      String text =
          "pipeline: p\n" + DefinitionText.of(tables.values()) + "# " + "0".repeat(32) + " f\n";
      assertThat(DefinitionText.readTables("p", text, diagnostics)).isEqualTo(tables);
      assertThat(diagnostics.all()).isEmpty();
      assertThat(DefinitionText.readTables("p", "pipeline: p\n", diagnostics)).isEmpty();
    }
  }

  @Test
  void rowsOfParquetFilesAreInOrder() throws InterruptedException {
    tables("b: {in: f, columns: {gate: text, ms: int}, sort: [ms, gate]}");
    pipeline(
        """
        2026-05-03T01:00:00Z b 3
        2026-05-03T01:00:00Z a 1
        2026-05-03T01:00:00Z b 1
        2026-05-03T01:00:00Z a 2
        """,
        "b");
    assertThat(mistakes()).isEmpty();
    run();
    assertThat(query("select ms, gate from read_parquet('" + path + "/out/b/**/*.parquet')"))
        .hasToString("[[1, a], [1, b], [2, a], [3, b]]");
  }

  @Test
  void aTableIsLikeWhatAFileSays() throws IOException {
    folder.write(
        "s/scan.avsc",
        """
        {"type": "record", "name": "Scan", "fields": [
          {"name": "time", "type": {"type": "long", "logicalType": "timestamp-millis"}},
          {"name": "gate", "type": "string"},
          {"name": "price", "type": ["null", {"type": "bytes", "logicalType": "decimal",
            "precision": 9, "scale": 2}]}]}
        """);
    folder.write(
        "s/sale.json",
        """
        {"$defs": {"id": {"type": "string", "format": "uuid"}}, "required": ["id", "n"],
         "properties": {"id": {"$ref": "#/$defs/id"}, "n": {"type": ["integer", "null"]},
           "name": {"type": "string", "maxLength": 20}, "any": {}, "when": {"type": "string",
           "format": "date-time"}, "where": {"type": "object", "properties": {"lat": {"type":
           "number"}}}, "flags": {"type": "array", "items": {"type": "boolean"}}}}
        """);
    folder.write(
        "s/moves.sql",
        """
        create table others (n integer);
        create table moves (
          id bigserial primary key,
          made timestamp with time zone not null default now(),
          "at" timestamp with time zone, host character varying(30) not null,
          details jsonb, price numeric(9,2), tags text[]);
        create index on moves ("at");
        grant insert on moves to loader;
        """);
    Files.copy(
        Path.of("../cli/src/main/resources/demo/schemas/substations.desc"),
        path.resolve("s/readings.desc"));
    tables(
        """
        scans: {in: w, like: {avro: s/scan.avsc}, columns: {gate: text(8), note: text = gate}}
        sales: {in: w, like: {json-schema: s/sale.json}}
        moves: {in: w, like: {sql: s/moves.sql}}
        readings: {in: w, like: {protobuf: s/readings.desc, message: ostrel.power.Reading, names: snake}}
        """);
    assertThat(columns("scans"))
        .containsExactly(
            "time: timestamp required", "gate: text", "price: decimal(9,2)", "note: text");
    assertThat(table("scans").details().lengths()).isEqualTo(Map.of("gate", 8));
    assertThat(table("scans").computed()).isEqualTo(Map.of("note", "gate"));
    assertThat(columns("sales"))
        .containsExactly(
            "id: uuid required",
            "n: long",
            "name: text",
            "any: json",
            "when: timestamp",
            "where: {lat: double}",
            "flags: list<bool>");
    assertThat(table("sales").details().lengths()).isEqualTo(Map.of("name", 20));
    assertThat(columns("moves"))
        .containsExactly(
            "at: timestamp",
            "host: text required",
            "details: json",
            "price: decimal(9,2)",
            "tags: list<text>");
    assertThat(columns("readings")).contains("taken_at: timestamp").hasSize(5);
  }

  @Test
  void whatCannotBeTakenOverIsTold() {
    folder.write("s/bad.avsc", "{\"type\": \"int\"}");
    folder.write("s/bad.json", "{");
    folder.write("s/two.sql", "create table x (n int); create table y (n int);");
    folder.write("s/odd.sql", "create table e (n bit);");
    folder.write("s/none.sql", "select 1");
    tables(
        """
        a: {in: w, like: {avro: s/bad.avsc}}
        b: {in: w, like: {json-schema: s/bad.json}}
        c: {in: w, like: {sql: s/two.sql}}
        e: {in: w, like: {sql: s/odd.sql}}
        f: {in: w, like: {sql: s/none.sql}}
        g: {in: w, like: {sql: s/nowhere.sql}}
        h: {in: w, like: {xml: s/two.sql}}
        i: {in: w, like: {avro: s/bad.json, names: x}}
        j: {in: w}
        """);
    folder.write("pipelines/none.txt", "");
    assertThat(mistakes().stream().filter(m -> !m.contains("no-pipeline")))
        .satisfiesExactly(
            m ->
                assertThat(m)
                    .contains("3: bad-like: s/bad.avsc: a table has the fields of a record"),
            m -> assertThat(m).contains("4: bad-like: s/bad.json: it is not JSON"),
            m -> assertThat(m).contains("5: bad-like", "none of them named 'c': [x, y]"),
            m -> assertThat(m).contains("6: bad-like", "column 'n' is a BIT"),
            m -> assertThat(m).contains("7: bad-like", "it makes no table"),
            m -> assertThat(m).contains("8: missing-file"),
            m -> assertThat(m).contains("9: unknown-like: columns are not read out of a 'xml'"),
            m -> assertThat(m).contains("10: unknown-key: 'avro' has no key 'names' here"),
            m -> assertThat(m).contains("10: bad-like"),
            m -> assertThat(m).contains("11: missing-key: a table needs 'columns', or 'like'"));
  }
}

package io.wexrun.postgres;

import static java.util.stream.Collectors.joining;
import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import io.wexrun.contract.FolderSite;
import io.wexrun.contract.TypedRows;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.identity.Identity;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type;
import io.wexrun.core.target.Flush;
import io.wexrun.core.target.QueryBounds;
import io.wexrun.core.target.Receipt;
import io.wexrun.core.target.Refusal;
import io.wexrun.core.target.Swapping;
import io.wexrun.core.target.TableDifference;
import io.wexrun.core.target.Target;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalLong;
import java.util.SplittableRandom;
import java.util.stream.IntStream;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.junit.jupiter.params.provider.ValueSource;

/** What is a PostgreSQL database's own, beside the contracts. */
class PostgresStoreTest {
  private static final SourcePartition S = new SourcePartition("a.log");

  @TempDir private Path folder;
  private final String database = Server.database();
  private PostgresStore store;

  @BeforeEach
  void open() {
    store = Server.open(database, folder);
  }

  @AfterEach
  void close() {
    store.close();
  }

  private Receipt load(Table table, List<List<String>> texts) {
    try (Target target = store.target("p", table)) {
      long from = target.progress().getOrDefault(S, 0L);
      Flush.Part part =
          new Flush.Part(S, from, from + texts.size(), TypedRows.of(table.schema(), from, texts));
      return target.stage(new Flush(List.of(part))).commit();
    }
  }

  private Table table(String type) {
    return Table.in("w", "t").column("v", Type.parse(type).orElseThrow()).build();
  }

  @Test
  void decimalsOfEveryScaleArriveAsTheyAre() {
    SplittableRandom dice = new SplittableRandom(5);
    for (int scale = 0; scale <= 18; scale++) {
      store.change("drop table if exists t");
      List<List<String>> texts = new ArrayList<>();
      for (int i = 0; i < 40; i++) {
        long bound = i % 2 == 0 ? 1_000_000_000_000_000_000L : 1L << dice.nextInt(1, 40);
        long value = dice.nextLong(-bound + 1, bound);
        texts.add(List.of(java.math.BigDecimal.valueOf(value, scale).toPlainString()));
      }
      texts.add(List.of(java.math.BigDecimal.valueOf(0, scale).toPlainString()));
      load(table("decimal(18," + scale + ")"), texts);
      List<String> found =
          store.query("select v::text from t").rows().stream()
              .map(row -> (String) row.get(0))
              .toList();
      assertThat(found).containsExactlyElementsOf(texts.stream().map(row -> row.get(0)).toList());
    }
  }

  @Test
  void largeValuesAndManyRowsFillSeveralMessages() {
    List<List<String>> texts = new ArrayList<>();
    SplittableRandom dice = new SplittableRandom(6);
    for (int i = 0; i < 300; i++) {
      texts.add(
          Arrays.asList(
              i % 7 == 0 ? null : "x".repeat(dice.nextInt(i % 50 == 1 ? 900_000 : 3000))));
    }
    assertThat(load(table("text"), texts).written()).isEqualTo(300);
    long bytes =
        texts.stream().filter(r -> r.get(0) != null).mapToLong(r -> r.get(0).length()).sum();
    assertThat(store.query("select sum(length(v))::bigint, count(v)::int from t").rows())
        .hasToString("[[" + bytes + ", " + (300 - 43) + "]]");
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "text  | 'xNULy' | invalid byte sequence for encoding \"UTF8\": 0x00",
        "json  | '{\"a\": \"\\u0000\"}' | unsupported Unicode escape sequence",
      })
  void whatTheServerCannotHoldIsRefusedAndTheOthersAreLoaded(
      String type, String value, String why) {
    String plain = type.equals("json") ? "1" : "fine";
    Receipt receipt =
        load(
            table(type),
            List.of(List.of(plain), List.of(value.replace("NUL", "\0")), List.of(plain)));
    assertThat(receipt.written()).isEqualTo(2);
    assertThat(receipt.refused()).hasSize(1);
    assertThat(receipt.refused().get(0).position()).isEqualTo(1);
    assertThat(receipt.refused().get(0).why()).contains(why);
  }

  @Test
  void whatATriggerRefusesIsRefused() {
    store.change("create table t (v integer)");
    store.change(
        "create function odd() returns trigger as $$ begin if new.v % 2 = 1 then raise exception"
            + " 'odd: %', new.v; end if; return new; end $$ language plpgsql");
    store.change("create trigger odd before insert on t for each row execute function odd()");
    Receipt receipt = load(table("int"), List.of(List.of("2"), List.of("3"), List.of("4")));
    assertThat(receipt.written()).isEqualTo(2);
    assertThat(receipt.refused().get(0).why()).isEqualTo("odd: 3");
    store.change(
        "create or replace function odd() returns trigger as $$ begin if new.v % 97 = 1"
            + " then raise exception 'no: %', new.v; end if; return new; end $$ language plpgsql");
    List<List<String>> many =
        IntStream.range(0, 20_000).mapToObj(i -> List.of(Integer.toString(i))).toList();
    Receipt more = load(table("int"), many);
    assertThat(more.refused()).hasSize(207).allMatch(r -> (r.position() - 3) % 97 == 1);
    assertThat(more.written()).isEqualTo(20_000 - 207);
  }

  /** Rows that do not fit even into a temporary table. */
  @Test
  void manyTextsThatTheServerCannotHoldAreRefused() {
    List<List<String>> texts = new ArrayList<>();
    for (int i = 0; i < 20_000; i++) {
      texts.add(List.of(i % 89 == 0 ? "x\0" + i : "fine " + i));
    }
    Receipt receipt = load(table("text"), texts);
    assertThat(receipt.refused()).hasSize(225).allMatch(r -> r.position() % 89 == 0);
    assertThat(store.query("select count(*) from t where v like 'fine %'").rows())
        .hasToString("[[" + (20_000 - 225) + "]]");
  }

  @Test
  void columnsThatTheDatabaseFillsAreNotInTheWay() {
    store.change(
        "create table t (id integer generated always as identity, v text not null, at timestamptz"
            + " not null default now())");
    Table table = Table.in("w", "t").required("v", Type.Scalar.TEXT).build();
    assertThat(store.compare(table)).isEmpty();
    load(table, List.of(List.of("x"), List.of("y")));
    assertThat(store.query("select id, v from t order by id").rows())
        .hasToString("[[1, x], [2, y]]");
  }

  /** PostgreSQL does not tell of rows in partitions whether they are new. */
  @ParameterizedTest
  @CsvSource({"'', 2", "' partition by range (n)',"})
  void rowsThatTookThePlacesOfOthersAreCountedUnlessTheTableIsPartitioned(
      String partitioned, Long replaced) {
    store.change("create table t (n bigint primary key, v text)" + partitioned);
    if (replaced == null) {
      store.change("create table t_all partition of t default");
    }
    Table table =
        Table.in("w", "t")
            .column("n", Type.Scalar.LONG)
            .column("v", Type.Scalar.TEXT)
            .build()
            .keyed(List.of("n"))
            .managed(Table.Manage.NEVER);
    load(table, List.of(List.of("1", "a"), List.of("2", "a"), List.of("2", "b")));
    load(table, List.of(List.of("1", "c"), List.of("3", "a")));
    assertThat(store.query("select n, v from t order by n").rows())
        .hasToString("[[1, c], [2, b], [3, a]]");
    assertThat(store.replaced(table))
        .isEqualTo(replaced == null ? OptionalLong.empty() : OptionalLong.of(replaced));
  }

  @ParameterizedTest
  @ValueSource(
      strings = {
        "copy (select 1) to '/tmp/never'",
        "/* select */ copy (select 1) to program 'true'",
        "-- select\ncopy (select 1) to '/tmp/never'",
        "select 1; drop table t",
        "with gone as (delete from t returning 1) select * from gone",
        "explain analyze delete from t",
        "do $$ begin delete from t; end $$",
        "set role other",
        "",
      })
  void aQueryOnlyReads(String sql) {
    load(table("int"), List.of(List.of("1")));
    assertThatThrownBy(() -> store.query(sql)).isInstanceOf(OutsideException.class);
    assertThat(store.query("select v from t").rows()).hasToString("[[1]]");
    assertThat(Files.exists(Path.of("/tmp/never"))).isFalse();
  }

  @ParameterizedTest
  @ValueSource(
      strings = {"(select 1)", "-- one\nselect 1;", "values (1)", "with a as (select 1) table a"})
  void queriesBeginInManyWays(String sql) {
    assertThat(store.query(sql).rows()).hasToString("[[1]]");
  }

  @Test
  void aQueryEndsAtItsBounds() {
    QueryBounds bounds = new QueryBounds(Duration.ofSeconds(1), 10, 1 << 20);
    assertThat(store.query("select generate_series(1, 10)", bounds).rows()).hasSize(10);
    assertThatThrownBy(() -> store.query("select generate_series(1, 11)", bounds))
        .isInstanceOf(OutsideException.class)
        .hasMessage("the query gives more than 10 rows: add a limit to it");
    assertThatThrownBy(() -> store.query("select pg_sleep(30)", bounds))
        .isInstanceOf(OutsideException.class)
        .hasMessage("the query was ended after 1 second");
    assertThat(store.query("select generate_series(1, 10)").rows()).hasSize(10);
  }

  @Test
  void aSchemaOfTheUsersHoldsTheTables() {
    store.change("create schema depot");
    Settings settings = Settings.of("postgres", Server.url(database)).with("schema", "depot");
    try (PostgresStore other =
        (PostgresStore) new PostgresConnector().open("o", settings, new FolderSite(folder))) {
      other.target("p", table("int")).close();
    }
    assertThat(store.query("select to_regclass('depot.t')::text").rows())
        .hasToString("[[depot.t]]");
  }

  private PostgresStore as(String role) {
    Settings settings =
        Settings.of("postgres", Server.url(database).replace("user=postgres", "user=" + role));
    return (PostgresStore) new PostgresConnector().open("o", settings, new FolderSite(folder));
  }

  private void run(String script) {
    String plain = script.lines().filter(line -> !line.startsWith("--")).collect(joining("\n"));
    for (String statement : plain.split(";")) {
      if (!statement.isBlank()) {
        store.change(statement);
      }
    }
  }

  /** Each right that is missing is named until none is; then rows are loaded, and no other is. */
  @ParameterizedTest
  @ValueSource(booleans = {false, true})
  void aRoleThatMayOnlyInsertLoadsWithTheRightsThatAreNamed(boolean keyed) {
    String role = "loader_" + database;
    store.change("create role " + role + " login");
    store.change("revoke create on schema public from public");
    store.change("revoke temporary on database " + database + " from public");
    store.change("create table t (v integer check (v < 9), more text default 'x')");
    Table plain = Table.in("o", "t").column("v", Type.Scalar.INT).build();
    if (keyed) {
      store.change("create unique index on t (v)");
    }
    Table table = (keyed ? plain.keyed(List.of("v")) : plain).managed(Table.Manage.NEVER);
    try (PostgresStore other = as(role)) {
      assertThat(other.missingRights(table).get(0)).contains("'wexrun table --setup-sql'");
      assertThatThrownBy(() -> other.target("p", table))
          .isInstanceOfSatisfying(OutsideException.class, e -> assertThat(e.lasting()).isTrue())
          .hasMessageContaining("'wexrun check' says which rights are missing");
      for (String statement : Catalog.SETUP) {
        store.change(statement);
      }
      List<String> missing = other.missingRights(table);
      assertThat(missing).contains("grant usage on schema wexrun to \"" + role + "\";");
      assertThat(missing).anyMatch(grant -> grant.matches("grant insert.* on t to .*;"));
      for (String grant : missing) {
        assertThatThrownBy(() -> other.target("p", table).stage(flush(table, 0, "1")).commit())
            .as("before %s", grant)
            .isInstanceOf(OutsideException.class);
        store.change(grant);
      }
      assertThat(other.missingRights(table)).isEmpty();
      try (Target target = other.target("p", table)) {
        Receipt receipt = target.stage(flush(table, 0, "1", "10", "2")).commit();
        assertThat(receipt.written()).isEqualTo(2);
        assertThat(receipt.refused()).extracting(Refusal::position).containsExactly(1L);
      }
      assertThat(other.standing("p", "t").orElseThrow().rows()).containsEntry(S, 2L);
      if (!keyed) {
        assertThatThrownBy(() -> other.query("select * from t"))
            .hasMessageContaining("permission denied for table t");
        assertThat(other.rows(table)).as("it may not be read").isEmpty();
      }
    }
  }

  private static Flush flush(Table table, long from, String... values) {
    List<List<String>> rows = Arrays.stream(values).map(List::of).toList();
    return new Flush(
        List.of(
            new Flush.Part(S, from, from + rows.size(), TypedRows.of(table.schema(), from, rows))));
  }

  /** Who a table of others is cannot be in its comment. */
  @Test
  void aTableOfOthersKeepsItsIdentityUntilItIsAnother() {
    String role = "loader_" + database;
    store.change("create role " + role + " login");
    Table table = table("int").managed(Table.Manage.NEVER);
    run(
        new PostgresConnector()
            .setup(
                "o",
                Settings.of("postgres", Server.url(database)),
                List.of(table("int")),
                Optional.of(role))
            .orElseThrow());
    try (PostgresStore other = as(role)) {
      assertThat(other.missingRights(table)).isEmpty();
      Identity first = other.target("p", table).identity().orElseThrow();
      store.change("alter table t rename to u");
      store.change("alter table u rename to t");
      assertThat(other.standing("p", "t").orElseThrow().identity()).contains(first);
      store.change("update wexrun.tables set database_number = 1, table_number = 1");
      assertThat(other.standing("p", "t").orElseThrow().identity())
          .as("the database was restored from a dump, so that all numbers are others")
          .contains(first);
      store.change(
          "update wexrun.tables set database_number = (select oid from pg_database where datname ="
              + " current_database())");
      assertThat(other.standing("p", "t").orElseThrow().identity())
          .as("another table has its name")
          .isEmpty();
      assertThat(other.target("p", table).identity()).isPresent().isNotEqualTo(Optional.of(first));
    }
  }

  @Test
  void mistakesAreToldBeforeAndAfterConnecting() {
    Diagnostics diagnostics = Diagnostics.of("w");
    Settings wrong = Settings.of("postgres", "jdbc:mysql://x").with("password", "${env:NOT_SET}");
    new PostgresConnector().check(wrong, new FolderSite(folder), KeyPath.ROOT, diagnostics);
    assertThat(diagnostics.all())
        .extracting("message")
        .containsExactly(
            "'jdbc:mysql://x' is not a URL of a PostgreSQL database",
            "the environment variable NOT_SET is not set");
    String url = Server.url("none");
    PostgresConnector connector = new PostgresConnector();
    try (PostgresStore none =
        (PostgresStore) connector.open("n", Settings.of("postgres", url), new FolderSite(folder))) {
      assertThatThrownBy(none::identity)
          .isInstanceOfSatisfying(
              OutsideException.class,
              e -> {
                assertThat(e.lasting()).isTrue();
                assertThat(e.getMessage())
                    .startsWith("cannot reach store n (jdbc:postgresql://localhost:")
                    .endsWith("database \"none\" does not exist")
                    .doesNotContain("user=");
              });
    }
    try (PostgresStore down =
        (PostgresStore)
            connector.open(
                "d",
                Settings.of("postgres", "jdbc:postgresql://localhost:1/x"),
                new FolderSite(folder))) {
      assertThatThrownBy(down::identity)
          .isInstanceOfSatisfying(OutsideException.class, e -> assertThat(e.lasting()).isFalse())
          .hasMessageContaining("localhost:1");
    }
  }

  @Test
  void whoMayReadATableMayReadTheOneThatTakesItsPlace() {
    Table table = Table.in("w", "t").column("n", Type.Scalar.INT).build();
    load(table, List.of(List.of("1")));
    load(table.named("t_new"), List.of(List.of("2")));
    store.change("do $$ begin create role reader; exception when duplicate_object then end $$");
    store.change("grant update on t to reader");
    store.change("grant insert on t to public");
    store.swap(List.of(new Swapping.Exchange("t", "t_new", "t_old")));
    for (String right : List.of("update", "insert")) {
      assertThat(
              store
                  .query("select has_table_privilege('reader', 't', '" + right + "')")
                  .rows()
                  .get(0)
                  .get(0))
          .as(right)
          .isEqualTo(true);
    }
  }

  private static final String FOREIGN =
      "create type level as enum ('low', 'high');"
          + "create domain card as varchar(8) check (value like 'C%');"
          + "create table t (n smallint, m bigint, name varchar(5), code char(3), ratio real, host"
          + " inet, at timestamp, how level, sum numeric, price numeric(9,4), who card, id text, tags"
          + " varchar(4)[], doc json, kept integer default 7)";

  private static Table foreign() {
    return Table.in("w", "t")
        .column("n", Type.Scalar.INT)
        .column("m", Type.Scalar.INT)
        .column("name", Type.Scalar.TEXT)
        .column("code", Type.Scalar.TEXT)
        .column("ratio", Type.Scalar.DOUBLE)
        .column("host", Type.Scalar.TEXT)
        .column("at", Type.Scalar.TIMESTAMP)
        .column("how", Type.Scalar.TEXT)
        .column("sum", Type.Scalar.DOUBLE)
        .column("price", new Type.Decimal(7, 2))
        .column("who", Type.Scalar.TEXT)
        .column("id", Type.Scalar.UUID)
        .column("doc", Type.Scalar.JSON)
        .build()
        .managed(Table.Manage.NEVER);
  }

  private static final String UUID = "0b0e7f6a-3a50-4b1c-9a5e-0d3c1a2b4c5d";

  private static List<String> row(String... changed) {
    List<String> row =
        new ArrayList<>(
            List.of(
                "7",
                "8",
                "a\tb\\c",
                "xy",
                "0.1",
                "10.0.0.0/8",
                "2026-05-03T04:00:00.5Z",
                "low",
                "0.1",
                "-12345.67",
                "C1",
                UUID,
                "{\"a\": \"b\\n\"}"));
    for (int i = 0; i < changed.length; i += 2) {
      row.set(Integer.parseInt(changed[i]), changed[i + 1]);
    }
    return row;
  }

  /** Tables that others made, of types that are not ours: also by their key, and with refusals. */
  @ParameterizedTest
  @ValueSource(booleans = {false, true})
  void tablesOfOthersAreLoadedIntoEveryTypeThatHoldsTheValues(boolean keyed) {
    for (String statement : FOREIGN.split(";")) {
      store.change(statement);
    }
    Table table = foreign();
    if (keyed) {
      store.change("create unique index on t (m)");
      table = table.keyed(List.of("m")).managed(Table.Manage.NEVER);
    }
    TableDifference edges = store.compare(table).orElseThrow();
    assertThat(edges.stops()).isFalse();
    assertThat(edges.ddl()).isEmpty();
    assertThat(edges.columns().stream().map(c -> c.name() + ": " + c.what()))
        .containsSubsequence(
            "n: a number beyond its range is refused",
            "name: a text of more than 5 characters is refused",
            "code: a text is filled with blanks, and one of more than 3 characters is refused",
            "ratio: a number is rounded to the nearest real; a number beyond its range is refused",
            "host: a text that is not one is refused",
            "at: a time is kept as it is in UTC",
            "how: a text that is not one of its labels is refused",
            "who: a text of more than 8 characters is refused; what the domain does not allow is"
                + " refused");
    List<List<String>> rows =
        List.of(
            row(),
            row("0", "40000", "1", "9"),
            row("2", "longer", "1", "10"),
            row("5", "10.0.0.300", "1", "11"),
            row("7", "middle", "1", "12"),
            row("10", "D1", "1", "13"),
            row("1", "14", "3", "long"),
            row("1", "15", "4", "1e300"),
            row("1", "16", "0", "-5"));
    Receipt receipt = load(table, rows);
    assertThat(receipt.refused())
        .extracting(Refusal::position)
        .containsExactly(1L, 2L, 3L, 4L, 5L, 6L, 7L);
    assertThat(receipt.refused().get(2).why()).contains("invalid input syntax for type inet");
    assertThat(receipt.written()).isEqualTo(2);
    assertThat(
            store
                .query(
                    "select n, m, name, code::text, ratio::text, host::text, at::text, how::text,"
                        + " sum::text, price::text, who, id, doc::text, kept from t order by m")
                .rows()
                .get(0))
        .map(String::valueOf)
        .containsExactly(
            "7",
            "8",
            "a\tb\\c",
            "xy",
            "0.1",
            "10.0.0.0/8",
            "2026-05-03 04:00:00.5",
            "low",
            "0.1",
            "-12345.6700",
            "C1",
            UUID,
            "{\"a\": \"b\\n\"}",
            "7");
  }

  @Test
  void theColumnsOfATableOfOthersAreReadAsTypesThatItHolds() {
    for (String statement : FOREIGN.split(";")) {
      store.change(statement);
    }
    Schema schema = store.columns("t").orElseThrow();
    assertThat(schema.columns().stream().map(c -> c.name() + " " + c.type()))
        .containsExactly(
            "n int",
            "m long",
            "name text",
            "code text",
            "ratio double",
            "host text",
            "at timestamp",
            "how text",
            "sum double",
            "price decimal(9,4)",
            "who text",
            "id text",
            "tags list<text>",
            "doc json",
            "kept int");
    Table like = new Table("t", "w", schema, Map.of()).managed(Table.Manage.NEVER);
    assertThat(store.compare(like)).hasValueSatisfying(d -> assertThat(d.stops()).isFalse());
    List<String> one =
        Arrays.asList(
            "1",
            "2",
            "abc",
            "c",
            "0.5",
            "::1",
            "2026-05-03T04:00:00Z",
            "high",
            "3.25",
            "1.5",
            "C2",
            "i",
            "[\"a\", \"b,{\\\"\"]",
            "[1]",
            null);
    assertThat(load(like, List.of(one)).written()).isEqualTo(1);
    assertThat(store.query("select tags::text, host::text from t").rows().get(0))
        .map(String::valueOf)
        .containsExactly("{a,\"b,{\\\"\"}", "::1/128");
  }

  @Test
  void whatWouldChangeValuesStopsARunAndIsNotSuggestedToOthers() {
    store.change("create table t (v integer not null, w date, more text not null)");
    Table table =
        Table.in("w", "t")
            .column("v", Type.Scalar.DOUBLE)
            .column("w", Type.Scalar.TIMESTAMP)
            .build();
    TableDifference mine = store.compare(table).orElseThrow();
    assertThat(mine.stops()).isTrue();
    assertThat(mine.ddl()).isNotEmpty();
    TableDifference theirs = store.compare(table.managed(Table.Manage.NEVER)).orElseThrow();
    assertThat(theirs.stops()).isTrue();
    assertThat(theirs.ddl()).isEmpty();
    assertThat(theirs.columns())
        .extracting(TableDifference.Column::name)
        .containsExactly("v", "w", "more");
  }

  /** So no row dies because somebody changes a table. */
  @Test
  void aColumnThatGetsAnotherTypeWhileItIsOpenRefusesNoRow() {
    Table table = table("long");
    try (Target target = store.target("p", table)) {
      commit(target, table, 0, List.of(List.of("1")));
      store.change("alter table t alter column v type numeric");
      List<List<String>> rows = List.of(List.of("2"));
      assertThatThrownBy(() -> commit(target, table, 1, rows)).isInstanceOf(OutsideException.class);
    }
    assertThat(load(table, List.of(List.of("2"))).written()).isEqualTo(1);
    assertThat(store.query("select v::text from t order by v").rows()).hasToString("[[1], [2]]");
  }

  private static Receipt commit(Target target, Table table, long from, List<List<String>> texts) {
    Flush.Part part =
        new Flush.Part(S, from, from + texts.size(), TypedRows.of(table.schema(), from, texts));
    return target.stage(new Flush(List.of(part))).commit();
  }
}

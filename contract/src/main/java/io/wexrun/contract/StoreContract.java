package io.wexrun.contract;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;
import static org.assertj.core.api.Assumptions.assumeThat;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.identity.Identity;
import io.wexrun.core.pipeline.Drift;
import io.wexrun.core.pipeline.Rollup;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type;
import io.wexrun.core.target.AddedColumn;
import io.wexrun.core.target.Answer;
import io.wexrun.core.target.Comparing;
import io.wexrun.core.target.Flush;
import io.wexrun.core.target.QueryBounds;
import io.wexrun.core.target.Querying;
import io.wexrun.core.target.Receipt;
import io.wexrun.core.target.Refusal;
import io.wexrun.core.target.Standing;
import io.wexrun.core.target.Store;
import io.wexrun.core.target.Swapping;
import io.wexrun.core.target.Target;
import java.time.Duration;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.SplittableRandom;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.TimeUnit;
import java.util.stream.LongStream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.MethodSource;

/**
 * What every {@link Store} must do beside what its {@link TargetContract} says: keep values of all
 * types, and know who it is. An implementation's test extends this.
 */
public abstract class StoreContract extends ValuesContract {
  /** The store is removed: the next one that is opened is made anew. */
  protected abstract void remove();

  /** A table is removed from the store, which is not open, by other means than Wexrun's. */
  protected abstract void drop(String table);

  /** Whether rows can take the places of others, by a key. */
  protected boolean replaces() {
    return true;
  }

  /**
   * Whether tables can be rollups: merged where rows can take the places of others, or in parts.
   */
  protected boolean rollsUp() {
    return true;
  }

  /** Whether somebody is there who answers queries, if the store does. */
  protected boolean answers() {
    return true;
  }

  /** Whether the store knows with which columns a table was made. */
  protected boolean keepsColumns() {
    return true;
  }

  @Test
  void severalPipelinesLoadOneTable() {
    Table table = table("shared", "n", "int");
    try (Store store = open();
        Target one = store.target("one", table);
        Target two = store.target("two", table)) {
      assertThat(commit(one, table, 0, List.of(List.of("1"))).written()).isEqualTo(1);
      assertThat(commit(two, table, 0, List.of(List.of("2"), List.of("3"))).written()).isEqualTo(2);
      assertThat(one.identity()).isEqualTo(two.identity());
    }
    assertThat(found(table)).containsExactly("[1]", "[2]", "[3]");
  }

  @Test
  void whatIsNotCommittedIsGoneWhenTheTargetIsClosed() {
    Table table = table("uncommitted", "n", "int");
    try (Store store = open()) {
      try (Target target = store.target("p", table)) {
        Flush.Part part =
            new Flush.Part(S, 0, 1, TypedRows.of(table.schema(), List.of(List.of("1"))));
        assertThat(target.stage(new Flush(List.of(part)))).isNotNull();
      }
      try (Target again = store.target("p", table)) {
        assertThat(again.progress()).isEmpty();
      }
    }
    assertThat(found(table)).isEmpty();
  }

  @Test
  void aTableWithOtherColumnsIsNotWrittenTo() {
    assumeThat(keepsColumns()).isTrue();
    load(table("t", "n", "int", "text", "text"), List.of(List.of("1", "x")));
    Table other = table("t", "n", "int", "text", "text", "more", "int");
    try (Store store = open()) {
      assertThatThrownBy(() -> store.target("p", other))
          .isInstanceOf(OutsideException.class)
          .hasMessageContaining("t")
          .hasMessageContaining("more");
      if (store instanceof Comparing comparing) {
        assertThat(comparing.compare(other).orElseThrow().columns())
            .anyMatch(column -> column.name().equals("more"));
        assertThat(comparing.compare(table("t", "n", "int", "text", "text"))).isEmpty();
        assertThat(comparing.compare(table("none", "n", "int"))).isEmpty();
      }
    }
  }

  /** People add columns of their own, and tables are made by hand. */
  @Test
  void columnsStandInAnyOrderAndThereMayBeMore() {
    load(table("t", "more", "text", "n", "int", "text", "text"), List.of(List.of("m", "1", "x")));
    Table fewer = table("t", "text", "text", "n", "int");
    try (Store store = open()) {
      assumeThat(store).isInstanceOf(Comparing.class);
      assertThat(((Comparing) store).compare(fewer)).isEmpty();
      try (Target target = store.target("q", fewer)) {
        assertThat(commit(target, fewer, 0, List.of(List.of("y", "2"))).written()).isEqualTo(1);
      }
    }
    assertThat(found(fewer)).containsExactly("[x, 1]", "[y, 2]");
  }

  @Test
  void aTableIsMadeAndChangedOnlyAsItsDefinitionSays() {
    Table kept = table("kept", "n", "int").managed(Table.Manage.NEVER);
    Table wider = table("kept", "n", "int", "more", "text", "ids", "list<int>");
    try (Store store = open()) {
      assumeThat(store).isInstanceOf(Comparing.class);
      assertThat(((Comparing) store).has("kept")).isFalse();
      assertThatThrownBy(() -> store.target("p", kept))
          .isInstanceOfSatisfying(OutsideException.class, e -> assertThat(e.lasting()).isTrue())
          .hasMessageContaining("kept")
          .hasMessageContaining("manage: never");
      assertThat(((Comparing) store).has("kept")).as("not made").isFalse();
    }
    load(kept.managed(Table.Manage.CREATE), List.of(List.of("1")));
    Optional<Identity> before = identity(kept);
    try (Store store = open()) {
      assertThat(((Comparing) store).has("kept")).isTrue();
      assertThatThrownBy(() -> store.target("p", wider.managed(Table.Manage.NEVER)))
          .hasMessageContaining("more");
      Table followed = wider.managed(Table.Manage.FOLLOW);
      try (Target target = store.target("q", followed)) {
        assertThat(target.identity()).as("the same table").isEqualTo(before);
        commit(target, followed, 0, List.of(List.of("2", "x", "[7]")));
      }
      assertThat(((Comparing) store).compare(wider)).isEmpty();
    }
    assertThat(found(table("kept", "n", "int"))).containsExactly("[1]", "[2]");
  }

  @Test
  void ofRowsWithOneKeyTheNewestStays() {
    Table table = table("sales", "sale", "int", "no", "int", "state", "text", "tags", "list<text>");
    Table keyed = table.keyed(List.of("sale", "no"));
    List<List<String>> sales = new ArrayList<>();
    sales.add(List.of("1", "1", "open", "[\"a\"]"));
    sales.add(List.of("1", "2", "open", "[]"));
    sales.add(List.of("1", "1", "paid", "[\"b\", \"c\"]"));
    sales.add(Arrays.asList("2", "1", null, null));
    try (Store store = open()) {
      assumeThat(replaces()).isTrue();
      try (Target target = store.target("p", keyed)) {
        assertThat(commit(target, keyed, 0, sales)).isEqualTo(new Receipt(4, 0));
      }
      sales.add(Arrays.asList("1", "2", "void", null));
      try (Target target = store.target("p", keyed)) {
        assertThat(target.progress()).hasSize(1);
        assertThat(commit(target, keyed, 0, sales)).isEqualTo(new Receipt(1, 4));
        assertThat(target.parallelism()).isEqualTo(1);
      }
    }
    assertThat(found(keyed))
        .containsExactly("[1, 1, paid, [b, c]]", "[1, 2, void, null]", "[2, 1, null, null]");
    try (Store store = open()) {
      store.target("p", table("plain", "sale", "int")).close();
      Table other = table("plain", "sale", "int").keyed(List.of("sale"));
      if (store instanceof Comparing comparing) {
        assertThat(comparing.compare(keyed)).isEmpty();
        assertThat(comparing.replaced(keyed)).as("of five rows three are there").hasValue(2);
        assertThat(comparing.compare(other).orElseThrow().columns())
            .anyMatch(column -> column.name().equals("key"));
      }
      assertThatThrownBy(() -> store.target("p", other)).hasMessageContaining("unique");
    }
  }

  /** Rows of a table that gets columns for what is in the JSON objects of its field "others". */
  private static Receipt commitWithOthers(Target target, Table table, long from, String... others) {
    Schema input = table.schema().with(Column.of("others", Type.Scalar.JSON));
    List<List<String>> texts = new ArrayList<>();
    for (int i = 0; i < others.length; i++) {
      texts.add(Arrays.asList(Long.toString(from + i), others[i]));
    }
    Flush.Part part =
        new Flush.Part(S, from, from + others.length, TypedRows.of(input, from, texts));
    return target.stage(new Flush(List.of(part))).commit();
  }

  @Test
  void aTableGetsColumnsForWhatIsNewInItsRows() {
    Table plain = table("wide", "n", "int");
    Table.Details details =
        new Table.Details(
            "", Map.of(), Map.of(), List.of(), Optional.of(new Drift("others", Drift.Policy.ADD)));
    Table table = plain.with(details);
    try (Store store = open()) {
      assumeThat(replaces()).isTrue();
      try (Target target = store.target("p", table)) {
        assertThat(target.parallelism()).isEqualTo(1);
        Receipt first =
            commitWithOthers(
                target,
                table,
                0,
                null,
                "{\"line\": 7, \"name\": \"Ünï \\\"q\\\"\", \"none\": null}",
                "{\"line\": 8.5, \"on\": true, \"deep\": {\"a\": [1]}}",
                "{\"any\": 1, \"big\": 9007199254740993}",
                "{\"any\": \"a\"}");
        assertThat(first).isEqualTo(new Receipt(5, 0));
        Receipt second =
            commitWithOthers(
                target,
                table,
                5,
                "{\"line\": \"x\", \"late\": 1}",
                "{\"line\": 9, \"late\": 2}",
                "{\"on\": 5}");
        assertThat(second.written()).isEqualTo(1);
        assertThat(second.refused()).extracting(Refusal::position).containsExactly(5L, 7L);
        assertThat(second.refused().get(0).why()).contains("line", "\"x\"", "not a double");
      }
      try (Target again = store.target("p", table)) {
        assertThat(commitWithOthers(again, table, 8, "{\"late\": 3, \"name\": \"\"}").written())
            .isEqualTo(1);
      }
      List<AddedColumn> added = ((Comparing) store).added("wide");
      assertThat(added)
          .extracting(AddedColumn::column)
          .containsExactly("line", "name", "on", "deep", "any", "big", "late");
      assertThat(added)
          .extracting(AddedColumn::position)
          .containsExactly(1L, 1L, 2L, 2L, 3L, 3L, 5L);
      assertThat(added.get(0).by()).isEqualTo("p");
      assertThat(added.get(0).source()).isEqualTo("s");
      assertThat(((Comparing) store).compare(table)).isEmpty();
    }
    Table all =
        table(
            "wide", "n", "int", "line", "double", "name", "text", "on", "bool", "deep", "json",
            "any", "json", "big", "long", "late", "long");
    assertThat(found(all))
        .containsExactly(
            "[0, null, null, null, null, null, null, null]",
            "[1, 7.0, Ünï \"q\", null, null, null, null, null]",
            "[2, 8.5, null, true, {\"a\":[1]}, null, null, null]",
            "[3, null, null, null, null, 1, 9007199254740993, null]",
            "[4, null, null, null, null, \"a\", null, null]",
            "[6, 9.0, null, null, null, null, null, 2]",
            "[8, null, , null, null, null, null, 3]");
  }

  @Test
  void aRowThatTakesThePlaceOfAnotherTakesItsAddedColumnsToo() {
    Table.Details details =
        new Table.Details(
            "", Map.of(), Map.of(), List.of(), Optional.of(new Drift("others", Drift.Policy.ADD)));
    Table table = table("wide", "n", "int").with(details).keyed(List.of("n"));
    try (Store store = open()) {
      assumeThat(replaces()).isTrue();
      try (Target target = store.target("p", table)) {
        commitWithOthers(target, table, 0, "{\"a\": 1, \"b\": 1}", "{\"a\": 2}");
      }
      try (Target target = store.target("other", table)) {
        commitWithOthers(target, table, 0, "{\"b\": 3}");
      }
    }
    assertThat(found(table("wide", "n", "int", "a", "long", "b", "long")))
        .containsExactly("[0, null, 3]", "[1, 2, null]");
  }

  /** A table of groups; its rows come with the group's columns and a value for each measure. */
  private static Table rollup(String name, String... measures) {
    List<Rollup.Measure> all = new ArrayList<>();
    String[] columns = new String[measures.length * 2 + 4];
    System.arraycopy(new String[] {"hour", "timestamp", "stop", "text"}, 0, columns, 0, 4);
    for (int i = 0; i < measures.length; i++) {
      String[] parts = measures[i].split(": | = ");
      columns[4 + i * 2] = parts[0];
      columns[5 + i * 2] = parts[1];
      Type type = Type.parse(parts[1]).orElseThrow();
      all.add(Rollup.Measure.parse(parts[0], type, parts[2]).orElseThrow());
    }
    return table(name, columns).rolledUp(new Rollup(List.of("hour", "stop"), all));
  }

  private static Receipt commit(
      Target target, Schema input, long from, long skipped, List<List<String>> texts) {
    Flush.Part part = new Flush.Part(S, from, from + texts.size(), TypedRows.of(input, texts));
    Receipt receipt = target.stage(new Flush(List.of(part))).commit();
    assertThat(receipt.rows()).isEqualTo(texts.size());
    assertThat(receipt.skipped()).isEqualTo(skipped);
    return receipt;
  }

  @Test
  void aRollupHasOneRowForEachGroupWhoeverAddsToIt() {
    Table table =
        rollup(
            "hours",
            "n: long = count()",
            "real: double = sum(x)",
            "whole: long = sum(x)",
            "price: decimal(6,2) = sum(x)",
            "mean: double = avg(x)",
            "first: timestamp = min(x)",
            "note: text = max(x)",
            "cards: long = distinct(x)");
    Schema input =
        Schema.of(
            Column.of("hour", Type.Scalar.TIMESTAMP),
            Column.of("stop", Type.Scalar.TEXT),
            Column.of("real", Type.Scalar.DOUBLE),
            Column.of("whole", Type.Scalar.LONG),
            Column.of("price", new Type.Decimal(6, 2)),
            Column.of("mean", Type.Scalar.LONG),
            Column.of("first", Type.Scalar.TIMESTAMP),
            Column.of("note", Type.Scalar.TEXT),
            Column.of("cards", Type.Scalar.TEXT));
    String hour = "2026-05-03T04:00:00Z";
    List<List<String>> rows = new ArrayList<>();
    rows.add(List.of(hour, "a", "0.1", "1", "1.50", "1", "2026-05-03T04:09:00Z", "x", "c1"));
    rows.add(List.of(hour, "a", "0.2", "2", "0.25", "2", "2026-05-03T04:08:00Z", "é", "c2"));
    rows.add(Arrays.asList(hour, null, null, null, null, null, null, null, null));
    rows.add(Arrays.asList(null, "", "1e300", "7", "0", "7", null, "", ""));
    List<List<String>> more = new ArrayList<>(rows);
    more.add(List.of(hour, "a", "0.3", "4", "0.25", "4", "2026-05-03T04:59:00Z", "y", "c1"));
    more.add(Arrays.asList(hour, null, "-0.5", "-3", null, null, null, "ß", null));
    more.add(Arrays.asList(null, "", "-1e300", null, null, null, null, null, "c3"));
    assumeThat(rollsUp()).isTrue();
    try (Store store = open()) {
      try (Target target = store.target("p", table)) {
        assertThat(commit(target, input, 0, 0, rows).written()).isEqualTo(4);
      }
      try (Target target = store.target("p", table)) {
        assertThat(target.progress()).isEqualTo(Map.of(S, 4L));
        commit(target, input, 0, 4, more);
      }
      try (Target one = store.target("one", table);
          Target two = store.target("two", table)) {
        commit(one, input, 0, 0, List.of(more.get(0)));
        commit(two, input, 0, 0, List.of(more.get(1)));
        commit(one, input, 1, 0, List.of(more.get(0)));
        assertThat(one.rows().getOrDefault(S, 0L)).isZero();
      }
      assertThat(store.standing("one", "hours").orElse(Standing.ABSENT).rows().getOrDefault(S, 2L))
          .isEqualTo(2);
    }
    if (replaces()) {
      assertThat(visible(table))
          .containsExactly(
              "[2026-05-03T04:00:00Z, a, 6, 1.0, 11, 5.25, 1.8333333333333333,"
                  + " 2026-05-03T04:08:00Z, é, 2]",
              "[2026-05-03T04:00:00Z, null, 2, -0.5, -3, null, null, null, ß, 0]",
              "[null, , 2, 0.0, 7, 0.00, 7.0, null, , 2]");
    } else {
      assertThat(found(table)).as("a row for each group of each flush").hasSize(9);
    }
  }

  /** The columns of a rollup that people wrote. */
  private List<String> visible(Table table) {
    int kept = table.rollup().orElseThrow().kept().size();
    return found(table).stream()
        .map(row -> row.substring(1, row.length() - 1).split(", ", -1))
        .map(values -> Arrays.asList(values).subList(0, values.length - kept).toString())
        .sorted()
        .toList();
  }

  @Test
  void rowsWhoseSumDoesNotFitAreRefusedAndNoOthers() {
    Table table = rollup("sums", "n: long = count()", "whole: long = sum(x)");
    Schema input =
        Schema.of(
            Column.of("hour", Type.Scalar.TIMESTAMP),
            Column.of("stop", Type.Scalar.TEXT),
            Column.of("whole", Type.Scalar.LONG));
    String most = Long.toString(Long.MAX_VALUE);
    List<List<String>> rows = new ArrayList<>();
    rows.add(Arrays.asList(null, "a", most));
    rows.add(Arrays.asList(null, "b", "1"));
    rows.add(Arrays.asList(null, "a", "5"));
    rows.add(Arrays.asList(null, "c", null));
    assumeThat(rollsUp() && replaces()).isTrue();
    try (Store store = open();
        Target target = store.target("p", table)) {
      Receipt receipt = commit(target, input, 0, 0, rows);
      assertThat(receipt.refused()).hasSize(1);
      assertThat(receipt.refused().get(0).position()).isEqualTo(2);
      assertThat(receipt.refused().get(0).why()).contains("whole").contains("9223372036854775812");
      Receipt next = commit(target, input, 4, 0, List.of(Arrays.asList(null, "a", "-7")));
      assertThat(next.written()).isEqualTo(1);
    }
    assertThat(visible(table))
        .containsExactly(
            "[null, a, 2, " + (Long.MAX_VALUE - 7) + "]", "[null, b, 1, 1]", "[null, c, 1, null]");
  }

  @Test
  void howATableStandsIsToldWithoutTouchingIt() {
    Table table = table("t", "n", "int");
    load(table, List.of(List.of("1"), List.of("2")));
    try (Store store = open()) {
      Optional<Standing> standing = store.standing("p", "t");
      assumeThat(standing).isPresent();
      assertThat(standing.get().progress()).isEqualTo(Map.of(S, 2L));
      assertThat(standing.get().rows().getOrDefault(S, 2L)).isEqualTo(2);
      assertThat(store.standing("other", "t").orElseThrow().progress()).isEmpty();
      assertThat(store.standing("p", "none")).contains(Standing.ABSENT);
      try (Target target = store.target("p", table)) {
        assertThat(target.standing()).isEqualTo(standing.get());
        Receipt receipt =
            commit(target, table, 0, List.of(List.of("1"), List.of("2"), List.of("3")));
        assertThat(receipt).isEqualTo(new Receipt(1, 2));
      }
      Standing after = store.standing("p", "t").orElseThrow();
      assertThat(after.progress()).isEqualTo(Map.of(S, 3L));
      assertThat(after.rows().getOrDefault(S, 3L)).isEqualTo(3);
    }
    drop("t");
    try (Store store = open()) {
      assertThat(store.standing("p", "t")).contains(Standing.ABSENT);
    }
  }

  @Test
  void aStoreIsKnownByWhatItIsWhateverItsName() {
    Identity first = identity();
    assertThat(identity()).as("opened again").isEqualTo(first);
    remove();
    assertThat(identity()).as("made anew").isNotEqualTo(first);
  }

  private Identity identity() {
    try (Store store = open()) {
      return store.identity();
    }
  }

  @Test
  void aTableIsKnownByWhatItIsWhateverItsName() {
    Table table = table("t", "n", "int");
    Optional<Identity> first = identity(table);
    assertThat(first).isPresent();
    assertThat(identity(table)).as("opened again").isEqualTo(first);
    assertThat(identity(table("other", "n", "int"))).isNotEqualTo(first);
    drop("t");
    assertThat(identity(table)).as("made anew").isPresent().isNotEqualTo(first);
  }

  private Optional<Identity> identity(Table table) {
    try (Store store = open();
        Target target = store.target("p", table)) {
      return target.identity();
    }
  }

  @Test
  void pipelinesThatBeginAtOnceShareOneTable() throws Exception {
    Table table = table("shared", "n", "long");
    try (Store store = open()) {
      List<CompletableFuture<Void>> writers = new ArrayList<>();
      for (int i = 0; i < 6; i++) {
        String writer = "p" + i;
        List<List<String>> rows = List.of(List.of("" + i));
        writers.add(
            CompletableFuture.runAsync(
                () -> {
                  try (Target target = store.target(writer, table)) {
                    commit(target, table, 0, rows);
                  }
                }));
      }
      for (CompletableFuture<Void> writer : writers) {
        writer.get(60, TimeUnit.SECONDS);
      }
    }
    assertThat(found(table)).containsExactly("[0]", "[1]", "[2]", "[3]", "[4]", "[5]");
  }

  private boolean swaps() {
    try (Store store = open()) {
      return store instanceof Swapping;
    }
  }

  private void swap(Swapping.Exchange... exchanges) {
    try (Store store = open()) {
      ((Swapping) store).swap(List.of(exchanges));
    }
  }

  @Test
  void shadowsTakeThePlacesOfTheirTablesWhichAreKept() {
    assumeThat(swaps()).isTrue();
    Table table = table("t", "n", "int");
    Table shadow = table("t_shadow", "n", "int", "more", "text");
    Table keyed = table("k_shadow", "n", "int").keyed(List.of("n"));
    load(table, List.of(List.of("1")));
    load(shadow, List.of(List.of("2", "x")));
    load(keyed, List.of(List.of("3"), List.of("4")));
    Optional<Identity> identity = identity(table);
    Optional<Identity> ofShadow = identity(shadow);
    swap(
        new Swapping.Exchange("t", "t_shadow", "t_before"),
        new Swapping.Exchange("k", "k_shadow", "k_before"));
    Table swapped = table("t", "n", "int", "more", "text");
    Table kept = table("t_before", "n", "int");
    assertThat(found(swapped)).containsExactly("[2, x]");
    assertThat(found(kept)).containsExactly("[1]");
    assertThat(found(keyed.named("k"))).containsExactlyInAnyOrder("[3]", "[4]");
    assertThat(identity(swapped)).isEqualTo(ofShadow);
    assertThat(identity(kept)).isEqualTo(identity);
    try (Store store = open();
        Target target = store.target("p", swapped)) {
      assertThat(target.progress()).as("of the shadow").containsEntry(S, 1L);
    }
    try (Store store = open();
        Target target = store.target("q", keyed.named("k"))) {
      assertThat(commit(target, keyed.named("k"), 0, List.of(List.of("4"), List.of("5"))))
          .isEqualTo(new Receipt(2, 0));
    }
    assertThat(found(keyed.named("k"))).containsExactlyInAnyOrder("[3]", "[4]", "[5]");
  }

  @Test
  void ifOneOfSeveralExchangesIsNotPossibleNoneIsDone() {
    assumeThat(swaps()).isTrue();
    load(table("t", "n", "int"), List.of(List.of("1")));
    load(table("t_shadow", "n", "int"), List.of(List.of("2")));
    load(table("taken", "n", "int"), List.of(List.of("3")));
    assertThatThrownBy(
            () ->
                swap(
                    new Swapping.Exchange("t", "t_shadow", "t_before"),
                    new Swapping.Exchange("u", "none", "u_before")))
        .isInstanceOf(OutsideException.class)
        .hasMessageContaining("there is no table none");
    assertThatThrownBy(() -> swap(new Swapping.Exchange("t", "t_shadow", "taken")))
        .isInstanceOf(OutsideException.class);
    assertThat(found(table("t", "n", "int"))).containsExactly("[1]");
    assertThat(found(table("t_shadow", "n", "int"))).containsExactly("[2]");
    assertThat(found(table("taken", "n", "int"))).containsExactly("[3]");
  }

  @Test
  void rowsOfEarlierRecordsAreTakenOverIntoAShadow() {
    assumeThat(swaps()).isTrue();
    Table table = table("t", "n", "int", "old", "text", "_source", "long", "_position", "long");
    Table shadow = table("s", "n", "double", "_source", "long", "_position", "long", "new", "text");
    load(
        table,
        List.of(
            List.of("1", "a", "7", "0"),
            List.of("2", "b", "7", "10"),
            List.of("3", "c", "7", "20"),
            List.of("4", "d", "8", "0"),
            List.of("5", "e", "9", "99")));
    try (Store store = open()) {
      store.target("p", shadow).close();
      Swapping swapping = (Swapping) store;
      Map<Long, Long> before = Map.of(7L, 20L, 9L, Long.MAX_VALUE, 10L, 5L);
      assertThat(swapping.copy("t", "s", before)).isEqualTo(Map.of(7L, 2L, 9L, 1L));
    }
    assertThat(found(shadow))
        .containsExactlyInAnyOrder("[1.0, 7, 0, null]", "[2.0, 7, 10, null]", "[5.0, 9, 99, null]");
    assertThat(found(table)).hasSize(5);
  }

  @Test
  void aTableThatIsDroppedIsForgotten() {
    assumeThat(swaps()).isTrue();
    Table table = table("t", "n", "int");
    load(table, List.of(List.of("1")));
    Optional<Identity> before = identity(table);
    try (Store store = open()) {
      ((Swapping) store).drop("t");
      ((Swapping) store).drop("never_there");
      assertThat(store.standing("p", "t")).contains(Standing.ABSENT);
    }
    assertThat(identity(table)).isPresent().isNotEqualTo(before);
    try (Store store = open();
        Target target = store.target("p", table)) {
      assertThat(target.progress()).isEmpty();
    }
  }

  @Test
  void aQueryReadsAndNothingElse() {
    Table table = table("t", "a", "int", "b", "text");
    load(table, List.of(Arrays.asList("1", "x"), Arrays.asList("2", null)));
    try (Store store = open()) {
      assumeThat(store instanceof Querying && answers()).isTrue();
      Querying asked = (Querying) store;
      Answer answer = asked.query("select a, b from t order by a");
      assertThat(answer.columns()).containsExactly("a", "b");
      assertThat(answer.numeric()).containsExactly(true, false);
      assertThat(answer.rows()).containsExactly(List.of(1, "x"), Arrays.asList(2, null));
      for (String sql :
          List.of(
              "delete from t",
              "drop table t",
              "select 1; delete from t",
              "create table u(a int)")) {
        assertThatThrownBy(() -> asked.query(sql)).isInstanceOf(OutsideException.class);
      }
      assertThatThrownBy(() -> asked.query("select nothing from t"))
          .isInstanceOf(OutsideException.class)
          .hasMessageContaining("nothing");
      QueryBounds few = new QueryBounds(Duration.ofMinutes(1), 1, 1 << 20);
      assertThatThrownBy(() -> asked.query("select * from t", few))
          .isInstanceOf(OutsideException.class)
          .hasMessageContaining("more than 1 row");
      assertThat(asked.query("select count(*) from t").rows()).containsExactly(List.of(2L));
    }
    assertThat(rows(table)).hasSize(2);
  }

  /** A row that is refused replaces none. Of stores that are databases. */
  @Test
  void ofRowsWithOneKeyTheNewestThatIsTakenStays() {
    Table table = table("sales", "sale", "int", "price", "int").keyed(List.of("sale"));
    List<List<String>> sales =
        List.of(
            List.of("1", "5"),
            List.of("2", "3"),
            List.of("1", "7"),
            List.of("1", "50"),
            List.of("3", "70"));
    Flush.Part part = new Flush.Part(S, 0, 5, TypedRows.of(table.schema(), sales));
    try (Store store = open()) {
      assumeThat(store instanceof Querying && answers() && replaces()).isTrue();
      ((Querying) store)
          .change(
              "create table sales (sale integer not null unique,"
                  + " price integer check (price < 10))");
      try (Target target = store.target("p", table)) {
        Receipt receipt = target.stage(new Flush(List.of(part))).commit();
        assertThat(receipt.written()).isEqualTo(3);
        assertThat(receipt.refused()).extracting(Refusal::position).containsExactly(3L, 4L);
      }
      try (Target target = store.target("p", table)) {
        Receipt again = target.stage(new Flush(List.of(part))).commit();
        assertThat(again.skipped()).isEqualTo(3);
        assertThat(again.refused()).hasSize(2);
      }
    }
    assertThat(rows(table)).containsExactlyInAnyOrder(List.of(1, 7), List.of(2, 3));
  }

  static LongStream seeds() {
    return Seeds.some(4);
  }

  /**
   * As many rows as a flush has, with constraints of all kinds: the rows that are refused are those
   * that would be if they were inserted one by one. Of stores that are databases.
   */
  @ParameterizedTest
  @MethodSource("seeds")
  void rowsThatBreakConstraintsAreRefusedWhateverTheyAre(long seed) {
    SplittableRandom dice = new SplittableRandom(seed);
    Table table = table("tickets", "n", "long", "card", "text", "stop", "int", "fare", "int");
    List<List<String>> rows = new ArrayList<>();
    List<Long> expected = new ArrayList<>();
    Set<String> cards = new HashSet<>(Set.of("c1"));
    double bad = dice.nextBoolean() ? 0.01 : 0.5;
    for (int n = 0; n < 20_000; n++) {
      String card = dice.nextDouble() < bad / 3 ? "c" + dice.nextInt(n + 2) : "c" + (n + 2);
      int stop = dice.nextDouble() < bad / 3 ? 9 : dice.nextInt(3);
      String fare = "5";
      if (dice.nextDouble() < bad / 3) {
        fare = dice.nextBoolean() ? null : "-1";
      }
      rows.add(Arrays.asList(Integer.toString(n), card, Integer.toString(stop), fare));
      boolean fits = stop < 3 && "5".equals(fare) && !cards.contains(card);
      if (fits) {
        cards.add(card);
      } else {
        expected.add((long) n);
      }
    }
    Flush.Part part = new Flush.Part(S, 0, rows.size(), TypedRows.of(table.schema(), rows));
    List<Long> searched = new ArrayList<>();
    try (Store store = open()) {
      assumeThat(store instanceof Querying && answers() && replaces()).isTrue();
      Querying sql = (Querying) store;
      sql.change("create table stops (id integer primary key)");
      sql.change("insert into stops values (0), (1), (2)");
      sql.change(
          "create table tickets (n bigint, card text unique, stop integer references stops (id),"
              + " fare integer check (fare is not null and fare >= 0))");
      sql.change("insert into tickets values (-1, 'c1', 0, 0)");
      try (Target target = store.target("p", table)) {
        Flush flush = new Flush(List.of(part), (count, refused, all) -> searched.add(refused));
        Receipt receipt = target.stage(flush).commit();
        assertThat(receipt.refused())
            .as("seed %d", seed)
            .extracting(Refusal::position)
            .isEqualTo(expected);
        assertThat(receipt.written()).isEqualTo(rows.size() - expected.size());
        assertThat(receipt.refused()).noneMatch(refusal -> refusal.why().isBlank());
        assertThat(searched).as("who watches is told").contains((long) expected.size());
      }
      Object count = sql.query("select count(*) from tickets").rows().get(0).get(0);
      assertThat(((Number) count).longValue()).isEqualTo(rows.size() - expected.size() + 1L);
    }
  }
}

package io.wexrun.contract;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Type;
import io.wexrun.core.target.Comparing;
import io.wexrun.core.target.Flush;
import io.wexrun.core.target.Receipt;
import io.wexrun.core.target.Store;
import io.wexrun.core.target.Target;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

/**
 * What every {@link Store} must do with values of all types, whatever it keeps them in. An
 * implementation's test extends {@link StoreContract}, or this where only the form of what is kept
 * is another.
 */
public abstract class ValuesContract {
  static final SourcePartition S = new SourcePartition("s");

  /** Opens the store, over what was committed before; what was opened before was closed. */
  protected abstract Store open();

  /**
   * Everything that is committed in a table, in any order; the store is not open. Values are as
   * Java has them (null, Boolean, Number, String, byte[], Instant), in the order of the columns;
   * lists are lists, structs are maps.
   */
  protected abstract List<List<Object>> rows(Table table);

  static Table table(String name, String... columnsAndTypes) {
    Table.Builder table = Table.in("store", name);
    for (int i = 0; i < columnsAndTypes.length; i += 2) {
      table.column(columnsAndTypes[i], Type.parse(columnsAndTypes[i + 1]).orElseThrow());
    }
    return table.build();
  }

  final void load(Table table, List<List<String>> texts) {
    try (Store store = open();
        Target target = store.target("p", table)) {
      Receipt receipt = commit(target, table, 0, texts);
      assertThat(receipt).isEqualTo(new Receipt(texts.size(), 0));
    }
  }

  static Receipt commit(Target target, Table table, long from, List<List<String>> texts) {
    Flush.Part part =
        new Flush.Part(S, from, from + texts.size(), TypedRows.of(table.schema(), texts));
    return target.stage(new Flush(List.of(part))).commit();
  }

  /** What is in a table, as texts, in order. */
  final List<String> found(Table table) {
    List<Column> columns = table.schema().columns();
    List<String> found = new ArrayList<>();
    for (List<Object> row : rows(table)) {
      List<String> texts = new ArrayList<>();
      for (int i = 0; i < columns.size(); i++) {
        texts.add(TypedRows.text(columns.get(i).type(), row.get(i)));
      }
      found.add(texts.toString());
    }
    found.sort(null);
    return found;
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      quoteCharacter = '~',
      value = {
        "bool          | true                        | true",
        "int           | -2147483648                 | -2147483648",
        "int           | 2147483647                  | 2147483647",
        "long          | -9223372036854775807        | -9223372036854775807",
        "long          | 9223372036854775807         | 9223372036854775807",
        "double        | 0.1                         | 0.1",
        "double        | -1.7976931348623157e308     | -1.7976931348623157E308",
        "double        | 4.9e-324                    | 4.9E-324",
        "decimal(18,4) | -12345678901234.5678        | -12345678901234.5678",
        "decimal(3,3)  | 0.999                       | 0.999",
        "text          | ~~                          | ~~",
        "text          | Ünïcode 🚋 'q' \"d\" \\ \t x | Ünïcode 🚋 'q' \"d\" \\ \t x",
        "bytes         | abc                         | 616263",
        "timestamp     | 2026-11-25T10:11:12.123456Z | 2026-11-25T10:11:12.123456Z",
        "timestamp     | 1901-02-03T04:05:06Z        | 1901-02-03T04:05:06Z",
        "date          | 2026-02-28                  | 2026-02-28",
        "date          | 1583-01-01                  | 1583-01-01",
        "uuid          | 0b0e7a54-9f0c-4a0e-8a86-5a9d3a2f4f10 |"
            + " 0b0e7a54-9f0c-4a0e-8a86-5a9d3a2f4f10",
        "json          | {\"a\":[1,null,\"x\"]}      | {\"a\":[1,null,\"x\"]}",
      })
  void aValueOfEachTypeIsKeptAsItIs(String type, String text, String expected) {
    Table table = table("scalars", "before", "int", "value", type, "after", "text");
    load(table, List.of(List.of("1", text, "z"), Arrays.asList("2", null, null)));
    assertThat(found(table)).containsExactly("[1, " + expected + ", z]", "[2, null, null]");
    try (Store store = open()) {
      if (store instanceof Comparing comparing && comparing.columns("other").isEmpty()) {
        comparing
            .columns(table.name())
            .ifPresent(columns -> assertThat(columns).isEqualTo(table.schema()));
      }
    }
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      quoteCharacter = '~',
      value = {
        "list<int>             | [1, null, 3]  | [1, null, 3]",
        "list<int>             | []            | []",
        "list<text>            | [\"a\", \"\"] | [a, ]",
        "list<list<double>>    | [[1.5], [], null, [null, 2]] | [[1.5], [], null, [null, 2.0]]",
        "{lat: double, lon: double} | {\"lat\": 1, \"lon\": null} | [lat=1.0, lon=null]",
        "{a: {b: {c: text}}}   | {\"a\": {\"b\": {\"c\": \"x\"}}} | [a=[b=[c=x]]]",
        "{a: {b: int}}         | {\"a\": null} | [a=null]",
        "list<{at: timestamp, n: int}> | [{\"at\": \"2026-01-02T03:04:05Z\"}, null]"
            + " | [[at=2026-01-02T03:04:05Z, n=null], null]",
        "{ids: list<uuid>, d: date, f: decimal(4,2)}"
            + " | {\"ids\": [\"0b0e7a54-9f0c-4a0e-8a86-5a9d3a2f4f10\"], \"d\": \"2026-01-02\","
            + " \"f\": \"12.5\"}"
            + " | [ids=[0b0e7a54-9f0c-4a0e-8a86-5a9d3a2f4f10], d=2026-01-02, f=12.50]",
      })
  void nestedValuesAreKeptWithWhatIsAbsentInside(String type, String text, String expected) {
    Table table = table("nested", "n", "int", "value", type);
    load(table, List.of(List.of("1", text), Arrays.asList("2", null), List.of("3", text)));
    assertThat(found(table))
        .containsExactly("[1, " + expected + "]", "[2, null]", "[3, " + expected + "]");
  }

  @Test
  void namesOfTablesAndColumnsMayBeAnything() {
    Table table = table("select", "order", "int", "Mixed Case", "text", "a\"b'c", "text");
    load(table, List.of(List.of("1", "x", "y")));
    assertThat(found(table)).containsExactly("[1, x, y]");
  }
}

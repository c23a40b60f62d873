package io.wexrun.duckdb;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import io.wexrun.contract.FolderSite;
import io.wexrun.contract.TypedRows;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.schema.Type;
import io.wexrun.core.target.Filing;
import io.wexrun.core.target.Filing.RowsFile;
import io.wexrun.core.target.Flush;
import io.wexrun.core.target.Querying;
import io.wexrun.core.target.Store;
import io.wexrun.core.target.Target;
import io.wexrun.files.folder.FolderConnector;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.atomic.AtomicLong;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;

/** Queries of folders, beside what every store does. */
class FileQueriesTest {
  private static final SourcePartition S = new SourcePartition("a.log");
  private static final Table ROWS =
      Table.in("w", "rows")
          .column("n", Type.Scalar.LONG)
          .column("part", Type.Scalar.TEXT)
          .column("exact", new Type.Decimal(18, 2))
          .build();

  @TempDir private Path base;

  private Store open(String format) {
    Settings settings =
        Settings.of("folder", "out").with("format", format).with("by", List.of("part"));
    return new FolderConnector().open("w", settings, new FolderSite(base));
  }

  private static void load(Target target, long from, int count) {
    List<List<String>> texts = new ArrayList<>();
    for (long n = from; n < from + count; n++) {
      texts.add(List.of("" + n, "p" + n % 3, "1234567890123456.78"));
    }
    Flush.Part part =
        new Flush.Part(S, from, from + count, TypedRows.of(ROWS.schema(), from, texts));
    target.stage(new Flush(List.of(part))).commit();
  }

  private static List<Object> ask(Store store, String sql) {
    return ((Querying) store).query(sql).rows().get(0);
  }

  /** Files appear, are moved, and are merged away while they are read. */
  @ParameterizedTest
  @ValueSource(strings = {"parquet", "csv"})
  void eachCommittedRowIsSeenOnceWhileOthersLoadAndMerge(String format) {
    AtomicLong committed = new AtomicLong();
    AtomicLong begun = new AtomicLong();
    try (Store store = open(format);
        Target target = store.target("p", ROWS)) {
      CompletableFuture<Void> work =
          CompletableFuture.runAsync(
              () -> {
                for (int i = 0; i < 20; i++) {
                  begun.set(i * 9L + 9);
                  load(target, i * 9L, 9);
                  committed.set(i * 9L + 9);
                  if (i % 5 == 4) {
                    ((Filing) store).merge(ROWS, 1 << 20, merged -> {});
                  }
                }
              });
      boolean last;
      do {
        last = work.isDone();
        long least = committed.get();
        if (least > 0) {
          List<Object> seen = ask(store, "select count(*), count(distinct n), max(n) from rows");
          assertThat((long) seen.get(0)).isBetween(least, begun.get());
          assertThat(seen)
              .as(least + " rows at least")
              .containsExactly(seen.get(0), seen.get(0), (long) seen.get(0) - 1);
        }
      } while (!last);
      work.join();
      assertThat(ask(store, "select count(*) from rows")).containsExactly(180L);
    }
  }

  @Test
  void filesOfAFormatThatTheStoreHadBeforeAreReadToo() throws IOException {
    for (String format : List.of("ndjson", "parquet", "csv")) {
      try (Store store = open(format);
          Target target = store.target("p " + format, ROWS)) {
        load(target, 0, 3);
      }
    }
    try (Store store = open("csv")) {
      assertThat(ask(store, "select count(*), sum(n), min(exact) from rows where part <> 'p0'"))
          .hasToString("[6, 9, 1234567890123456.78]");
      List<RowsFile> files = ((Filing) store).files("rows").orElseThrow();
      assertThat(files).hasSize(9);
      Files.delete(files.get(0).path());
      assertThat(ask(store, "select count(*) from rows")).containsExactly(8L);
      Path damaged = files.get(1).path();
      Files.writeString(damaged, "what is not of its format");
      assertThatThrownBy(() -> ask(store, "select count(*) from rows"))
          .isInstanceOf(OutsideException.class)
          .hasMessageContaining(damaged.getFileName().toString());
    }
  }

  /** A buffer for each file would need 32 MB. */
  @ParameterizedTest
  @ValueSource(strings = {"ndjson", "csv", "parquet"})
  void manyFilesAreReadInTheMemoryOfOneQuery(String format) {
    Table table =
        Table.in("w", "many")
            .column("n", Type.Scalar.LONG)
            .column("part", Type.Scalar.TEXT)
            .build();
    try (Store store = open(format);
        Target target = store.target("p", table)) {
      List<List<String>> texts = new ArrayList<>();
      for (int n = 0; n < 120; n++) {
        texts.add(List.of("" + n, "p" + n));
      }
      Flush.Part part = new Flush.Part(S, 0, 120, TypedRows.of(table.schema(), 0, texts));
      target.stage(new Flush(List.of(part))).commit();
      assertThat(((Filing) store).files("many").orElseThrow()).hasSize(120);
      assertThat(ask(store, "select count(*), sum(n) from many")).hasToString("[120, 7140]");
    }
  }

  @Test
  void onlyTheFilesOfTablesAreReached() throws IOException {
    Path outside = Files.writeString(base.resolve("other.csv"), "a\n1\n");
    try (Store store = open("parquet");
        Target target = store.target("p", ROWS)) {
      load(target, 0, 3);
      assertThatThrownBy(() -> ask(store, "select * from read_csv('" + outside + "')"))
          .isInstanceOf(OutsideException.class);
      assertThatThrownBy(() -> ask(store, "copy rows to '" + base.resolve("out.csv") + "'"))
          .isInstanceOf(OutsideException.class);
      assertThat(base.resolve("out.csv")).doesNotExist();
      assertThat(ask(store, "show tables")).containsExactly("rows");
      assertThatThrownBy(() -> ask(store, "select * from nowhere"))
          .hasMessageContaining("nowhere")
          .hasMessageContaining("store w")
          .hasMessageEndingWith("Its tables: rows");
    }
  }
}

package io.wexrun.duckdb;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.tuple;

import io.wexrun.contract.FolderSite;
import io.wexrun.contract.TargetContract;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.target.Receipt;
import io.wexrun.core.target.Refusal;
import io.wexrun.core.target.Target;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

class DuckDbTargetContractTest extends TargetContract {
  @TempDir private Path folder;
  private final List<DuckDbStore> open = new ArrayList<>();
  private DuckDbStore store;
  private int lives;

  private DuckDbStore store() {
    if (store == null) {
      FolderSite site = new FolderSite(folder);
      store = (DuckDbStore) new DuckDbConnector().open("w", DuckDbConnector.file(file()), site);
      open.add(store);
    }
    return store;
  }

  private String file() {
    return lives + ".db";
  }

  @Override
  protected Target open(String writer) {
    return store().target(writer, new Table("rows", "w", SCHEMA, Map.of()));
  }

  @Override
  protected boolean refuses() {
    store().change("create table rows (key varchar check (key not like '%" + REFUSED + "'))");
    return true;
  }

  /** Each is taken alone, but not both. */
  @Test
  void ofRowsThatClashTheFirstIsTaken() {
    store().change("create table rows (key varchar unique)");
    try (Target target = open("p")) {
      Receipt receipt =
          target.stage(flush(part(A, 0, 4, "a", "b", "a", "c"), part(B, 0, 2, "b", "d"))).commit();
      assertThat(receipt.written()).isEqualTo(4);
      assertThat(receipt.refused())
          .extracting(Refusal::position, Refusal::source)
          .containsExactly(tuple(2L, A), tuple(0L, B));
      assertThat(receipt.refused().get(0).why()).contains("Constraint Error");
    }
    assertThat(committed()).containsExactlyInAnyOrder("a", "b", "c", "d");
  }

  @Override
  protected List<String> committed() {
    return store().query("select key from rows").rows().stream()
        .map(row -> (String) row.get(0))
        .toList();
  }

  /** The files as they are at this moment, with nobody who had them open. */
  @Override
  protected void crash() {
    String before = file();
    lives++;
    for (String ending : List.of("", ".wal")) {
      Path from = folder.resolve(before + ending);
      if (Files.exists(from)) {
        try {
          Files.copy(from, folder.resolve(file() + ending));
        } catch (IOException e) {
          throw new UncheckedIOException(e);
        }
      }
    }
    store = null;
  }

  @AfterEach
  void close() {
    for (DuckDbStore each : open) {
      if (each == store || lives == 0) {
        each.close();
      }
    }
  }
}

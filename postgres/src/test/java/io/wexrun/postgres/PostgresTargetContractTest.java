package io.wexrun.postgres;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.groups.Tuple.tuple;

import io.wexrun.contract.TargetContract;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.target.Receipt;
import io.wexrun.core.target.Refusal;
import io.wexrun.core.target.Target;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

class PostgresTargetContractTest extends TargetContract {
  @TempDir private Path folder;
  private final String database = Server.database();
  private final List<PostgresStore> open = new ArrayList<>();
  private PostgresStore store;

  private PostgresStore store() {
    if (store == null) {
      store = Server.open(database, folder);
      open.add(store);
    }
    return store;
  }

  @Override
  protected Target open(String writer) {
    return store().target(writer, new Table("rows", "w", SCHEMA, Map.of()));
  }

  @Override
  protected boolean refuses() {
    store().change("create table rows (key text check (key not like '%" + REFUSED + "'))");
    return true;
  }

  @Override
  protected List<String> committed() {
    List<String> keys = new ArrayList<>();
    boolean there = !store().query("select to_regclass('rows')").rows().get(0).contains(null);
    if (there) {
      store().query("select key from rows").rows().forEach(row -> keys.add((String) row.get(0)));
    }
    return keys;
  }

  /** The connections of a process that is gone are gone, too. */
  @Override
  protected void crash() {
    Server.execute(
        "postgres",
        "select pg_terminate_backend(pid) from pg_stat_activity where datname = '"
            + database
            + "'");
    store = null;
  }

  @AfterEach
  void close() {
    open.forEach(PostgresStore::close);
  }

  @Test
  void ofRowsThatClashTheFirstIsTaken() {
    store().change("create table rows (key text unique deferrable initially deferred)");
    try (Target target = open("p")) {
      Receipt receipt =
          target.stage(flush(part(A, 0, 4, "a", "b", "a", "c"), part(B, 0, 2, "b", "d"))).commit();
      assertThat(receipt.written()).isEqualTo(4);
      assertThat(receipt.refused())
          .extracting(Refusal::position, Refusal::source)
          .containsExactly(tuple(2L, A), tuple(0L, B));
      assertThat(receipt.refused().get(0).why())
          .isEqualTo(
              "duplicate key value violates unique constraint \"rows_key_key\" (Key (key)=(a)"
                  + " already exists.)");
    }
    assertThat(committed()).containsExactlyInAnyOrder("a", "b", "c", "d");
  }
}

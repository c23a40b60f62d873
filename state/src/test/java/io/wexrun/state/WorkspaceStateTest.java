package io.wexrun.state;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import io.wexrun.core.dead.Reason;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.tally.Account;
import io.wexrun.core.tally.Counts;
import io.wexrun.core.tally.Tally;
import java.nio.file.Files;
import java.nio.file.Path;
import java.sql.Connection;
import java.sql.DriverManager;
import java.sql.Statement;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

class WorkspaceStateTest {
  private static final SourcePartition A = new SourcePartition("a.log");
  private static final SourcePartition B = new SourcePartition("b.log");

  @TempDir private Path folder;
  private Path file;

  @BeforeEach
  void nameFile() {
    file = folder.resolve(".wexrun").resolve("state.db");
  }

  private static Counts counts(long loaded, long dead, long dropped) {
    return new Counts(
        loaded + dead + dropped,
        0,
        0,
        Map.of("scans", loaded),
        dead == 0 ? Map.of() : Map.of(Reason.NO_MATCH, dead),
        dropped);
  }

  @Test
  void countsAndPositionsAreOneAccount() {
    try (WorkspaceState state = WorkspaceState.open(file)) {
      state.account("p", List.of(new Account(A, 0, 100, counts(8, 1, 1))));
      state.account(
          "p",
          List.of(
              new Account(A, 100, 150, counts(5, 0, 0)), new Account(B, 0, 70, counts(3, 2, 0))));
    }
    try (WorkspaceState state = WorkspaceState.open(file)) {
      assertThat(state.positions("p")).isEqualTo(Map.of(A, 150L, B, 70L));
      Counts sum = new Counts(20, 0, 0, Map.of("scans", 16L), Map.of(Reason.NO_MATCH, 3L), 1);
      assertThat(state.tally("p")).isEqualTo(new Tally("p", sum, 0, 2));
      assertThat(state.tally("p").balanced()).isTrue();
      assertThat(state.positions("other")).isEmpty();
      assertThat(state.tally("other")).isEqualTo(new Tally("other", Counts.NONE, 0, 0));
    }
  }

  @Test
  void anAccountThatDoesNotGoOnWhereTheTallyEndsChangesNothing() {
    try (WorkspaceState state = WorkspaceState.open(file);
        WorkspaceState another = WorkspaceState.open(file)) {
      state.account("p", List.of(new Account(A, 0, 100, counts(8, 0, 0))));
      another.account("p", List.of(new Account(A, 100, 200, counts(4, 0, 0))));
      List<Account> late =
          List.of(new Account(B, 0, 5, counts(1, 0, 0)), new Account(A, 100, 180, counts(3, 0, 0)));
      assertThatThrownBy(() -> state.account("p", late))
          .isInstanceOf(OutsideException.class)
          .hasMessageContaining("does not stand at position 100 of a.log any more");
      assertThat(state.positions("p")).isEqualTo(Map.of(A, 200L));
      assertThat(state.tally("p").counts().taken()).isEqualTo(12);
    }
  }

  @Test
  void theTextOfAPipelineIsKept() {
    try (WorkspaceState state = WorkspaceState.open(file)) {
      assertThat(state.text("p")).isEmpty();
      state.keepText("p", "one");
      state.keepText("p", "two");
      assertThat(state.text("p")).contains("two");
    }
  }

  @Test
  void aStateOfANewerWexrunIsRefused() throws Exception {
    WorkspaceState.open(file).close();
    try (Connection connection = DriverManager.getConnection("jdbc:sqlite:" + file);
        Statement statement = connection.createStatement()) {
      statement.execute("insert into state_version values (99)");
    }
    assertThatThrownBy(() -> WorkspaceState.open(file))
        .isInstanceOf(OutsideException.class)
        .hasMessageContaining("was written by a newer Wexrun (version 99)");
  }

  @Test
  void whatIsNoStateIsToldWithItsName() throws Exception {
    Files.createDirectories(file.getParent());
    Files.writeString(file, "not a database, but long enough to look like one".repeat(50));
    assertThatThrownBy(() -> WorkspaceState.open(file))
        .isInstanceOf(OutsideException.class)
        .hasMessageContaining("cannot open the workspace's state " + file);
  }
}

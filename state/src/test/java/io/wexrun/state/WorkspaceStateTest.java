package io.wexrun.state;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.identity.Identity;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.sql.Connection;
import java.sql.DriverManager;
import java.sql.SQLException;
import java.sql.Statement;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.CompletableFuture;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

class WorkspaceStateTest {

  @TempDir private Path folder;
  private Path file;

  @BeforeEach
  void nameFile() {
    file = folder.resolve(".wexrun");
  }

  @Test
  void everyTextOfAPipelineIsKeptByItsVersion() {
    try (WorkspaceState state = EmbeddedState.open(file)) {
      PipelineTexts texts = state.texts();
      assertThat(texts.current("p")).isEmpty();
      PipelineTexts.Text one = texts.keep("p", "one");
      PipelineTexts.Text two = texts.keep("p", "two");
      assertThat(texts.current("p")).contains(two);
      assertThat(texts.find("p", one.version())).contains(one);
      assertThat(texts.find("q", one.version())).isEmpty();
      assertThat(texts.keep("p", "one")).isEqualTo(one);
      assertThat(texts.current("p")).as("it ran with it last").contains(one);
      texts.keep("p", "one");
      assertThat(texts.turns("p"))
          .extracting(turn -> turn.text().text())
          .containsExactly("one", "two", "one");
      for (int i = 0; i < 150; i++) {
        texts.keep("p", "text " + i);
      }
      assertThat(texts.turns("p")).hasSize(100);
      assertThat(texts.find("p", two.version())).as("all texts stay").contains(two);
    }
  }

  @Test
  void aPipelineIsHeldByOneAtATime() {
    try (WorkspaceState state = EmbeddedState.open(file);
        WorkspaceState another = EmbeddedState.open(file)) {
      Hold hold = state.hold("p");
      assertThatThrownBy(() -> another.hold("p"))
          .hasMessageContaining("pipeline p is held by process " + ProcessHandle.current().pid());
      another.hold("q").close();
      hold.close();
      another.hold("p").close();
    }
  }

  @Test
  void aStateOfANewerWexrunIsRefused() throws Exception {
    EmbeddedState.open(file).close();
    inState("insert into state_version values (99)");
    assertThatThrownBy(() -> EmbeddedState.open(file))
        .isInstanceOf(OutsideException.class)
        .hasMessageContaining("was written by a newer Wexrun (version 99, and this one writes ");
  }

  private void inState(String... statements) throws SQLException {
    try (Connection connection =
            DriverManager.getConnection("jdbc:sqlite:" + file.resolve("state.db"));
        Statement statement = connection.createStatement()) {
      for (String each : statements) {
        statement.execute(each);
      }
    }
  }

  /** Makes a state of today one as the first Wexrun wrote it. */
  private static final String[] OF_VERSION_2 = {
    "alter table source_tally drop column revived",
    "alter table source_tally drop column began",
    "alter table source_tally drop column newest",
    "drop table replay",
    "drop table time_tally",
    "update state_version set version = 2"
  };

  @Test
  void anOlderStateIsCopiedAndBroughtToThisVersion() throws Exception {
    try (WorkspaceState state = EmbeddedState.open(file)) {
      state.texts().keep("p", "one");
    }
    inState("drop table run");
    inState(OF_VERSION_2);
    try (WorkspaceState running = EmbeddedState.open(file);
        Hold hold = running.hold("p")) {
      inState(OF_VERSION_2);
      assertThatThrownBy(() -> EmbeddedState.open(file))
          .hasMessageContaining("is of an older Wexrun, which runs pipelines of it now");
    }
    try (WorkspaceState state = EmbeddedState.open(file)) {
      assertThat(state.texts().current("p").orElseThrow().text()).isEqualTo("one");
      assertThat(state.runs().latest(List.of(), 10)).isEmpty();
      assertThat(state.replays().all("p")).isEmpty();
      assertThat(state.tally().bySource("p")).isEmpty();
    }
    Path copy = file.resolve("state-2.db");
    assertThat(copy).exists();
    Files.move(copy, file.resolve("state.db"), StandardCopyOption.REPLACE_EXISTING);
    Files.deleteIfExists(file.resolve("state.db-wal"));
    Files.deleteIfExists(file.resolve("state.db-shm"));
    try (WorkspaceState before = EmbeddedState.open(file)) {
      assertThat(before.texts().current("p").orElseThrow().text())
          .as("the copy is whole")
          .isEqualTo("one");
    }
    inState("update state_version set version = 1");
    assertThatThrownBy(() -> EmbeddedState.open(file))
        .hasMessageContaining("before the first release (version 1)");
  }

  @Test
  void severalProcessesWriteAtOnce() throws Exception {
    int each = 150;
    try (WorkspaceState one = EmbeddedState.open(file);
        WorkspaceState two = EmbeddedState.open(file)) {
      List<CompletableFuture<Void>> both = new ArrayList<>();
      for (WorkspaceState state : List.of(one, two)) {
        String name = state == one ? "one" : "two";
        both.add(
            CompletableFuture.runAsync(
                () -> {
                  for (int i = 0; i < each; i++) {
                    state.replays().begin(plan(name), Map.of());
                    state.texts().keep(name, "text " + i);
                  }
                }));
      }
      both.forEach(CompletableFuture::join);
      List<Long> numbers = new ArrayList<>();
      one.replays().all("one").forEach(replay -> numbers.add(replay.number()));
      one.replays().all("two").forEach(replay -> numbers.add(replay.number()));
      assertThat(numbers).hasSize(2 * each).doesNotHaveDuplicates();
      assertThat(two.texts().current("one").orElseThrow().text()).isEqualTo("text " + (each - 1));
    }
  }

  private static Replays.Replay plan(String pipeline) {
    return new Replays.Replay(
        0,
        pipeline,
        Replays.Kind.REPLAY,
        "",
        1,
        Identity.fresh(),
        List.of(new Replays.Part(0, 0, 1)),
        "somebody",
        Instant.now(),
        Optional.empty(),
        Optional.empty());
  }

  @Test
  void whatIsNoStateIsToldWithItsName() throws Exception {
    Files.createDirectories(file);
    Files.writeString(
        file.resolve("state.db"), "not a database, but long enough to look like one".repeat(50));
    assertThatThrownBy(() -> EmbeddedState.open(file))
        .isInstanceOf(OutsideException.class)
        .hasMessageContaining("cannot open the workspace's state " + file.resolve("state.db"));
  }
}

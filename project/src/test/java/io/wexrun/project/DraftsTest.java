package io.wexrun.project;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.look.Look;
import io.wexrun.core.look.Looker;
import io.wexrun.project.draft.Drafts;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.Map;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

class DraftsTest {
  @TempDir private Path path;

  private static Look look(String... lines) {
    return Looker.at(String.join("\n", lines).getBytes(StandardCharsets.UTF_8));
  }

  private void isFine() {
    try (Workspace workspace = Workspace.open(path)) {
      assertThat(workspace.check()).noneMatch(d -> !d.code().equals("no-file-yet"));
    }
  }

  @Test
  void aDraftIntoAnEmptyFolderIsAWorkspace() throws Exception {
    Drafts.write(path, "it-s", look("a=1 it's=\"{x}: 'y'\"", "a=2 it's=z"), "*.log", Map.of());
    assertThat(path.resolve("pipelines/it-s.yaml")).exists();
    assertThat(Files.readString(path.resolve("wexrun.yaml")))
        .contains("\n  it_s:\n    in: warehouse");
    isFine();
  }

  @Test
  void aDraftIntoAWorkspaceKeepsWhatItSaysAndHowItSaysIt() throws Exception {
    Folder.of(path);
    String before = Files.readString(path.resolve("wexrun.yaml"));
    Drafts.write(path, "more", look("yes,no,1", "on,off,2"), "*.csv", Map.of());
    String after = Files.readString(path.resolve("wexrun.yaml"));
    assertThat(after.lines()).containsAll(before.lines().toList());
    isFine();
  }

  @Test
  void namesThatAreTakenAndTablesOnOneLineAreTold() {
    Folder folder = Folder.of(path);
    assertThatThrownBy(() -> Drafts.write(path, "scans", look("x 1"), "*.log", Map.of()))
        .isInstanceOf(OutsideException.class)
        .hasMessageContaining("a table 'scans' already");
    folder.write("wexrun.yaml", "workspace: x\nstores: {w: {duckdb: w.db}}\ntables: {}\n");
    assertThatThrownBy(() -> Drafts.write(path, "new", look("x 1"), "*.log", Map.of()))
        .hasMessageContaining("on one line");
    folder.write("wexrun.yaml", "workspace: x\n");
    assertThatThrownBy(() -> Drafts.write(path, "new", look("x 1"), "*.log", Map.of()))
        .hasMessageContaining("no store");
    assertThat(path.resolve("pipelines/new.yaml")).doesNotExist();
  }
}

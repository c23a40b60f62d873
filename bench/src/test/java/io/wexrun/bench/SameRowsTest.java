package io.wexrun.bench;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.core.run.RunOptions;
import io.wexrun.project.Workspace;
import io.wexrun.project.WorkspaceRun;
import java.nio.file.Path;
import java.util.List;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/** What the benchmark compares does the same work. */
class SameRowsTest {
  private static final long LINES = 25_000;

  @TempDir private Path folder;

  private static String load(Path workspace) throws InterruptedException {
    try (Workspace open = Workspace.open(workspace);
        WorkspaceRun run = open.run(RunOptions.untilDrained(true))) {
      run.await();
    }
    return workspace.resolve("warehouse.db").toString();
  }

  @Test
  void everyContenderMakesTheSameRows() throws Exception {
    GateData data = new GateData(folder);
    Path lines = data.lines(LINES);
    String direct = GateData.digest(Path.of(load(data.direct(lines))));
    Path sql = data.database("sql");
    PlainSql.main(new String[] {lines.toString(), sql.toString()});
    Path java = data.database("java");
    PlainJava.main(new String[] {lines.toString(), java.toString()});
    String queued = GateData.digest(Path.of(load(data.throughQueue(lines))));
    assertThat(List.of(GateData.digest(sql), GateData.digest(java), queued)).containsOnly(direct);
    assertThat(Long.parseLong(direct.split(" ")[0])).isBetween(LINES * 98 / 100, LINES - 1);
  }

  @Test
  void ratiosAreTakenRoundByRound() {
    Figures figures = new Figures("test");
    for (double slower : new double[] {2, 4, 3}) {
      figures.add("a", new Program.Run(slower, 1, 1));
      figures.add("b", new Program.Run(slower * slower, 1, 1));
    }
    assertThat(figures.ratio("a", "b")).isEqualTo(3);
    assertThat(figures.wall("a")).isEqualTo(3);
    assertThat(figures.spread("b")).containsExactly(4, 9, 16);
    assertThat(Figures.median(List.of(1.0, 4.0, 2.0, 3.0))).isEqualTo(2.5);
    figures.finding("times as fast", 3, 2);
    assertThat(figures.findings())
        .containsExactly("times as fast: 3.00 (wanted: at least 2.00, reached)");
  }
}

package io.wexrun.project;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.core.dead.DeadLetter;
import io.wexrun.core.dead.Reason;
import io.wexrun.core.run.RunOptions;
import io.wexrun.core.tally.Tally;
import io.wexrun.queue.Queue;
import io.wexrun.queue.log.QueueRecord;
import java.nio.file.Path;
import java.time.Duration;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/** Dead letters that a pipeline sends elsewhere, by what they died of. */
class DeadRouteTest {
  private static final String PIPELINE =
      """
      pipeline: p
      intake: {files: 'in/*.log'}
      shape: [{template: '{id:long} {ms:int}'}, {require: id}]
      route: [{when: ms < 100, to: t}, {otherwise: dead}]
      dead:
        - when: field == "ms" && text.contains("secret")
          to: drop
        - when: field == "ms"
          to: [odd, scraps]
          key: '^(\\d+)'
        - when: reason == "unknown-kind"
          to: slow
      """;

  @TempDir private Path base;

  private Workspace open(String pipeline) {
    Folder folder =
        new Folder(base)
            .write(
                "wexrun.yaml",
                """
                workspace: w
                stores: {w: {duckdb: w.db}}
                queues: {scraps: {partitions: 1}}
                tables:
                  t: {in: w, columns: {id: long, ms: int}}
                  odd: {in: w, columns: {reason: text, field: text, position: long, text: text}}
                  slow: {in: w, columns: {text: text required, detail: text}}
                """)
            .write("pipelines/p.yaml", pipeline)
            .write("in/a.log", "1 7\n2 fast\n3 secret\n4 200\n\u00e9 5\nwhat\n6 8\n7 slowly\n");
    return Workspace.open(folder.path());
  }

  @Test
  void eachGoesWhereItIsSentAndTheBooksBalance() throws InterruptedException {
    try (Workspace workspace = open(PIPELINE)) {
      assertThat(workspace.check()).isEmpty();
      try (WorkspaceRun run = workspace.run(RunOptions.untilDrained(true))) {
        run.await();
      }
      Tally tally = workspace.tally("p");
      assertThat(tally.balanced()).isTrue();
      assertThat(tally.counts().taken()).isEqualTo(8);
      assertThat(tally.counts().loaded())
          .isEqualTo(Map.of("t", 2L, "odd", 2L, "scraps", 2L, "slow", 1L));
      assertThat(tally.counts().dropped()).isEqualTo(1);
      assertThat(tally.counts().copied()).isEqualTo(2);
      assertThat(tally.counts().dead())
          .isEqualTo(Map.of(Reason.BAD_VALUE, 1L, Reason.NO_MATCH, 1L));
      assertThat(workspace.deadLetters("p").stream().map(DeadLetter::text))
          .containsExactly("\u00e9 5", "what");
      assertThat(workspace.query("w", "select * from odd order by position").rows())
          .containsExactly(
              List.of("bad-value", "ms", 4L, "2 fast"),
              List.of("bad-value", "ms", 40L, "7 slowly"));
      assertThat(workspace.query("w", "select text from slow").rows())
          .containsExactly(List.of("4 200"));
      try (Queue queue = workspace.queues().read("scraps").orElseThrow()) {
        List<QueueRecord> records = queue.readFromOldest().poll(10, Duration.ZERO);
        assertThat(records.stream().map(QueueRecord::text)).containsExactly("2 fast", "7 slowly");
        assertThat(records.get(0).keyText()).isEqualTo("2");
        assertThat(records.get(0).headers())
            .containsEntry("reason", "bad-value")
            .containsEntry("field", "ms")
            .containsEntry("source", "in/a.log")
            .doesNotContainKey("text");
      }
    }
  }

  @Test
  void itsConditionsAreCheckedAgainstWhatALetterHas() {
    try (Workspace workspace = open(PIPELINE.replace("reason ==", "reasn =="))) {
      assertThat(workspace.check().toString()).contains("reasn");
    }
    try (Workspace workspace = open(PIPELINE.replace("to: slow", "to: slwo"))) {
      assertThat(workspace.check().toString()).contains("unknown-target", "slwo");
    }
  }
}

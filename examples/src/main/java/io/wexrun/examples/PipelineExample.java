package io.wexrun.examples;

import static io.wexrun.core.pipeline.Route.when;
import static io.wexrun.core.pipeline.StepDefinition.require;
import static io.wexrun.core.pipeline.StepDefinition.set;
import static io.wexrun.core.pipeline.StepDefinition.template;

import io.wexrun.core.pipeline.FlushPolicy;
import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.core.pipeline.Route;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.run.RunOptions;
import io.wexrun.core.schema.Type.Scalar;
import io.wexrun.core.tally.Tally;
import io.wexrun.duckdb.DuckDbConnector;
import io.wexrun.files.FilesIntake;
import io.wexrun.project.Workspace;
import io.wexrun.project.WorkspaceRun;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;

/**
 * A pipeline defined in Java: gate lines from a file into a table. The first argument names the
 * workspace's folder.
 */
public final class PipelineExample {
  private static final String LINES =
      """
      2026-05-03T06:14:09.118+02:00 gate-17/Harbour-Square WARN scan card=7F3A90C2 result=denied ms=42 "pass expired"
      2026-05-03T06:14:09.305+02:00 gate-03/Mill-Bridge INFO scan card=55D1E07B result=ok ms=611 "day pass"
      2026-05-03T06:14:10.771+02:00 gate-03/Mill-Bridge INFO scan card= result=ok ms=30 "day pass"
      """;

  private PipelineExample() {}

  /** Runs the example. */
  public static void main(String[] args) throws IOException, InterruptedException {
    Path folder = Path.of(args[0]);
    Files.createDirectories(folder.resolve("incoming"));
    Files.writeString(folder.resolve("incoming/gates.log"), LINES);

    Pipeline gates =
        Pipeline.named("gates")
            .intake(FilesIntake.matching("incoming/*.log"))
            .shape(
                template(
                    "{time:timestamp} {gate}/{stop} {level} {event} card={card}"
                        + " result={result} ms={ms:int} \"{note}\""),
                require("card"),
                set("stop", "stop.replace('-', ' ')").and("slow", "ms > 500"))
            .route(when("event == 'scan'").to("scans"), Route.otherwiseDead())
            .flush(FlushPolicy.DEFAULT.withRows(100_000))
            .build();
    Table scans =
        Table.in("warehouse", "scans")
            .required("time", Scalar.TIMESTAMP)
            .required("card", Scalar.TEXT)
            .column("stop", Scalar.TEXT)
            .column("slow", Scalar.BOOL)
            .build();

    try (Workspace workspace =
        Workspace.in(folder)
            .store("warehouse", DuckDbConnector.file("warehouse.db"))
            .table(scans)
            .pipeline(gates)
            .open()) {
      try (WorkspaceRun run = workspace.run(RunOptions.untilDrained(true))) {
        run.await();
      }
      Tally tally = workspace.tally("gates");
      System.out.println(
          tally.counts().taken()
              + " taken, "
              + tally.counts().allLoaded()
              + " loaded, "
              + tally.counts().allDead()
              + " dead, balanced: "
              + tally.balanced());
      workspace.deadLetters(
          "gates",
          letter -> {
            System.out.println(letter.reason() + ": " + letter.death().detail());
            return true;
          });
      workspace
          .query("warehouse", "select stop, slow from scans order by time")
          .rows()
          .forEach(System.out::println);
    }
  }
}

package io.wexrun.project.ask;

import io.wexrun.core.run.Progress;
import io.wexrun.core.target.Answer;
import io.wexrun.project.facts.PipelineStatus;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Collections;
import java.util.List;
import java.util.Optional;

/** How the pipelines of a run stand, on its way through a socket. */
public final class AskedStatus {
  private static final List<String> COLUMNS =
      List.of(
          "pipeline",
          "state",
          "since",
          "why",
          "next",
          "failures",
          "rate",
          "taken",
          "loaded",
          "dead",
          "dropped",
          "held",
          "bytes",
          "situation",
          "work");

  private AskedStatus() {}

  /** As the answer to a question. */
  public static Answer answer(List<PipelineStatus> all) {
    List<List<Object>> rows = new ArrayList<>();
    for (PipelineStatus each : all) {
      Progress done = each.progress();
      rows.add(
          Arrays.asList(
              each.pipeline(),
              each.state().name(),
              each.since().toString(),
              each.why().orElse(null),
              each.next().map(Instant::toString).orElse(null),
              each.failures(),
              each.rate(),
              done.taken(),
              done.loaded(),
              done.dead(),
              done.dropped(),
              done.held(),
              done.bytes(),
              AskedWork.values(each.situation()),
              AskedWork.values(each.work())));
    }
    return new Answer(COLUMNS, Collections.nCopies(COLUMNS.size(), false), rows);
  }

  /** What an answer says. */
  public static List<PipelineStatus> of(Answer answer) {
    return answer.rows().stream().map(AskedStatus::of).toList();
  }

  private static PipelineStatus of(List<Object> row) {
    Progress done =
        new Progress(
            number(row, 7),
            number(row, 8),
            number(row, 9),
            number(row, 10),
            number(row, 11),
            number(row, 12));
    return new PipelineStatus(
        (String) row.get(0),
        PipelineStatus.State.valueOf((String) row.get(1)),
        Instant.parse((String) row.get(2)),
        Optional.ofNullable((String) row.get(3)),
        Optional.ofNullable((String) row.get(4)).map(Instant::parse),
        number(row, 5),
        ((Number) row.get(6)).doubleValue(),
        done,
        AskedWork.situation((List<?>) row.get(13)),
        AskedWork.work((List<?>) row.get(14)));
  }

  private static long number(List<Object> row, int at) {
    return ((Number) row.get(at)).longValue();
  }
}

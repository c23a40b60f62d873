package io.wexrun.cli;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.tally.Tally;
import io.wexrun.network.access.Tokens;
import io.wexrun.network.door.Address;
import io.wexrun.network.http.Answer;
import io.wexrun.network.http.Pages;
import io.wexrun.project.Workspace;
import io.wexrun.project.facts.PipelineStatus;
import io.wexrun.project.figures.Figures;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.function.Supplier;
import java.util.stream.Collectors;

/** What a run shows to machines over HTTP: its figures, and whether it is alive and ready. */
final class RunPages {
  private final Workspace workspace;
  private final Supplier<List<PipelineStatus>> status;

  private RunPages(Workspace workspace, Supplier<List<PipelineStatus>> status) {
    this.workspace = workspace;
    this.status = status;
  }

  /**
   * Begins to listen. Whether it is alive and ready anybody may ask who reaches the address; of who
   * comes from elsewhere, figures want a token.
   *
   * @param status of the run; none before it has started
   */
  static Pages open(Address address, Workspace workspace, Supplier<List<PipelineStatus>> status) {
    RunPages pages = new RunPages(workspace, status);
    Optional<Tokens> tokens =
        address.isLoopback() ? Optional.empty() : Optional.of(new Tokens(workspace.data()));
    return new Pages(
        address,
        tokens,
        Map.of(
            "/metrics", new Pages.Page(false, pages::figures),
            "/alive", new Pages.Page(true, pages::alive),
            "/ready", new Pages.Page(true, pages::ready)));
  }

  private Answer figures() {
    List<PipelineStatus> now = status.get();
    Set<String> names = now.stream().map(PipelineStatus::pipeline).collect(Collectors.toSet());
    try {
      List<Tally> books =
          workspace.tally().stream().filter(t -> names.contains(t.pipeline())).toList();
      String text =
          new Figures(now, books, workspace.queues().facts(), workspace.refusals()).text();
      return new Answer(Answer.OK, Map.of(), Figures.TYPE, text.getBytes(StandardCharsets.UTF_8));
    } catch (OutsideException e) {
      return Answer.problem(Answer.UNAVAILABLE, e.getMessage());
    }
  }

  private Answer alive() {
    List<PipelineStatus> now = status.get();
    boolean over =
        !now.isEmpty() && now.stream().allMatch(s -> s.state() == PipelineStatus.State.ENDED);
    return over
        ? Answer.problem(Answer.UNAVAILABLE, "all pipelines have ended")
        : Answer.json(Answer.OK, Map.of("alive", true));
  }

  private Answer ready() {
    List<PipelineStatus> now = status.get();
    List<Map<String, Object>> not = new ArrayList<>();
    for (PipelineStatus each : now) {
      boolean well =
          each.state() == PipelineStatus.State.RUNNING
              || each.state() == PipelineStatus.State.PAUSED
              || each.state() == PipelineStatus.State.SLEEPING
              || each.state() == PipelineStatus.State.ENDED && each.why().isEmpty();
      if (!well) {
        Map<String, Object> one = new LinkedHashMap<>();
        one.put("pipeline", each.pipeline());
        one.put("state", each.state().name().toLowerCase(java.util.Locale.ROOT));
        each.why().ifPresent(why -> one.put("why", why));
        not.add(one);
      }
    }
    if (now.isEmpty()) {
      return Answer.problem(Answer.UNAVAILABLE, "the run is being started");
    }
    return not.isEmpty()
        ? Answer.json(Answer.OK, Map.of("ready", true))
        : Answer.problem(Answer.UNAVAILABLE, "some pipelines do not run", Map.of("pipelines", not));
  }
}

package io.wexrun.project;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.project.ask.AskedStatus;
import io.wexrun.project.ask.Asking;
import io.wexrun.project.ask.Question;
import io.wexrun.project.facts.PipelineStatus;
import io.wexrun.project.facts.RunFacts;
import io.wexrun.project.open.WorkspaceSite;
import io.wexrun.state.RunHistory;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Collections;
import java.util.HashSet;
import java.util.List;
import java.util.Optional;
import java.util.Set;

/**
 * The runs of a workspace that go on, as this process and others of the same user see them: they
 * are asked through sockets in the workspace's data folder. For several threads.
 */
public final class WorkspaceRuns {
  private final Path data;
  private final WorkspaceSite site;

  WorkspaceRuns(WorkspaceSite site) {
    this.data = site.data();
    this.site = site;
  }

  /**
   * When pipelines ran: the latest runs, the oldest of them first. Makes nothing.
   *
   * @param pipelines which ones; all, if there are none
   * @param most how many at most
   */
  public List<RunFacts> latest(List<String> pipelines, int most) {
    List<RunHistory.Ran> runs =
        site.stateIfAny().map(s -> s.runs().latest(pipelines, most)).orElse(List.of());
    Set<String> later = new HashSet<>();
    List<RunFacts> facts = new ArrayList<>();
    for (int i = runs.size() - 1; i >= 0; i--) {
      RunHistory.Ran run = runs.get(i);
      // One pipeline runs once at a time: what was not noted as ended before a later one was
      // killed.
      boolean last = later.add(run.pipeline());
      boolean goesOn = last && site.state().isHeld(run.pipeline());
      String how = run.ended().isPresent() ? run.how() : goesOn ? "running" : "killed";
      facts.add(
          new RunFacts(
              run.pipeline(),
              run.why(),
              run.started(),
              run.ended(),
              how,
              run.taken(),
              run.loaded(),
              run.dead(),
              run.detail()));
    }
    Collections.reverse(facts);
    return facts;
  }

  /**
   * How the pipelines stand that runs have; none, if nothing runs.
   *
   * @throws OutsideException if a run ends while it is asked
   */
  public List<PipelineStatus> status() {
    List<PipelineStatus> all = new ArrayList<>();
    Asking.askAll(data, new Question(Question.Kind.STATUS, ""))
        .forEach(answer -> all.addAll(AskedStatus.of(answer)));
    return all;
  }

  /**
   * Lets a pipeline wait, as {@link WorkspaceRun#pause} does.
   *
   * @return how it stands then; empty if no run has it
   * @throws OutsideException if a run ends while it is asked
   */
  public Optional<PipelineStatus> pause(String pipeline) {
    return tell(Question.Kind.PAUSE, pipeline);
  }

  /**
   * Lets a pipeline go on, as {@link WorkspaceRun#resume} does.
   *
   * @return how it stands then; empty if no run has it
   * @throws OutsideException if a run ends while it is asked
   */
  public Optional<PipelineStatus> resume(String pipeline) {
    return tell(Question.Kind.RESUME, pipeline);
  }

  /**
   * Lets a pipeline end, as {@link WorkspaceRun#stop(String)} does.
   *
   * @return how it stands then; empty if no run has it
   * @throws OutsideException if a run ends while it is asked
   */
  public Optional<PipelineStatus> stop(String pipeline) {
    return tell(Question.Kind.STOP, pipeline);
  }

  private Optional<PipelineStatus> tell(Question.Kind kind, String pipeline) {
    return Asking.askAll(data, new Question(kind, pipeline)).stream()
        .flatMap(answer -> AskedStatus.of(answer).stream())
        .findFirst();
  }
}

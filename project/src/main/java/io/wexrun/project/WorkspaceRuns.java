package io.wexrun.project;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.project.ask.AskedStatus;
import io.wexrun.project.ask.Asking;
import io.wexrun.project.ask.Question;
import io.wexrun.project.facts.PipelineStatus;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;

/**
 * The runs of a workspace that go on, as this process and others of the same user see them: they
 * are asked through sockets in the workspace's data folder. For several threads.
 */
public final class WorkspaceRuns {
  private final Path data;

  WorkspaceRuns(Path data) {
    this.data = data;
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

package io.wexrun.project;

import io.wexrun.core.run.PipelineRun;
import io.wexrun.core.run.Progress;
import java.util.List;

/** A pipeline at work; see {@link PipelineRun} for what the methods promise. */
interface Running extends AutoCloseable {
  Progress progress();

  List<String> notices();

  boolean ended();

  void stop();

  void await() throws InterruptedException;

  @Override
  void close();

  /** A run whose channel is in memory. */
  record Direct(PipelineRun run) implements Running {
    @Override
    public Progress progress() {
      return run.progress();
    }

    @Override
    public List<String> notices() {
      return run.notices();
    }

    @Override
    public boolean ended() {
      return run.ended();
    }

    @Override
    public void stop() {
      run.stop();
    }

    @Override
    public void await() throws InterruptedException {
      run.await();
    }

    @Override
    public void close() {
      run.close();
    }
  }
}

package io.wexrun.state;

import java.util.List;
import java.util.Optional;

/**
 * The texts with which pipelines ran, all versions of them. For several threads. Failures throw
 * {@link io.wexrun.core.diagnose.OutsideException}.
 */
public interface PipelineTexts {
  /**
   * A text of a pipeline.
   *
   * @param version what tells it from other texts: a digest of it
   * @param text as it was kept
   */
  record Text(String version, String text) {}

  /** The names of all pipelines that ever ran, in order. */
  List<String> pipelines();

  /** The text with which a pipeline ran last. */
  Optional<Text> current(String pipeline);

  /** A text of a pipeline by its version, however long ago it ran with it. */
  Optional<Text> find(String pipeline, String version);

  /** Keeps the text with which a pipeline runs from now on. */
  Text keep(String pipeline, String text);
}

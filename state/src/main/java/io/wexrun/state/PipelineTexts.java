package io.wexrun.state;

import io.wexrun.core.intake.SourcePartition;
import java.time.Instant;
import java.util.List;
import java.util.Map;
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

  /**
   * When a pipeline took up a text.
   *
   * @param at when
   * @param from up to where it had accounted for each source partition with the text before; those
   *     that it did not know yet began with this one
   */
  record Turn(Text text, Instant at, Map<SourcePartition, Long> from) {}

  /** The names of all pipelines that ever ran, in order. */
  List<String> pipelines();

  /** The text with which a pipeline ran last. */
  Optional<Text> current(String pipeline);

  /** A text of a pipeline by its version, however long ago it ran with it. */
  Optional<Text> find(String pipeline, String version);

  /** The latest texts of a pipeline, those that it ran with first in front; no more than 100. */
  List<Turn> turns(String pipeline);

  /**
   * Keeps the text with which a pipeline runs from now on, and where it begins if it is another one
   * than before.
   */
  Text keep(String pipeline, String text);
}

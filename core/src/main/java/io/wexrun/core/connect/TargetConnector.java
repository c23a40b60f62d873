package io.wexrun.core.connect;

import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.target.Destination;
import io.wexrun.core.target.Standing;
import io.wexrun.core.target.Target;
import io.wexrun.core.written.Form;
import java.util.Optional;

/** Opens targets of one kind that are not tables of a store: queues, for example. */
public interface TargetConnector extends Connector {
  /**
   * A section of {@code wexrun.yaml} for targets of one kind.
   *
   * @param key its key
   * @param form what may be written of each target
   */
  record Section(String key, Form form) {}

  /**
   * Where targets of this kind may stand without naming it, as queues do under {@code queues};
   * empty if they only stand under {@code targets}.
   */
  default Optional<Section> section() {
    return Optional.empty();
  }

  /**
   * Checks settings without opening anything; unknown keys are found by the caller.
   *
   * @param path where the settings stand
   */
  void check(Settings settings, Site site, KeyPath path, Diagnostics diagnostics);

  /** The form in which such a target takes records. */
  Destination destination(Settings settings);

  /**
   * Opens a target for a pipeline, making it if it is not there. Several pipelines may have one
   * open.
   *
   * @param name the target's name in the workspace
   * @param writer under which name progress is kept
   * @throws io.wexrun.core.diagnose.OutsideException if it cannot be opened
   */
  Target open(String name, String writer, Settings settings, Site site);

  /**
   * How a target stands for a pipeline, without making or changing anything.
   *
   * @return {@link Standing#ABSENT} if it is not there; empty if that cannot be told without
   *     opening it
   */
  default Optional<Standing> standing(String name, String writer, Settings settings, Site site) {
    return Optional.empty();
  }

  /**
   * Opens a target of this kind for dead letters, which come with the columns of {@link
   * io.wexrun.core.dead.DeadLetter#SCHEMA} and their raw records.
   *
   * @throws io.wexrun.core.diagnose.OutsideException if it cannot be opened
   */
  Target openForDeadLetters(String name, String writer, Settings settings, Site site);
}

package io.wexrun.core.connect;

import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.intake.Intake;
import io.wexrun.core.pipeline.Settings;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;

/** Opens intakes of one kind; its keys have {@code longest} and {@code blank} among them. */
public interface IntakeConnector extends Connector {
  /**
   * Checks settings without opening anything; unknown keys are found by the caller.
   *
   * @param path where the settings stand
   */
  void check(Settings settings, Site site, KeyPath path, Diagnostics diagnostics);

  /**
   * The target of the workspace whose records the intake takes, such as a queue: pipelines that
   * write to it run before.
   */
  default Optional<String> reads(Settings settings) {
    return Optional.empty();
  }

  /**
   * Whether it takes what cannot be read again, and appends it to a queue: its settings then name
   * one, under {@link Settings#QUEUE}, which is the pipeline's own if nobody has named another.
   */
  default boolean receives() {
    return false;
  }

  /** Whether a run can be limited to some of its sources, and they can be told before. */
  default boolean chooses() {
    return false;
  }

  /**
   * What a run would do, without opening any source. Only if it {@linkplain #chooses chooses}.
   *
   * @throws io.wexrun.core.diagnose.OutsideException if the sources cannot be listed
   * @throws io.wexrun.core.diagnose.MistakesException if the choice has mistakes
   */
  default List<PlannedSource> plan(IntakeOpening opening) {
    return List.of();
  }

  /**
   * Whether the records are rows of which the intake's files say what their columns are, so that
   * these become part of the settings, under {@link Settings#COLUMNS}.
   */
  default boolean describes(Settings settings) {
    return false;
  }

  /**
   * The fields of such records, names to specs; empty if no file is there that says them. Only if
   * it {@linkplain #describes describes} them.
   */
  default Map<String, Object> columns(Settings settings, Site site) {
    return Map.of();
  }

  /**
   * What it takes away from where it is, in names that are the same for all pipelines which take
   * the same, such as paths of files; empty if it leaves everything.
   */
  default Set<String> takesAway(Settings settings, Site site) {
    return Set.of();
  }

  /**
   * Opens an intake. Its source partitions are assigned later.
   *
   * @throws io.wexrun.core.diagnose.OutsideException if it cannot be opened
   */
  Intake open(IntakeOpening opening);

  /**
   * Opens an intake only to look at its first records, beside a run that has it open. Makes and
   * changes nothing.
   *
   * @throws io.wexrun.core.diagnose.OutsideException if it cannot be opened, or is not there yet
   */
  default Intake peek(Settings settings, Site site) {
    return open(IntakeOpening.fresh(settings, site));
  }
}

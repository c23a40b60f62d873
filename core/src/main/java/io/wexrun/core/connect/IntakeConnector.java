package io.wexrun.core.connect;

import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.intake.Intake;
import io.wexrun.core.pipeline.Settings;
import java.util.Optional;

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

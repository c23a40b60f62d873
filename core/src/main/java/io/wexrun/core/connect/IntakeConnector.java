package io.wexrun.core.connect;

import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.intake.Intake;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.Settings;
import java.nio.file.Path;
import java.util.List;
import java.util.Map;

/** Opens intakes of one kind. Found by {@link java.util.ServiceLoader}. */
public interface IntakeConnector {
  /** The key that names the kind in a pipeline's intake. */
  String kind();

  /** All keys that its settings may have, the kind's own and {@code longest} included. */
  List<String> keys();

  /** Checks settings without opening anything; unknown keys are found by the caller. */
  void check(Settings settings, Path workspace, KeyPath path, Diagnostics diagnostics);

  /**
   * Opens an intake.
   *
   * @param settings checked before
   * @param workspace the folder that relative names start from
   * @param positions where known source partitions go on; others start at their beginning
   */
  Intake open(Settings settings, Path workspace, Map<SourcePartition, Long> positions);
}

package io.wexrun.core.connect;

import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.target.Store;
import java.nio.file.Path;
import java.util.List;

/** Opens stores of one kind. Found by {@link java.util.ServiceLoader}. */
public interface StoreConnector {
  /** The key that names the kind in a workspace's stores. */
  String kind();

  /** All keys that its settings may have, the kind's own included. */
  List<String> keys();

  /** Checks settings without opening anything; unknown keys are found by the caller. */
  void check(Settings settings, KeyPath path, Diagnostics diagnostics);

  /** Whether the store is there already, so that opening it makes nothing. Opens nothing. */
  boolean exists(Settings settings, Path workspace);

  /**
   * Opens a store, making it if it is not there.
   *
   * @param workspace the folder that relative names start from
   * @throws io.wexrun.core.diagnose.OutsideException if it is held by another process
   */
  Store open(String name, Settings settings, Path workspace);
}

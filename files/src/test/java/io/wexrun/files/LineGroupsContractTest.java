package io.wexrun.files;

import io.wexrun.core.pipeline.Settings;
import java.util.Map;

/** Records of several lines, of which only the next one tells that they have ended. */
class LineGroupsContractTest extends FilesContractTest {
  @Override
  Settings settings() {
    return super.settings().with("framing", Map.of("begins", ".")).with("last-line", "take");
  }
}

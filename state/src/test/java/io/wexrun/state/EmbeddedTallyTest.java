package io.wexrun.state;

import io.wexrun.contract.TallyStoreContract;
import io.wexrun.core.tally.TallyStore;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.io.TempDir;

class EmbeddedTallyTest extends TallyStoreContract {
  @TempDir private Path folder;
  private final List<WorkspaceState> open = new ArrayList<>();

  @Override
  protected TallyStore open() {
    open.add(EmbeddedState.open(folder));
    return open.get(open.size() - 1).tally();
  }

  @AfterEach
  void close() {
    open.forEach(WorkspaceState::close);
  }
}

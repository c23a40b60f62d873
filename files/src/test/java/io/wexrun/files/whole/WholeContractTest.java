package io.wexrun.files.whole;

import io.wexrun.contract.FolderSite;
import io.wexrun.contract.IntakeContract;
import io.wexrun.core.connect.IntakeOpening;
import io.wexrun.core.intake.Intake;
import io.wexrun.core.intake.KnownSource;
import io.wexrun.core.pipeline.Settings;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import org.junit.jupiter.api.io.TempDir;

class WholeContractTest extends IntakeContract {
  @TempDir private Path folder;
  private int dropped;

  @Override
  protected boolean grows() {
    return false;
  }

  @Override
  protected List<String> sources() {
    return List.of("a", "b");
  }

  @Override
  protected void append(String source, String... records) {
    try {
      Path file = folder.resolve(source + "-" + (100 + dropped++) + ".csv");
      Files.writeString(file, String.join("\n", records) + "\n");
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }

  @Override
  protected Intake open(List<KnownSource> known) {
    Settings settings = Settings.of("drop", "*.csv").with("complete", "named");
    return new DropConnector()
        .open(
            new IntakeOpening(
                settings, new FolderSite(folder), known, notice -> {}, false, () -> true));
  }
}

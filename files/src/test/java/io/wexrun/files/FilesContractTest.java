package io.wexrun.files;

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
import java.nio.file.StandardOpenOption;
import java.util.List;
import org.junit.jupiter.api.io.TempDir;

class FilesContractTest extends IntakeContract {
  @TempDir private Path folder;

  @Override
  protected List<String> sources() {
    return List.of("a.log", "b.log");
  }

  @Override
  protected void append(String source, String... records) {
    try {
      Files.writeString(
          folder.resolve(source),
          String.join("\n", records) + "\n",
          StandardOpenOption.CREATE,
          StandardOpenOption.APPEND);
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }

  Settings settings() {
    return FilesIntake.matching("*.log");
  }

  @Override
  protected Intake open(List<KnownSource> known) {
    return new FilesConnector()
        .open(
            new IntakeOpening(
                settings(), new FolderSite(folder), known, notice -> {}, false, () -> true));
  }
}

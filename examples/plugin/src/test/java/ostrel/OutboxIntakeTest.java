package ostrel;

import static org.assertj.core.api.Assertions.assertThatThrownBy;

import io.wexrun.contract.FolderSite;
import io.wexrun.contract.IntakeContract;
import io.wexrun.core.connect.IntakeOpening;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.identity.Identity;
import io.wexrun.core.intake.Intake;
import io.wexrun.core.intake.KnownSource;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.Settings;
import java.nio.file.Path;
import java.util.List;
import java.util.Optional;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

class OutboxIntakeTest extends IntakeContract {
  @TempDir private Path folder;

  @Override
  protected List<String> sources() {
    return List.of("tram-1", "tram-2");
  }

  @Override
  protected void append(String source, String... records) {
    Outbox.append(folder.resolve("outbox.db"), source, records);
  }

  @Override
  protected Intake open(List<KnownSource> known) {
    Settings settings = Settings.of("outbox", "outbox.db");
    return new OutboxConnector()
        .open(
            new IntakeOpening(
                settings, new FolderSite(folder), known, notice -> {}, false, () -> true));
  }

  @Test
  void anotherOutboxUnderTheNameIsNotTakenForTheOldOne() {
    append("tram-1", "one");
    SourcePartition tram = new SourcePartition("tram-1");
    KnownSource known = new KnownSource(tram, Optional.of(new Identity("elsewhere/tram-1")), 7);
    assertThatThrownBy(() -> open(List.of(known)))
        .isInstanceOf(OutsideException.class)
        .hasMessageContaining("another one");
  }
}

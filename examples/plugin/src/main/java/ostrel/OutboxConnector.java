package ostrel;

import io.wexrun.core.connect.IntakeConnector;
import io.wexrun.core.connect.IntakeOpening;
import io.wexrun.core.connect.Site;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.intake.Intake;
import io.wexrun.core.pipeline.Settings;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.Optional;

/**
 * {@code intake: {outbox: trams.db}}: the outbox of a program that writes into an SQLite file. Its
 * table is {@link OutboxIntake#TABLE}; each tram is a source partition.
 */
public final class OutboxConnector implements IntakeConnector {
  @Override
  public String kind() {
    return "outbox";
  }

  @Override
  public List<String> keys() {
    return List.of("outbox", "longest", "blank");
  }

  @Override
  public void check(Settings settings, Site site, KeyPath path, Diagnostics diagnostics) {
    if (settings.main().isEmpty() || !Files.isRegularFile(file(settings, site))) {
      diagnostics.error(
          "missing-file",
          path.key(kind()),
          "there is no outbox '" + settings.main() + "'",
          Optional.of("name the SQLite file that the program writes its outbox into"));
    }
  }

  private static Path file(Settings settings, Site site) {
    return site.folder().resolve(settings.main());
  }

  @Override
  public Intake open(IntakeOpening opening) {
    return new OutboxIntake(file(opening.settings(), opening.site()), opening.known());
  }
}

package io.wexrun.files.whole;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;
import static org.assertj.core.api.Assumptions.assumeThat;

import io.wexrun.contract.FolderSite;
import io.wexrun.core.connect.IntakeOpening;
import io.wexrun.core.connect.PlannedSource;
import io.wexrun.core.connect.PlannedSource.Plan;
import io.wexrun.core.diagnose.Diagnostic;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.diagnose.MistakesException;
import io.wexrun.core.intake.Choice;
import io.wexrun.core.intake.KnownSource;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.files.Taking;
import java.io.IOException;
import java.io.OutputStream;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.util.List;
import java.util.Optional;
import java.util.zip.GZIPOutputStream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/** Files that lie there, of which a run takes all or some. */
class ArchiveTest {
  private static final Settings ARCHIVE =
      Settings.of("archive", "old/{day:date}/depot={depot}/*.log*");

  @TempDir private Path folder;

  private Path put(String name, String text) throws IOException {
    Path file = folder.resolve(name);
    Files.createDirectories(file.getParent());
    return Files.writeString(file, text);
  }

  private Taking archive() throws IOException {
    for (String day : List.of("2026-11-24", "2026-11-25")) {
      for (String depot : List.of("n", "s")) {
        put("old/" + day + "/depot=" + depot + "/a.log", day + depot + "\n");
      }
    }
    return new Taking(folder, ARCHIVE, new ArchiveConnector());
  }

  @Test
  void aRunTakesTheFilesThatItsConditionChoosesAndNothingTwice() throws IOException {
    Taking taking = archive().choose("day >= date('2026-11-25')", null);
    assertThat(taking.once()).containsExactly("2026-11-25n", "2026-11-25s");
    assertThat(taking.once()).isEmpty();
    taking.choose("depot == 'n'", null);
    assertThat(taking.once()).containsExactly("2026-11-24n");
    taking.choose(null, null);
    assertThat(taking.once()).containsExactly("2026-11-24s");
    assertThat(taking.notices).isEmpty();
  }

  @Test
  void theConditionOfTheIntakeHoldsBesideThatOfTheRun() throws IOException {
    archive();
    Taking taking =
        new Taking(folder, ARCHIVE.with("where", "depot == 's'"), new ArchiveConnector());
    assertThat(taking.choose("day < date('2026-11-25')", null).once())
        .containsExactly("2026-11-24s");
  }

  @Test
  void underALabelFilesAreTakenAgainOnce() throws IOException {
    Taking taking = archive();
    taking.once();
    taking.choose("depot == 'n'", "may");
    assertThat(taking.once()).containsExactly("2026-11-24n", "2026-11-25n");
    assertThat(taking.once()).as("the same label").isEmpty();
    taking.choose("depot == 'n'", "june");
    assertThat(taking.once()).hasSize(2);
    taking.choose(null, null);
    assertThat(taking.once()).as("without one").isEmpty();
  }

  @Test
  void aFileThatIsCompressedOrRenamedAfterItWasTakenIsTheSame() throws IOException {
    Taking taking = archive();
    taking.once();
    Path plain = folder.resolve("old/2026-11-25/depot=n/a.log");
    try (OutputStream out =
        new GZIPOutputStream(Files.newOutputStream(plain.resolveSibling("a.log.gz")))) {
      Files.copy(plain, out);
    }
    Files.delete(plain);
    Path other = folder.resolve("old/2026-11-25/depot=s/a.log");
    Files.move(other, other.resolveSibling("b.log"));
    assertThat(taking.once()).isEmpty();
    Files.move(other.resolveSibling("b.log"), folder.resolve("old/2026-11-24/depot=s/c.log"));
    assertThat(taking.once()).as("elsewhere").isEmpty();
    put("old/2026-11-25/depot=s/d.log", "new\n");
    assertThat(taking.once()).containsExactly("new");
    assertThat(taking.notices).isEmpty();
  }

  private List<String> plan(List<KnownSource> known, Choice choice) {
    IntakeOpening opening =
        new IntakeOpening(
            ARCHIVE,
            new FolderSite(folder),
            known,
            notice -> {},
            false,
            () -> true,
            choice,
            block -> 0,
            io.wexrun.core.intake.Receiving.NOTHING);
    return new ArchiveConnector()
        .plan(opening).stream().map(s -> s.name() + " " + s.bytes() + " " + s.plan()).toList();
  }

  @Test
  void whatWouldBeTakenIsToldBefore() throws IOException {
    archive();
    Choice north = new Choice(Optional.of("depot == 'n'"), Optional.empty());
    assertThat(plan(List.of(), north))
        .containsExactly(
            "old/2026-11-24/depot=n/a.log 12 TAKE", "old/2026-11-25/depot=n/a.log 12 TAKE");
    IntakeOpening fresh = IntakeOpening.fresh(ARCHIVE, new FolderSite(folder));
    List<KnownSource> known;
    try (var intake = new ArchiveConnector().open(fresh)) {
      known =
          intake.look().stream()
              .limit(1)
              .map(s -> new KnownSource(s.partition(), s.identity(), 4))
              .toList();
    }
    assertThat(plan(known, north)).contains("old/2026-11-24/depot=n/a.log 12 " + Plan.GO_ON);
    List<PlannedSource> none =
        new ArchiveConnector()
            .plan(IntakeOpening.fresh(Settings.of("archive", "none/*"), new FolderSite(folder)));
    assertThat(none).isEmpty();
  }

  @Test
  void aChoiceThatCannotBeIsAMistake() throws IOException {
    Taking taking = archive();
    assertThatThrownBy(() -> taking.choose("gate == 1", null).once())
        .isInstanceOf(MistakesException.class)
        .hasMessageContaining("gate");
    assertThatThrownBy(() -> taking.choose(null, "a b").once())
        .isInstanceOf(MistakesException.class)
        .hasMessageContaining("'a b' is not a label");
  }

  /** As a user who may read everything, there is nothing to see. */
  @Test
  void whatMustNotBeReadIsPassedOverAndTold() throws IOException {
    Taking taking = archive();
    Path file = folder.resolve("old/2026-11-24/depot=n/a.log");
    Path closed = folder.resolve("old/2026-11-25");
    Files.setPosixFilePermissions(file, PosixFilePermissions.fromString("---------"));
    Files.setPosixFilePermissions(closed, PosixFilePermissions.fromString("---------"));
    try {
      assumeThat(Files.isReadable(file)).isFalse();
      Diagnostics diagnostics = Diagnostics.of("p");
      new ArchiveConnector().check(ARCHIVE, new FolderSite(folder), KeyPath.ROOT, diagnostics);
      assertThat(diagnostics.all())
          .extracting(Diagnostic::code)
          .containsExactly("no-permission", "no-permission");
      assertThat(taking.once()).containsExactly("2026-11-24s");
      assertThat(taking.notices).hasSize(2).allMatch(told -> told.contains("permission denied"));
    } finally {
      Files.setPosixFilePermissions(closed, PosixFilePermissions.fromString("rwxr-xr-x"));
      Files.setPosixFilePermissions(file, PosixFilePermissions.fromString("rw-r--r--"));
    }
    assertThat(taking.once()).hasSize(3);
  }
}

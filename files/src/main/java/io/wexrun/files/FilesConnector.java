package io.wexrun.files;

import io.wexrun.core.connect.IntakeConnector;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.intake.Intake;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.Settings;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/**
 * {@code intake: {files: incoming/*.log, longest: 256KB, last-line: wait}}.
 *
 * <p>{@code last-line} says what becomes of bytes after the last line end when a run drains: {@code
 * wait} until their line ends, or {@code take} them as a line.
 */
public final class FilesConnector implements IntakeConnector {
  private static final String LAST_LINE = "last-line";

  @Override
  public String kind() {
    return "files";
  }

  @Override
  public List<String> keys() {
    return List.of("files", "longest", LAST_LINE);
  }

  @Override
  public void check(
      Settings settings,
      Path workspace,
      io.wexrun.core.diagnose.Path path,
      Diagnostics diagnostics) {
    String lastLine = settings.text(LAST_LINE).orElse("wait");
    if (!lastLine.equals("wait") && !lastLine.equals("take")) {
      diagnostics.error(
          "bad-value",
          path.key(LAST_LINE),
          "'" + lastLine + "' is neither wait nor take",
          Diagnostics.nearest(lastLine, List.of("wait", "take")));
    }
    Pattern pattern = new Pattern(workspace.toAbsolutePath(), settings.main());
    io.wexrun.core.diagnose.Path at = path.key("files");
    if (pattern.plain() && !Files.isRegularFile(pattern.folder())) {
      diagnostics.error(
          "missing-file",
          at,
          "there is no file " + pattern.folder(),
          Optional.of(
              "names start from the workspace's folder; a pattern such as *.log may match"
                  + " files that come later"));
    } else if (!pattern.plain() && !Files.isDirectory(pattern.folder())) {
      diagnostics.error(
          "missing-file",
          at,
          "there is no folder " + pattern.folder(),
          Optional.of("make it, or mend the name; names start from the workspace's folder"));
    } else if (pattern.matches().isEmpty()) {
      diagnostics.warning(
          "no-file-yet", at, "no file matches " + settings.main() + " yet", Optional.empty());
    }
  }

  @Override
  public Intake open(Settings settings, Path workspace, Map<SourcePartition, Long> positions) {
    boolean take = settings.text(LAST_LINE).orElse("wait").equals("take");
    return new FilesIntake(workspace, settings.main(), take, positions);
  }
}

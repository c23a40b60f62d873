package io.wexrun.files;

import io.wexrun.core.connect.IntakeConnector;
import io.wexrun.core.connect.IntakeOpening;
import io.wexrun.core.connect.PlannedSource;
import io.wexrun.core.connect.Site;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.intake.Intake;
import io.wexrun.core.intake.Receiving;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.files.content.Patterns;
import io.wexrun.files.content.ReadingSettings;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/**
 * {@code intake: {files: incoming/*.log, longest: 256KB, last-line: wait}}.
 *
 * <p>{@code last-line} says what becomes of bytes after the last whole record: {@code wait} until
 * it ends, {@code take} them as a record at once, or after a time such as {@code 5s} in which no
 * more came. How files are read, see {@link ReadingSettings}.
 */
public final class FilesConnector implements IntakeConnector {
  static final String KIND = "files";

  @Override
  public String kind() {
    return KIND;
  }

  @Override
  public List<String> keys() {
    List<String> keys = new ArrayList<>(List.of(KIND));
    keys.addAll(Patterns.KEYS);
    keys.add(ReadingSettings.LAST_LINE);
    keys.addAll(ReadingSettings.KEYS);
    return keys;
  }

  @Override
  public void check(Settings settings, Site site, KeyPath path, Diagnostics diagnostics) {
    ReadingSettings.check(settings, path, diagnostics);
    Patterns.check(settings, site, path, diagnostics);
  }

  @Override
  public boolean chooses() {
    return true;
  }

  /** By name and size: whether a file was rotated, only the run finds out. */
  @Override
  public List<PlannedSource> plan(IntakeOpening opening) {
    Patterns patterns = Patterns.of(opening);
    Map<String, Long> known = new HashMap<>();
    opening.known().forEach(source -> known.put(source.partition().name(), source.position()));
    List<PlannedSource> planned = new ArrayList<>();
    for (Path path : patterns.matches()) {
      String name = patterns.name(path);
      long size = path.toFile().length();
      Long position = known.get(name);
      PlannedSource.Plan plan =
          position == null || position == 0
              ? PlannedSource.Plan.TAKE
              : position >= size ? PlannedSource.Plan.TAKEN : PlannedSource.Plan.GO_ON;
      planned.add(new PlannedSource(name, size, plan));
    }
    return planned;
  }

  @Override
  public Intake open(IntakeOpening opening) {
    if (opening.choice().again().isPresent()) {
      Diagnostics diagnostics = Diagnostics.of("--again");
      diagnostics.error(
          "no-choice",
          KeyPath.ROOT,
          "files that are followed are not taken again",
          Optional.of("take them as a drop folder or an archive"));
      diagnostics.orThrow();
    }
    Patterns patterns = Patterns.of(opening);
    if (opening.receiving() == Receiving.TO_THE_END) {
      patterns.requireNamed();
    }
    return new FilesIntake(
        patterns, ReadingSettings.read(opening.settings()), opening.known(), opening.notices());
  }
}

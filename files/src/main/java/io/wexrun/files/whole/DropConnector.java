package io.wexrun.files.whole;

import io.wexrun.core.connect.Site;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.files.content.Patterns;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import java.util.Set;

/**
 * {@code intake: {drop: incoming/tickets/*.csv, complete: 5s, then: {move: taken}}}: files that
 * somebody puts into a folder, each taken once, when it is complete. See {@link DropSettings}.
 */
public final class DropConnector extends WholeConnector {
  /** For service loaders. */
  public DropConnector() {
    super("drop");
  }

  @Override
  Dropping dropping(Settings settings) {
    return DropSettings.read(settings);
  }

  @Override
  public List<String> keys() {
    List<String> keys = new ArrayList<>(super.keys());
    keys.addAll(DropSettings.KEYS);
    return keys;
  }

  @Override
  public void check(Settings settings, Site site, KeyPath path, Diagnostics diagnostics) {
    super.check(settings, site, path, diagnostics);
    DropSettings.check(settings, site, path, diagnostics);
  }

  /** The patterns, and the files that match now. */
  @Override
  public Set<String> takesAway(Settings settings, Site site) {
    if (!DropSettings.read(settings).then().takesAway()) {
      return Set.of();
    }
    Patterns patterns = Patterns.of(site.folder(), settings);
    Set<String> names = new HashSet<>();
    patterns.wanted().forEach(pattern -> names.add(pattern.toString()));
    for (Path file : patterns.matches()) {
      names.add(patterns.name(file));
    }
    return names;
  }
}

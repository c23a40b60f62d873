package io.wexrun.files.whole;

import io.wexrun.core.pipeline.Settings;

/**
 * {@code intake: {archive: 'archive/{day:date}/{depot}/*.log.gz', where: 'depot == "north"'}}:
 * files that lie there complete, each taken once, and left where they are.
 */
public final class ArchiveConnector extends WholeConnector {
  /** For service loaders. */
  public ArchiveConnector() {
    super("archive");
  }

  @Override
  Dropping dropping(Settings settings) {
    return Dropping.ARCHIVE;
  }
}

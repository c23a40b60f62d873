package io.wexrun.project.run;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.project.open.WorkspaceReferences;
import io.wexrun.state.PipelineTexts;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.FileTime;
import java.time.Duration;
import java.time.Instant;
import java.util.HashSet;
import java.util.Set;
import java.util.stream.Stream;

/** What pipelines looked up, as it is kept. */
public final class KeptReferences {
  /** What was kept within this time stays: somebody may be about to use it. */
  private static final Duration YOUNG = Duration.ofDays(1);

  private KeptReferences() {}

  /**
   * Removes what no pipeline looked up when it ran last.
   *
   * @param data the folder below which it is kept
   * @throws OutsideException if it cannot be looked at or removed
   */
  public static void clear(Path data, PipelineTexts texts) {
    Path kept = WorkspaceReferences.kept(data);
    if (!Files.isDirectory(kept)) {
      return;
    }
    Set<String> used = new HashSet<>();
    for (String pipeline : texts.pipelines()) {
      texts
          .current(pipeline)
          .ifPresent(text -> used.addAll(PipelineText.references(text.text()).values()));
    }
    FileTime young = FileTime.from(Instant.now().minus(YOUNG));
    try (Stream<Path> files = Files.list(kept)) {
      for (Path file : files.toList()) {
        if (!used.contains(file.getFileName().toString())
            && Files.getLastModifiedTime(file).compareTo(young) < 0) {
          Files.deleteIfExists(file);
        }
      }
    } catch (IOException e) {
      throw new OutsideException("cannot clear " + kept + ": " + e.getMessage(), e);
    }
  }
}

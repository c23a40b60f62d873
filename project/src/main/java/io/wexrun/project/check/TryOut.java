package io.wexrun.project.check;

import io.wexrun.core.connect.Site;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.framing.Lines;
import io.wexrun.core.intake.Assigner;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Intake;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.shape.BlockTrial;
import io.wexrun.core.shape.Shaper;
import io.wexrun.project.open.Connectors;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/** Tries a pipeline on some records: from its intake's beginning, a file, or bytes at hand. */
public final class TryOut {
  /** The kind of intake that reads a file which a user names. */
  private static final String FILES = "files";

  private final Site site;
  private final Connectors connectors;

  /** Tries pipelines of a workspace. */
  public TryOut(Site site, Connectors connectors) {
    this.site = site;
    this.connectors = connectors;
  }

  /** The first records of the pipeline's intake. */
  public List<BlockTrial> ofIntake(Pipeline pipeline, Shaper shaper, long limit) {
    return take(pipeline.intake(), shaper, limit);
  }

  /** The first records of a file, read as the pipeline's intake would, or as lines. */
  public List<BlockTrial> ofFile(Pipeline pipeline, Path file, Shaper shaper, long limit) {
    if (!Files.isRegularFile(file)) {
      String what = Files.isDirectory(file) ? file + " is a folder" : "there is no file " + file;
      throw new OutsideException(what);
    }
    Settings settings =
        pipeline.intake().kind().equals(FILES) ? pipeline.intake() : Settings.of(FILES, "");
    // A last line without its end is taken, too: a sample is often cut by hand.
    Settings ofFile =
        settings
            .with(FILES, file.toAbsolutePath().toString())
            .with("except", List.of())
            .with("last-line", "take");
    return take(ofFile, shaper, limit);
  }

  /** The lines of some bytes. */
  public static List<BlockTrial> ofBytes(byte[] data, Shaper shaper, long limit) {
    Block block =
        new Block(new SourcePartition("input"), 0, data.length, data, data.length, Lines.FRAMING);
    return List.of(shaper.tryOut(first(block, limit)));
  }

  private List<BlockTrial> take(Settings settings, Shaper shaper, long limit) {
    try (Intake intake = connectors.intakes().get(settings.kind()).peek(settings, site)) {
      Assigner assigner = new Assigner(intake, Map.of());
      List<BlockTrial> tried = new ArrayList<>();
      long left = limit;
      while (left > 0) {
        Optional<Block> block = assigner.next(Duration.ZERO);
        if (block.isEmpty() && intake.drained()) {
          break;
        }
        if (block.isPresent()) {
          BlockTrial next = shaper.tryOut(first(block.get(), left));
          tried.add(next);
          left -= next.trials().size();
        }
      }
      return tried;
    }
  }

  /** A block that ends after some records. */
  private static Block first(Block block, long limit) {
    return block.with(
        block.end(),
        whole -> block.framing().cut(whole).first((int) Math.min(limit, Integer.MAX_VALUE)));
  }
}

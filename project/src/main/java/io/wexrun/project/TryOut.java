package io.wexrun.project;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.framing.Lines;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Intake;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.shape.BlockTrial;
import io.wexrun.core.shape.RecordTrial;
import io.wexrun.core.shape.Shaper;
import io.wexrun.queue.Queue;
import io.wexrun.queue.QueueIntake;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/** Tries a pipeline on some records: from its intake's beginning, a file, or bytes at hand. */
final class TryOut {
  private static final String FILES = "files";

  private final Path folder;
  private final Connectors connectors;
  private final Holdings holdings;

  TryOut(Path folder, Connectors connectors, Holdings holdings) {
    this.folder = folder;
    this.connectors = connectors;
    this.holdings = holdings;
  }

  /** The first records of the pipeline's intake. */
  List<BlockTrial> ofIntake(Pipeline pipeline, Shaper shaper, long limit) {
    Settings settings = pipeline.intake();
    if (!settings.kind().equals(Checker.QUEUE)) {
      return take(connectors.intakes().get(settings.kind()), settings, shaper, limit);
    }
    String name = settings.main();
    Optional<Queue> queue = Queue.openToRead(holdings.queueFolder(name), name);
    if (queue.isEmpty()) {
      throw new OutsideException(
          "queue " + name + " has no records yet: name a file to try, or run what feeds the queue");
    }
    try (Queue open = queue.get();
        Intake intake = new QueueIntake(open, Map.of(), false, () -> true)) {
      return take(intake, shaper, limit);
    }
  }

  /** The first records of a file, read as the pipeline's intake would, or as lines. */
  List<BlockTrial> ofFile(Pipeline pipeline, Path file, Shaper shaper, long limit) {
    if (!Files.isRegularFile(file)) {
      String what = Files.isDirectory(file) ? file + " is a folder" : "there is no file " + file;
      throw new OutsideException(what);
    }
    Settings settings =
        pipeline.intake().kind().equals(FILES) ? pipeline.intake() : Settings.of(FILES, "");
    // A last line without its end is taken, too: a sample is often cut by hand.
    Settings ofFile =
        settings.with(FILES, file.toAbsolutePath().toString()).with("last-line", "take");
    return take(connectors.intakes().get(FILES), ofFile, shaper, limit);
  }

  /** Writes records just tried as cases; the file. */
  Path keep(String pipeline, List<RecordTrial> trials) {
    Path file = folder.resolve("cases").resolve(pipeline + ".yaml");
    StringBuilder text = new StringBuilder();
    trials.forEach(trial -> text.append(SampleCase.text(trial)));
    try {
      Files.createDirectories(file.getParent());
      Files.writeString(file, text, StandardOpenOption.CREATE, StandardOpenOption.APPEND);
    } catch (IOException e) {
      throw new OutsideException("cannot write " + file + ": " + e.getMessage(), e);
    }
    return file;
  }

  /** The lines of some bytes. */
  static List<BlockTrial> ofBytes(byte[] data, Shaper shaper, long limit) {
    Block block =
        new Block(new SourcePartition("input"), 0, data.length, data, data.length, Lines.FRAMING);
    return List.of(shaper.tryOut(first(block, limit)));
  }

  private List<BlockTrial> take(
      io.wexrun.core.connect.IntakeConnector connector,
      Settings settings,
      Shaper shaper,
      long limit) {
    try (Intake intake = connector.open(settings, folder, Map.of())) {
      return take(intake, shaper, limit);
    }
  }

  private static List<BlockTrial> take(Intake intake, Shaper shaper, long limit) {
    List<BlockTrial> tried = new ArrayList<>();
    long left = limit;
    while (left > 0) {
      Optional<Block> block = intake.poll(Duration.ZERO);
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

  /** A block that ends after some records. */
  private static Block first(Block block, long limit) {
    return block.with(
        block.end(),
        whole -> block.framing().cut(whole).first((int) Math.min(limit, Integer.MAX_VALUE)));
  }
}

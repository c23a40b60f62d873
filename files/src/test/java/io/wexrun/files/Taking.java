package io.wexrun.files;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.contract.FolderSite;
import io.wexrun.core.connect.IntakeOpening;
import io.wexrun.core.identity.Identity;
import io.wexrun.core.intake.Assigner;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.KnownSource;
import io.wexrun.core.intake.Records;
import io.wexrun.core.intake.Source;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.schema.Instants;
import java.nio.charset.StandardCharsets;
import java.nio.file.Path;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.TreeMap;

/** A pipeline that takes from files: what it took, what it was told, and what its state knows. */
final class Taking {
  final List<String> taken = new ArrayList<>();
  final Map<String, Instant> written = new HashMap<>();
  final List<String> notices = new ArrayList<>();
  private final Path folder;
  private final Settings settings;
  private final Map<SourcePartition, Long> positions = new TreeMap<>();
  private final Map<SourcePartition, Identity> identities = new HashMap<>();
  private final Map<SourcePartition, Long> committed = new HashMap<>();
  private int committedRecords;
  private FilesIntake intake;
  private Assigner assigner;

  Taking(Path folder, Settings settings) {
    this.folder = folder;
    this.settings = settings;
  }

  static Taking of(Path folder, String pattern) {
    return new Taking(folder, FilesIntake.matching(pattern));
  }

  /** The process ends and another one begins, with what the state knows. */
  Taking restart() {
    if (intake != null) {
      intake.close();
    }
    List<KnownSource> known = new ArrayList<>();
    positions.forEach(
        (s, p) -> known.add(new KnownSource(s, Optional.ofNullable(identities.get(s)), p)));
    intake =
        (FilesIntake)
            new FilesConnector()
                .open(
                    new IntakeOpening(
                        settings, new FolderSite(folder), known, notices::add, false, () -> true));
    assigner =
        new Assigner(
            intake, source -> positions.computeIfAbsent(source.partition(), p -> source.start()));
    look();
    return this;
  }

  /** The process was killed before anything was committed, but after the state knew the files. */
  void killed() {
    positions.replaceAll((source, position) -> 0L);
    taken.clear();
    written.clear();
    restart();
  }

  /** What was taken so far is in the books. */
  void commit() {
    committed.clear();
    committed.putAll(positions);
    committedRecords = taken.size();
  }

  /** The process was killed: what was not in the books is taken again. */
  void crash() {
    positions.replaceAll((source, position) -> committed.getOrDefault(source, 0L));
    taken.subList(committedRecords, taken.size()).clear();
    restart();
  }

  void look() {
    intake
        .lookSoon(); // On a busy machine a look may be slow, and what comes next would not be seen.
    for (Source source : assigner.look()) {
      source.identity().ifPresent(identity -> identities.put(source.partition(), identity));
    }
  }

  /** Takes one block, if there is one. */
  boolean step() {
    look();
    Optional<Block> block = intake.poll(Duration.ZERO);
    block.ifPresent(this::take);
    return block.isPresent();
  }

  private void take(Block block) {
    assertThat(block.first()).isEqualTo(positions.get(block.source()));
    Records records = block.records();
    for (int i = 0; i < records.count(); i++) {
      String line = new String(records.bytes(i), StandardCharsets.UTF_8);
      taken.add(line);
      written.put(line, Instants.instant(records.written(i)));
    }
    positions.put(block.source(), block.end());
  }

  /** Takes all there is; what came of it. */
  List<String> drain() {
    if (intake == null) {
      restart();
    }
    int before = taken.size();
    while (step() || !intake.drained()) {
      // Goes on.
    }
    look();
    return List.copyOf(taken.subList(before, taken.size()));
  }

  /** A run that ends when everything is taken. */
  List<String> once() {
    restart();
    List<String> all = drain();
    intake.close();
    intake = null;
    return all;
  }
}

package io.wexrun.files;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.contract.FolderSite;
import io.wexrun.core.connect.IntakeConnector;
import io.wexrun.core.connect.IntakeOpening;
import io.wexrun.core.identity.Identity;
import io.wexrun.core.intake.Assigner;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Choice;
import io.wexrun.core.intake.Intake;
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
import java.util.function.ToLongFunction;
import java.util.stream.LongStream;

/** A pipeline that takes from files: what it took, what it was told, and what its state knows. */
public final class Taking {
  public final List<String> taken = new ArrayList<>();
  public final Map<String, Instant> written = new HashMap<>();

  /** For each record that was taken last: with which header, in which line, and of which member. */
  public final Map<String, String> places = new TreeMap<>();

  public final List<String> notices = new ArrayList<>();
  private final Path folder;
  private Settings settings;
  private final Map<SourcePartition, Long> positions = new TreeMap<>();
  private final Map<SourcePartition, Identity> identities = new HashMap<>();
  private final Map<SourcePartition, Long> committed = new HashMap<>();
  private int committedRecords;
  private final IntakeConnector connector;
  private Choice choice = Choice.ALL;
  private ToLongFunction<Block> deaths = block -> 0;
  private Intake intake;
  private Assigner assigner;

  Taking(Path folder, Settings settings) {
    this(folder, settings, new FilesConnector());
  }

  /** Takes by a connector's intake. */
  public Taking(Path folder, Settings settings, IntakeConnector connector) {
    this.folder = folder;
    this.settings = settings;
    this.connector = connector;
  }

  /** From the next restart on, a setting is another one. */
  public Taking with(String key, Object value) {
    settings = settings.with(key, value);
    return this;
  }

  /** From now on only a choice is taken. */
  public Taking choose(String where, String again) {
    choice = new Choice(Optional.ofNullable(where), Optional.ofNullable(again));
    return this;
  }

  /** From now on records that begin with a text die. */
  public Taking dies(String begin) {
    deaths =
        block -> {
          Records records = block.records();
          return LongStream.range(0, records.count())
              .filter(
                  i -> new String(records.bytes((int) i), StandardCharsets.UTF_8).startsWith(begin))
              .count();
        };
    return this;
  }

  static Taking of(Path folder, String pattern) {
    return new Taking(folder, FilesIntake.matching(pattern));
  }

  /** The process ends and another one begins, with what the state knows. */
  public Taking restart() {
    if (intake != null) {
      intake.close();
    }
    List<KnownSource> known = new ArrayList<>();
    positions.forEach(
        (s, p) -> known.add(new KnownSource(s, Optional.ofNullable(identities.get(s)), p)));
    intake =
        connector.open(
            new IntakeOpening(
                settings,
                new FolderSite(folder),
                known,
                notices::add,
                false,
                () -> true,
                choice,
                deaths,
                io.wexrun.core.intake.Receiving.NOTHING));
    assigner =
        new Assigner(
            intake, source -> positions.computeIfAbsent(source.partition(), p -> source.start()));
    look();
    return this;
  }

  /** The process was killed before anything was committed, but after the state knew the files. */
  public void killed() {
    positions.replaceAll((source, position) -> 0L);
    taken.clear();
    written.clear();
    restart();
  }

  /** What was taken so far is in the books. */
  public void commit() {
    committed.clear();
    committed.putAll(positions);
    committedRecords = taken.size();
  }

  /** What was taken so far is in the books, and the intake is told. */
  public Taking account() {
    commit();
    intake.accounted(Map.copyOf(committed));
    look();
    return this;
  }

  /** The process was killed: what was not in the books is taken again. */
  public void crash() {
    positions.replaceAll((source, position) -> committed.getOrDefault(source, 0L));
    taken.subList(committedRecords, taken.size()).clear();
    restart();
  }

  public void look() {
    if (intake instanceof FilesIntake files) {
      files.lookSoon(); // On a busy machine a look may be slow, and what comes next not be seen.
    }
    for (Source source : assigner.look()) {
      source.identity().ifPresent(identity -> identities.put(source.partition(), identity));
    }
  }

  /** Takes one block, if there is one. */
  public boolean step() {
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
      String header = new String(records.header(), StandardCharsets.UTF_8);
      places.put(line, header + "/" + records.line(i) + "/" + records.member());
    }
    positions.put(block.source(), block.end());
  }

  /** Takes all there is; what came of it. */
  public List<String> drain() {
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
  public List<String> once() {
    restart();
    List<String> all = drain();
    intake.close();
    intake = null;
    return all;
  }
}

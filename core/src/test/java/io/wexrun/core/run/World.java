package io.wexrun.core.run;

import io.wexrun.core.batch.Rows;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.framing.Lines;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Intake;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.FlushPolicy;
import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.core.pipeline.Route;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.pipeline.StepDefinition;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.schema.Type;
import io.wexrun.core.shape.Destination;
import io.wexrun.core.shape.Shaper;
import io.wexrun.core.shape.Steps;
import io.wexrun.core.tally.Account;
import io.wexrun.core.tally.Counts;
import io.wexrun.core.tally.Tally;
import io.wexrun.core.tally.TallyStore;
import io.wexrun.core.target.Flush;
import io.wexrun.core.target.Receipt;
import io.wexrun.core.target.Staged;
import io.wexrun.core.target.Target;
import java.nio.charset.StandardCharsets;
import java.time.Duration;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.SplittableRandom;
import java.util.TreeMap;
import java.util.function.Supplier;

/**
 * Everything around a run, in memory, with the contracts kept to the letter: what is committed
 * stays, what is not is gone when a run fails. Failures come where the test's dice say.
 */
final class World {
  final Map<SourcePartition, byte[]> sources = new TreeMap<>();
  final Map<String, Committed> tables = new TreeMap<>();
  final Books tally = new Books();
  private final SplittableRandom dice;
  volatile int failuresLeft;

  World(long seed) {
    dice = new SplittableRandom(seed);
  }

  synchronized int roll(int sides) {
    return dice.nextInt(sides);
  }

  /** Fails now and then, as long as there are failures left. */
  void maybeFail(String what) {
    if (roll(4) == 0) {
      synchronized (this) {
        if (failuresLeft > 0) {
          failuresLeft--;
          throw new OutsideException(what + " failed, as it may");
        }
      }
    }
  }

  /** {@code kind number} lines: scans go to two tables, pings are dropped, the rest dies. */
  static Pipeline pipeline(FlushPolicy flush) {
    return Pipeline.named("p")
        .intake(Settings.of("memory", ""))
        .shape(StepDefinition.template("{kind} {n:long}"))
        .route(
            Route.when("kind == 'scan'").to("scans", "audit"),
            Route.when("kind == 'fault'").to("faults"),
            Route.when("kind == 'ping'").to(Route.DROP),
            Route.otherwiseDead())
        .flush(flush)
        .build();
  }

  PipelineRun start(Pipeline pipeline, RunOptions options) {
    Diagnostics diagnostics = Diagnostics.of("p");
    Shaper shaper =
        Shaper.compile(
            pipeline,
            Steps.ours(),
            name ->
                Optional.of(
                    new Destination.Rows(
                        Table.in("s", name).column("n", Type.Scalar.LONG).build())),
            List.of(),
            diagnostics);
    diagnostics.orThrow();
    Map<String, Target> targets = new TreeMap<>();
    for (String name : List.of("scans", "audit", "faults", Route.DEAD)) {
      targets.put(name, tables.computeIfAbsent(name, n -> new Committed()).open(this));
    }
    Intake intake = new MemoryIntake(tally.positions("p"));
    return PipelineRun.start(pipeline, intake, shaper, targets, tally, options);
  }

  /** A table with its progress: what survives. */
  static final class Committed {
    final List<String> rows = new ArrayList<>();
    final Map<SourcePartition, Long> progress = new TreeMap<>();

    Target open(World world) {
      Map<SourcePartition, Long> atOpening = new TreeMap<>(progress);
      return new Target() {
        @Override
        public Map<SourcePartition, Long> progress() {
          return atOpening;
        }

        @Override
        public int parallelism() {
          return 2;
        }

        @Override
        public Staged stage(Flush flush) {
          world.maybeFail("stage");
          List<String> fresh = new ArrayList<>();
          for (Flush.Part part : flush.parts()) {
            Rows rows = part.rows().from(atOpening.getOrDefault(part.source(), -1L));
            for (int i = 0; i < rows.count(); i++) {
              fresh.add(part.source() + "@" + rows.batch().position(rows.row(i)));
            }
          }
          return () -> {
            world.maybeFail("commit");
            synchronized (Committed.this) {
              rows.addAll(fresh);
              flush.progress().forEach((s, end) -> progress.merge(s, end, Math::max));
            }
            world.maybeFail("the way back from a commit");
            return new Receipt(fresh.size(), flush.rows() - fresh.size());
          };
        }

        @Override
        public void close() {
          // Nothing is kept that was not committed.
        }
      };
    }
  }

  /** Blocks of random length, cut between lines; the sources take turns. */
  private final class MemoryIntake implements Intake {
    private final Map<SourcePartition, Long> positions;

    MemoryIntake(Map<SourcePartition, Long> positions) {
      this.positions = new TreeMap<>(positions);
    }

    @Override
    public Optional<Block> poll(Duration wait) {
      maybeFail("read");
      List<SourcePartition> left =
          sources.keySet().stream()
              .filter(s -> positions.getOrDefault(s, 0L) < sources.get(s).length)
              .toList();
      if (left.isEmpty()) {
        return Optional.empty();
      }
      SourcePartition source = left.get(roll(left.size()));
      byte[] all = sources.get(source);
      int from = positions.getOrDefault(source, 0L).intValue();
      int to = Math.min(all.length, from + 1 + roll(60));
      while (all[to - 1] != '\n') {
        to++;
      }
      positions.put(source, (long) to);
      byte[] data = Arrays.copyOfRange(all, from, to);
      return Optional.of(new Block(source, from, to, data, data.length, Lines.FRAMING));
    }

    @Override
    public boolean drained() {
      return sources.keySet().stream()
          .allMatch(s -> positions.getOrDefault(s, 0L) == sources.get(s).length);
    }

    @Override
    public void close() {
      // Nothing is open.
    }
  }

  /** The tally in memory, all of an account or nothing. */
  final class Books implements TallyStore {
    private final Map<SourcePartition, Long> positions = new TreeMap<>();
    private Counts sum = Counts.NONE;

    @Override
    public synchronized Map<SourcePartition, Long> positions(String pipeline) {
      return new TreeMap<>(positions);
    }

    @Override
    public synchronized void account(String pipeline, List<Account> accounts) {
      maybeFail("account");
      for (Account account : accounts) {
        if (positions.getOrDefault(account.source(), 0L) != account.from()) {
          throw new IllegalStateException("a gap before " + account);
        }
        positions.put(account.source(), account.to());
        sum = sum.plus(account.counts());
      }
    }

    @Override
    public synchronized Tally tally(String pipeline) {
      return new Tally(pipeline, sum, 0, positions.size());
    }
  }

  /** Lines of random kinds. */
  void fill(int sourceCount, int lines) {
    Supplier<String> kind = () -> List.of("scan", "scan", "fault", "ping", "waltz").get(roll(5));
    for (int s = 0; s < sourceCount; s++) {
      StringBuilder text = new StringBuilder();
      for (int i = 0; i < lines; i++) {
        text.append(kind.get()).append(' ').append(roll(9) == 0 ? "x" : i).append('\n');
      }
      byte[] data = text.toString().getBytes(StandardCharsets.US_ASCII);
      sources.put(new SourcePartition("s" + s), data);
    }
  }
}

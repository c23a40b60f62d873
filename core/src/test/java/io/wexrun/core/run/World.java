package io.wexrun.core.run;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.LongVector;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.channel.Channel;
import io.wexrun.core.channel.MemoryChannel;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.framing.Lines;
import io.wexrun.core.identity.Identity;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Intake;
import io.wexrun.core.intake.KnownSource;
import io.wexrun.core.intake.Source;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.FlushPolicy;
import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.core.pipeline.Route;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.pipeline.StepDefinition;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.schema.Type;
import io.wexrun.core.shape.Shaper;
import io.wexrun.core.shape.Steps;
import io.wexrun.core.tally.Account;
import io.wexrun.core.tally.Counts;
import io.wexrun.core.tally.KnownTarget;
import io.wexrun.core.tally.SourceTally;
import io.wexrun.core.tally.Tally;
import io.wexrun.core.tally.TallyStore;
import io.wexrun.core.tally.TimeTally;
import io.wexrun.core.target.Destination;
import io.wexrun.core.target.Flush;
import io.wexrun.core.target.Receipt;
import io.wexrun.core.target.Refusal;
import io.wexrun.core.target.Staged;
import io.wexrun.core.target.Target;
import java.nio.charset.StandardCharsets;
import java.time.Duration;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Optional;
import java.util.SplittableRandom;
import java.util.TreeMap;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.ConcurrentSkipListMap;
import java.util.concurrent.CountDownLatch;
import java.util.function.Predicate;
import java.util.function.Supplier;

/**
 * Everything around a run, in memory, with the contracts kept to the letter: what is committed
 * stays, what is not is gone when a run fails. Failures come where the test's dice say.
 */
final class World {
  final Map<SourcePartition, byte[]> sources = new ConcurrentSkipListMap<>();
  final Map<String, Committed> tables = new TreeMap<>();
  final Books tally = new Books();
  private final SplittableRandom dice;
  volatile int failuresLeft;

  /** Whether the last failure is one that it is of no use to try again after. */
  boolean endsWithLasting;

  /** Whether the intake fails, too, which ends a run that otherwise goes on. */
  boolean readingFails = true;

  /** What the intake was told is accounted for. */
  final Map<SourcePartition, Long> told = new ConcurrentHashMap<>();

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
          if (failuresLeft == 0 && endsWithLasting) {
            failuresLeft = 1;
            throw OutsideException.lasting(what + " fails from now on");
          }
          throw new OutsideException(what + " failed, as it may");
        }
      }
    }
  }

  private void maybeFailToRead() {
    if (readingFails) {
      maybeFail("read");
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
    return start(pipeline, options, RunListener.NONE);
  }

  PipelineRun start(Pipeline pipeline, RunOptions options, RunListener listener) {
    return start(pipeline, Lanes.of(options), options, listener);
  }

  PipelineRun start(Pipeline pipeline, Lanes lanes, RunOptions options, RunListener listener) {
    Channel channel = new MemoryChannel(lanes.raw().share(), tally.positions("p"));
    RunParts parts =
        new RunParts(pipeline, shaper(pipeline), new MemoryIntake(), channel, this::open, tally);
    return PipelineRun.start(parts, lanes, options, listener);
  }

  /** The steps that there are. */
  Steps steps = Steps.ours();

  private Target open(String name, String writer) {
    maybeFail("open");
    return tables.computeIfAbsent(name, n -> new Committed()).open(this, writer);
  }

  private Shaper shaper(Pipeline pipeline) {
    Diagnostics diagnostics = Diagnostics.of("p");
    Shaper shaper =
        Shaper.compile(
            pipeline,
            steps,
            name ->
                Optional.of(
                    new Destination.Rows(
                        Table.in("s", name).column("n", Type.Scalar.LONG).build())),
            List.of(),
            diagnostics);
    diagnostics.orThrow();
    return shaper;
  }

  /** A table with its progress and what it refused: what survives. */
  static final class Committed {
    final List<String> rows = new ArrayList<>();
    final Map<String, Map<SourcePartition, Long>> progress = new TreeMap<>();
    private final List<Refusal> refused = new ArrayList<>();

    /** Commits wait for it. */
    volatile CountDownLatch opens = new CountDownLatch(0);

    /** The rows with these numbers are refused. */
    Predicate<Long> refuses = n -> false;

    synchronized Target open(World world, String writer) {
      Map<SourcePartition, Long> committed = progress.computeIfAbsent(writer, w -> new TreeMap<>());
      Map<SourcePartition, Long> atOpening = new TreeMap<>(committed);
      Map<SourcePartition, Long> expected = new TreeMap<>(committed);
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
          List<Refusal> again = new ArrayList<>();
          List<Refusal> anew = new ArrayList<>();
          for (Flush.Part part : flush.parts()) {
            long done = atOpening.getOrDefault(part.source(), -1L);
            for (int i = 0; i < part.rows().count(); i++) {
              Batch batch = part.rows().batch();
              int row = part.rows().row(i);
              long position = batch.position(row);
              boolean numbered = batch.column(0) instanceof LongVector;
              long n = numbered ? ((LongVector) batch.column(0)).get(row) : -1;
              Refusal refusal = new Refusal(part.source(), position, 0, "no " + n);
              if (position >= done && refuses.test(n)) {
                anew.add(refusal);
              } else if (position >= done) {
                fresh.add(part.source() + "@" + position + (numbered ? "" : why(batch, row)));
              } else if (isRefused(refusal)) {
                again.add(refusal);
              }
            }
          }
          return () -> {
            world.maybeFail("commit");
            hang();
            synchronized (Committed.this) {
              flush
                  .progress()
                  .forEach(
                      (source, end) -> {
                        if (!Objects.equals(expected.get(source), committed.get(source))) {
                          throw OutsideException.lasting("overtaken");
                        }
                        committed.merge(source, end, Math::max);
                        expected.put(source, committed.get(source));
                      });
              rows.addAll(fresh);
              refused.addAll(anew);
            }
            world.maybeFail("the way back from a commit");
            again.addAll(anew);
            return new Receipt(fresh.size(), flush.rows() - fresh.size() - again.size(), again);
          };
        }

        @Override
        public void accounted(Map<SourcePartition, Long> positions) {
          synchronized (Committed.this) {
            refused.removeIf(r -> r.position() < positions.getOrDefault(r.source(), 0L));
          }
        }

        @Override
        public void close() {
          // Nothing is kept that was not committed.
        }
      };
    }

    private void hang() {
      try {
        opens.await();
      } catch (InterruptedException e) {
        throw new IllegalStateException(e);
      }
    }

    private static String why(Batch letters, int row) {
      TextVector reasons = (TextVector) letters.column(0);
      TextVector steps = (TextVector) letters.column(1);
      return " " + reasons.text(row) + " " + steps.text(row);
    }

    private synchronized boolean isRefused(Refusal refusal) {
      return refused.contains(refusal);
    }
  }

  /** Blocks of random length, cut between lines; the sources take turns. */
  private final class MemoryIntake implements Intake {
    private final Map<SourcePartition, Long> positions = new TreeMap<>();

    @Override
    public List<Source> look() {
      return sources.keySet().stream().map(s -> new Source(s, Optional.empty(), 0)).toList();
    }

    @Override
    public void assign(SourcePartition partition, long position) {
      positions.put(partition, position);
    }

    @Override
    public void revoke(SourcePartition partition) {
      positions.remove(partition);
    }

    @Override
    public Optional<Block> poll(Duration wait) {
      maybeFailToRead();
      List<SourcePartition> left =
          positions.keySet().stream()
              .filter(s -> positions.get(s) < sources.get(s).length)
              .toList();
      if (left.isEmpty()) {
        return Optional.empty();
      }
      SourcePartition source = left.get(roll(left.size()));
      byte[] all = sources.get(source);
      int from = positions.get(source).intValue();
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
      return positions.keySet().stream().allMatch(s -> positions.get(s) == sources.get(s).length);
    }

    @Override
    public void accounted(Map<SourcePartition, Long> ends) {
      ends.forEach((source, end) -> told.merge(source, end, Math::max));
    }

    @Override
    public void close() {
      // Nothing is open.
    }
  }

  /** The tally in memory, all of an account or nothing. */
  final class Books implements TallyStore {
    private final Map<SourcePartition, Long> positions = new TreeMap<>();
    private final Map<String, Optional<Identity>> targets = new TreeMap<>();
    private final Map<String, Map<SourcePartition, Long>> reached = new TreeMap<>();
    private Counts sum = Counts.NONE;

    @Override
    public List<KnownSource> begun(String pipeline) {
      return List.of();
    }

    @Override
    public synchronized List<KnownSource> sources(String pipeline) {
      return positions.entrySet().stream()
          .map(e -> new KnownSource(e.getKey(), Optional.empty(), e.getValue()))
          .toList();
    }

    @Override
    public void identify(String pipeline, Map<SourcePartition, Identity> identities) {
      throw new AssertionError("these sources are nobody");
    }

    @Override
    public synchronized List<KnownTarget> targets(String pipeline) {
      return targets.keySet().stream()
          .map(t -> new KnownTarget(t, targets.get(t), reached.getOrDefault(t, Map.of())))
          .toList();
    }

    @Override
    public synchronized void identifyTargets(
        String pipeline, Map<String, Optional<Identity>> identities) {
      targets.putAll(identities);
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
        account
            .reached()
            .forEach(
                (target, end) ->
                    reached
                        .computeIfAbsent(target, t -> new TreeMap<>())
                        .put(account.source(), end));
      }
    }

    @Override
    public synchronized Map<SourcePartition, SourceTally> bySource(String pipeline) {
      return Map.of();
    }

    @Override
    public synchronized List<TimeTally> over(String pipeline, TimeTally.Unit unit) {
      return List.of();
    }

    @Override
    public synchronized Tally tally(String pipeline) {
      return new Tally(pipeline, sum, 0, positions.size());
    }
  }

  /** The store refuses rows of a table by their numbers. */
  void refuse(String table, Predicate<Long> numbers) {
    tables.computeIfAbsent(table, n -> new Committed()).refuses = numbers;
  }

  /** More lines at the end of a source. */
  void append(SourcePartition source, String lines) {
    byte[] more = lines.getBytes(StandardCharsets.US_ASCII);
    byte[] all = Arrays.copyOf(sources.get(source), sources.get(source).length + more.length);
    System.arraycopy(more, 0, all, all.length - more.length, more.length);
    sources.put(source, all);
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

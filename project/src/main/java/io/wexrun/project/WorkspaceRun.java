package io.wexrun.project;

import io.wexrun.core.diagnose.MistakesException;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.intake.Choice;
import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.core.run.Lanes;
import io.wexrun.core.run.Notice;
import io.wexrun.core.run.Progress;
import io.wexrun.core.run.RunListener;
import io.wexrun.core.run.RunOptions;
import io.wexrun.core.target.Answer;
import io.wexrun.project.ask.AskedRun;
import io.wexrun.project.ask.AskedStatus;
import io.wexrun.project.ask.Question;
import io.wexrun.project.facts.PipelineStatus;
import io.wexrun.project.run.Compiling;
import io.wexrun.project.run.Feeding;
import io.wexrun.project.run.Member;
import io.wexrun.project.run.Notices;
import io.wexrun.state.Hold;
import io.wexrun.state.WorkspaceState;
import java.time.Instant;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Optional;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.Executors;
import java.util.concurrent.ScheduledExecutorService;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.locks.ReentrantLock;
import java.util.function.BooleanSupplier;
import java.util.function.Supplier;

/**
 * Pipelines of a workspace at work, side by side. In a run that goes on, one that fails is started
 * again after a while, with growing delays, and the others are not touched; one that cannot be
 * started yet waits in the same way. In a run that ends when drained, one that fails has ended, and
 * the others go on; in a strict one all are stopped, and what they hold is flushed and accounted
 * for. The methods may be called from any thread.
 */
public final class WorkspaceRun implements AutoCloseable {
  /** So many pipelines are started at once, or wait for something while they start. */
  private static final int STARTING = 8;

  private static final long SHORT_NANOS = 2_000_000_000;
  private static final long LOCK_MILLIS = 100;

  private final Map<String, Hold> holds = new ConcurrentHashMap<>();
  private final WorkspaceState state;
  private final Lanes lanes;
  private final RunOptions options;
  private final Notices notices = new Notices();
  private final RunListener listener;
  private final ScheduledExecutorService threads;
  private volatile Map<String, Member> members = Map.of();
  private volatile boolean told;
  private final String with;
  private AskedRun asked;
  private AutoCloseable beside = () -> {};
  private volatile Replayer replayer;
  private volatile Rebuilder rebuilder;
  private volatile Runnable rereads = () -> {};

  /** Held while pipelines are held still, by one who changes something. */
  private final ReentrantLock changing = new ReentrantLock();

  private WorkspaceRun(
      WorkspaceState state, RunOptions options, RunListener listener, String with) {
    this.state = state;
    this.with = with;
    this.options = options;
    this.lanes = Lanes.of(options);
    this.listener = RunListener.all(List.of(notices, listener));
    this.threads =
        Executors.newScheduledThreadPool(
            STARTING,
            work -> {
              Thread thread = new Thread(work, "wexrun-supervise");
              thread.setDaemon(true);
              return thread;
            });
    threads.scheduleAtFixedRate(this::see, 0, 1, TimeUnit.SECONDS);
  }

  private void see() {
    members.values().forEach(Member::see);
  }

  /**
   * Starts pipelines.
   *
   * @param feeding the pipelines with their shapers; without, where they cannot be compiled yet
   * @param compiling compiles pipelines as they were before, and when what they look up changes
   * @param with what the run was started with, for the history; may be empty
   */
  static WorkspaceRun start(
      Feeding feeding,
      Compiling compiling,
      WorkspaceState state,
      RunOptions options,
      RunListener listener,
      String with) {
    WorkspaceRun run = new WorkspaceRun(state, options, listener, with);
    try {
      for (Pipeline pipeline : feeding.pipelines()) {
        run.holds.put(pipeline.name(), state.hold(pipeline.name()));
      }
      List<Member> inOrder = new ArrayList<>();
      for (Pipeline pipeline : feeding.feedersFirst()) {
        inOrder.add(run.member(pipeline, new Launching(run.on(), feeding, compiling, false)));
      }
      for (Member member : inOrder) {
        if (options.startsAgain() && options.choice().equals(Choice.ALL)) {
          member.begin();
          continue;
        }
        List<Member> before = run.before(feeding, member);
        if (!before.isEmpty()) {
          member.beginAfter(before);
          continue;
        }
        member.attempt();
        if (member.failure() instanceof MistakesException mistakes) {
          throw mistakes; // What was chosen is wrong, which is known only now.
        }
        if (options.strict() && member.failedForGood()) {
          break;
        }
      }
      return run;
    } catch (RuntimeException e) {
      run.closeAfter(e);
      throw e;
    }
  }

  /** Of a run that ends: those whose end a pipeline waits for, unless they read what it writes. */
  private List<Member> before(Feeding feeding, Member member) {
    Pipeline pipeline =
        feeding.pipelines().stream()
            .filter(p -> members.get(p.name()) == member)
            .findFirst()
            .orElseThrow();
    return pipeline.start().after().stream()
        .filter(members::containsKey)
        .filter(name -> !feeding.readsFrom(name, pipeline.name()))
        .map(members::get)
        .toList();
  }

  private Member member(Pipeline pipeline, Launching launching) {
    Member member =
        new Member(
            pipeline.name(),
            launching.of(pipeline),
            options,
            threads,
            listener,
            state.runs(),
            this::succeeded,
            with);
    put(pipeline.name(), member);
    return member;
  }

  /** Members come and go while others are asked how they stand. */
  private synchronized void put(String name, Member member) {
    Map<String, Member> more = new LinkedHashMap<>(members);
    more.put(name, member);
    members = more;
  }

  private void closeAfter(RuntimeException cause) {
    try {
      close();
    } catch (RuntimeException e) {
      if (e != cause) {
        cause.addSuppressed(e);
      }
    }
  }

  /** What those are given that are started in this run. */
  private Launching.On on() {
    return new Launching.On(state, lanes, options, listener, name -> members.get(name).ended());
  }

  private void succeeded(String pipeline) {
    members.values().forEach(member -> member.succeeded(pipeline));
  }

  private void tell(String pipeline, Notice.Kind kind, String text) {
    listener.told(new Notice(pipeline, kind, text, Instant.now()));
  }

  /**
   * What is to be changed in a run that goes on.
   *
   * @param feeding all pipelines as they are to be
   * @param compiling compiles them
   * @param removed the names of those that are not any more
   * @param added those that are new
   */
  record Change(Feeding feeding, Compiling compiling, List<String> removed, List<Pipeline> added) {}

  /**
   * Changes what runs. Those whom it concerns are held still meanwhile, and go on where they were;
   * the others are not touched.
   *
   * @param before what is held still, and must be before the rest is known
   * @param switching is called when they stand still, and gives what follows
   * @throws InterruptedException if this thread was interrupted
   */
  void change(List<String> before, Supplier<Change> switching) throws InterruptedException {
    List<Member> still = before.stream().map(members::get).filter(Objects::nonNull).toList();
    changing.lockInterruptibly();
    try {
      for (Member member : still) {
        member.halt();
      }
      if (replayer != null) {
        replayer.halt(); // Whoever waits for it asks again.
        rebuilder.halt();
      }
      Change change = switching.get();
      for (String name : change.removed()) {
        Member member = members.get(name);
        member.stop();
        remove(name);
        holds.remove(name).close();
      }
      Launching launching = new Launching(on(), change.feeding(), change.compiling(), true);
      for (Pipeline pipeline : change.feeding().pipelines()) {
        Member member = members.get(pipeline.name());
        if (member != null) {
          member.replace(launching.of(pipeline));
        }
      }
      for (Pipeline pipeline : change.added()) {
        holds.put(pipeline.name(), state.hold(pipeline.name()));
        member(pipeline, launching).begin();
      }
    } finally {
      changing.unlock();
      still.forEach(Member::go);
    }
  }

  /** Holds a pipeline still; before it goes on it is looked whether its files were changed. */
  private boolean still(String pipeline, BooleanSupplier stopped, Rebuilder.Standstill.Work work)
      throws InterruptedException {
    while (!changing.tryLock(LOCK_MILLIS, TimeUnit.MILLISECONDS)) {
      if (stopped.getAsBoolean()) {
        return false;
      }
    }
    Optional<Member> member = Optional.ofNullable(members.get(pipeline));
    boolean done = false;
    try {
      try {
        if (member.isPresent()) {
          member.get().halt();
        }
        done = work.work();
      } finally {
        changing.unlock();
      }
      if (done) {
        rereads.run();
      }
    } finally {
      member.ifPresent(Member::go);
    }
    return done;
  }

  private synchronized void remove(String name) {
    Map<String, Member> fewer = new LinkedHashMap<>(members);
    fewer.remove(name);
    members = fewer;
  }

  /** Tells something about the run of all. */
  void tell(Notice.Kind kind, String text) {
    tell("", kind, text);
  }

  /**
   * Lets dead letters be replayed, and tables be built again, beside the run.
   *
   * @param scene what the workspace is
   */
  void beside(Supplier<Scene> scene) {
    replayer = new Replayer(scene, state, lanes, options, listener, holds::containsKey);
    rebuilder =
        new Rebuilder(scene, state, lanes, options, listener, holds::containsKey, this::still);
  }

  /** Looks whether files were changed as long as the run goes on. */
  void reloading(Reloading reloading) {
    beside = reloading;
    rereads = reloading::now;
  }

  /** Lets other processes ask as long as this runs; if that cannot be, it is told. */
  WorkspaceRun askedBy(Supplier<AskedRun> start) {
    try {
      asked = start.get();
    } catch (OutsideException e) {
      tell("", Notice.Kind.INTAKE, e.getMessage());
    }
    return this;
  }

  /** How far each pipeline has got since the start, by name. */
  public Map<String, Progress> progress() {
    Map<String, Progress> progress = new LinkedHashMap<>();
    members.forEach((name, member) -> progress.put(name, member.progress()));
    return progress;
  }

  /** How each pipeline stands, by name. */
  public List<PipelineStatus> status() {
    return members.values().stream().map(Member::status).toList();
  }

  /**
   * The latest things that a user should know and that ended no run, oldest first; asking takes
   * nothing away. Who wants to be told each one gives a listener.
   */
  public List<Notice> notices() {
    return notices.latest();
  }

  /** Whether every pipeline has ended. */
  public boolean ended() {
    return members.values().stream().allMatch(Member::ended);
  }

  /**
   * Lets a pipeline wait until it is resumed; what it holds is flushed first. Returns at once.
   *
   * @return false if it has ended
   * @throws IllegalArgumentException if there is no pipeline of that name in this run
   */
  public boolean pause(String pipeline) {
    return known(pipeline).pause();
  }

  /**
   * Lets a pipeline go on after it was paused. Returns at once.
   *
   * @return false if it has ended
   * @throws IllegalArgumentException if there is no pipeline of that name in this run
   */
  public boolean resume(String pipeline) {
    return known(pipeline).resume();
  }

  /**
   * Lets one pipeline end soon, as {@link #stop()} does with all.
   *
   * @throws IllegalArgumentException if there is no pipeline of that name in this run
   */
  public void stop(String pipeline) {
    known(pipeline).stop();
  }

  /** Answers what another process asks of the run; empty if it is not about this one. */
  Optional<Answer> answer(Question question) {
    String pipeline = question.text();
    if (question.kind() == Question.Kind.STATUS) {
      return Optional.of(AskedStatus.answer(status()));
    }
    if (question.kind() == Question.Kind.REPLAY) {
      String[] parts = pipeline.split("\n", 3);
      return replayer.answer(parts[0], parts[2], parts[1].equals("any"));
    }
    if (question.kind() == Question.Kind.REBUILD) {
      String[] parts = pipeline.split("\n", 4);
      return rebuilder.answer(
          parts[0],
          Long.parseLong(parts[2]),
          Rebuilder.Act.valueOf(parts[3]),
          parts[1].equals("any"));
    }
    if (!members.containsKey(pipeline)) {
      return Optional.empty();
    }
    switch (question.kind()) {
      case PAUSE -> pause(pipeline);
      case RESUME -> resume(pipeline);
      default -> stop(pipeline);
    }
    return Optional.of(AskedStatus.answer(List.of(known(pipeline).status())));
  }

  private Member known(String pipeline) {
    Member member = members.get(pipeline);
    if (member == null) {
      throw new IllegalArgumentException("this run has no pipeline " + pipeline);
    }
    return member;
  }

  /**
   * Lets all pipelines end soon: what is shaped is flushed and accounted for, and what was only
   * read is left to the next run. Returns at once.
   */
  public void stop() {
    members.values().forEach(Member::stop);
  }

  /**
   * Waits until all pipelines have ended: drained, stopped or failed for good.
   *
   * @throws OutsideException if the world outside failed
   * @throws InterruptedException if this thread was interrupted
   */
  public void await() throws InterruptedException {
    long begun = System.nanoTime();
    while (!ended()) {
      if (options.strict() && members.values().stream().anyMatch(Member::failedForGood)) {
        stop();
      }
      // A short run is not kept waiting; a long one need not be asked so often.
      Thread.sleep(System.nanoTime() - begun < SHORT_NANOS ? 5 : 50);
    }
    for (Member member : members.values()) {
      try {
        member.await();
      } catch (RuntimeException e) {
        told = true;
        throw e;
      }
    }
  }

  private void closeBeside() {
    try {
      beside.close();
    } catch (Exception e) {
      throw new IllegalStateException(e);
    }
  }

  /** Stops and waits; then the pipelines can be run again. */
  @Override
  public void close() {
    closeBeside();
    stop();
    if (replayer != null) {
      replayer.close();
      rebuilder.close();
    }
    RuntimeException failure = null;
    if (asked != null) {
      asked.close();
      asked = null;
    }
    for (Member member : members.values()) {
      try {
        member.await();
      } catch (InterruptedException e) {
        Thread.currentThread().interrupt();
      } catch (RuntimeException e) {
        failure = failure == null ? e : failure;
      }
    }
    threads.shutdown();
    lanes.close();
    holds.values().forEach(Hold::close);
    holds.clear();
    if (failure != null && !told) {
      throw failure;
    }
  }
}

package io.wexrun.project.run;

import io.wexrun.core.diagnose.MistakesException;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.run.Notice;
import io.wexrun.core.run.PipelineRun;
import io.wexrun.core.run.Progress;
import io.wexrun.core.run.RunListener;
import io.wexrun.core.run.RunOptions;
import io.wexrun.core.run.Situation;
import io.wexrun.core.run.Work;
import io.wexrun.project.facts.PipelineStatus;
import io.wexrun.project.facts.PipelineStatus.State;
import io.wexrun.project.time.Schedule;
import io.wexrun.state.RunHistory;
import java.time.Duration;
import java.time.Instant;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeMap;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.ExecutionException;
import java.util.concurrent.ScheduledExecutorService;
import java.util.concurrent.ThreadLocalRandom;
import java.util.concurrent.TimeUnit;
import java.util.function.BooleanSupplier;
import java.util.function.Consumer;
import java.util.function.Function;
import java.util.function.LongSupplier;
import java.util.stream.Collectors;

/**
 * One pipeline of a run: what starts it, what it does, and when it is started again after it has
 * failed, without the others being touched. For several threads.
 */
public final class Member {
  /** Starts a pipeline; what it throws is why it cannot be started now. */
  @FunctionalInterface
  public interface Starter {
    PipelineRun start(Instant now);
  }

  /**
   * How a pipeline is run.
   *
   * @param starter starts it
   * @param schedule when; empty if it is started with the run, and goes on as long as that does
   * @param arrived whether there is something new for it; asked if it is started by that
   * @param retryNow lets its stores be tried again at once, whatever they asked for
   * @param values those of its parameters, by when it is started
   */
  public record Plan(
      Starter starter,
      Optional<Schedule> schedule,
      BooleanSupplier arrived,
      Runnable retryNow,
      Function<Instant, Map<String, String>> values) {}

  /** How a run has ended that waits until a person lets it continue. */
  public static final String HELD = "held";

  /** The share of a wait by which it may be longer or shorter. */
  private static final double SPREAD = 0.25;

  private final String name;
  private final RunOptions options;
  private final ScheduledExecutorService threads;
  private final RunListener listener;
  private final RunHistory history;
  private final CompletableFuture<Void> end = new CompletableFuture<>();
  private final Consumer<String> succeeded;
  private final String always;
  private String with = "";
  private final Set<String> done = new HashSet<>();
  private Plan plan;
  private int triesLeft;
  private long sleep;
  private PipelineRun run;
  private Progress before = Progress.NONE;
  private Work workBefore = Work.NONE;
  private State state = State.STARTING;
  private Instant since = Instant.now();
  private Optional<String> why = Optional.empty();
  private Optional<Instant> next = Optional.empty();
  private long failures;
  private Duration delay;
  private Situation lastSituation = Situation.NONE;
  private String lastBug = "";
  private long bugTimes;
  private String told = "";
  private boolean stopped;
  private boolean paused;
  private Optional<String> holds = Optional.empty();
  private boolean begins;
  private int halted;
  private boolean resumes;
  private String reason = "the run was started";
  private long number;
  private Instant started;
  private final Rate rate = new Rate();

  /**
   * A pipeline that has not begun.
   *
   * @param threads start it, and wait until it is started again
   * @param history where it is noted when it ran
   * @param succeeded is told its name when a planned run has ended well
   * @param with what it was started with, for the history; may be empty
   */
  public Member(
      String name,
      Plan plan,
      RunOptions options,
      ScheduledExecutorService threads,
      RunListener listener,
      RunHistory history,
      Consumer<String> succeeded,
      String with) {
    this.name = name;
    this.plan = plan;
    this.succeeded = succeeded;
    this.always = with;
    this.options = options;
    this.threads = threads;
    this.listener = listener;
    this.history = history;
    this.delay = options.retry().first();
  }

  /** Starts it, on a thread of its own if need be. */
  public void begin() {
    Optional<Schedule> schedule = schedule();
    if (schedule.isEmpty()) {
      threads.execute(this::attempt);
      return;
    }
    Instant now = Instant.now();
    Optional<Instant> last = lastStart();
    sleepUntil(schedule.get().first(last, now));
  }

  private Optional<Instant> lastStart() {
    try {
      return history.lastStart(name);
    } catch (OutsideException e) {
      return Optional.empty(); // As if it had never run: what is taken twice is passed over.
    }
  }

  private synchronized Optional<Schedule> schedule() {
    return plan.schedule();
  }

  /** Starts it when others have ended well; if one has not, it has ended by that. */
  public void beginAfter(List<Member> others) {
    synchronized (this) {
      reason = "after " + others.stream().map(m -> m.name).collect(Collectors.joining(", "));
    }
    CompletableFuture.allOf(others.stream().map(m -> m.end).toArray(CompletableFuture[]::new))
        .whenComplete((nothing, failure) -> threads.execute(() -> afterOthers(others)));
  }

  private void afterOthers(List<Member> others) {
    List<String> failed =
        others.stream().filter(Member::failedForGood).map(member -> member.name).toList();
    if (failed.isEmpty()) {
      attempt();
      return;
    }
    synchronized (this) {
      finish(
          new OutsideException(
              "pipeline "
                  + name
                  + " was not started, since "
                  + String.join(", ", failed)
                  + (failed.size() == 1 ? " has" : " have")
                  + " failed"));
    }
  }

  /** Waits for its time, or for others if there is none. */
  private void sleepUntil(Optional<Instant> time) {
    long mine;
    synchronized (this) {
      mine = ++sleep;
      triesLeft = plan.schedule().map(s -> s.start().retries()).orElse(0);
      boolean looks = plan.schedule().flatMap(s -> s.start().arrivals()).isPresent();
      enter(
          State.SLEEPING,
          looks ? Optional.of("waits for files to come") : Optional.empty(),
          looks ? Optional.empty() : time);
    }
    time.ifPresent(
        at -> {
          long millis = Math.max(0, Duration.between(Instant.now(), at).toMillis());
          threads.schedule(() -> due(mine), millis, TimeUnit.MILLISECONDS);
        });
  }

  private void due(long mine) {
    Optional<Schedule> looks;
    BooleanSupplier arrived;
    synchronized (this) {
      if (sleep != mine || state != State.SLEEPING) {
        return; // It was started meanwhile, or its times were changed.
      }
      looks = plan.schedule().filter(s -> s.start().arrivals().isPresent());
      arrived = plan.arrived();
      reason = looks.isPresent() ? "files had come" : "its time had come";
    }
    if (looks.isPresent() && !hasArrived(arrived)) {
      lookAgain(mine, looks.get());
    } else {
      attempt();
    }
  }

  /** If it cannot be looked, the start tells why. */
  private static boolean hasArrived(BooleanSupplier arrived) {
    try {
      return arrived.getAsBoolean();
    } catch (OutsideException e) {
      return true;
    }
  }

  private void lookAgain(long mine, Schedule schedule) {
    long millis = schedule.start().arrivals().orElseThrow().toMillis();
    threads.schedule(() -> due(mine), millis, TimeUnit.MILLISECONDS);
  }

  /** Another pipeline has succeeded; it is started, if that was the last one it waited for. */
  public void succeeded(String other) {
    synchronized (this) {
      List<String> after = plan.schedule().map(s -> s.start().after()).orElse(List.of());
      if (!after.contains(other)) {
        return;
      }
      done.add(other);
      if (!done.containsAll(after) || state != State.SLEEPING) {
        return; // While it runs, or is paused, it is started once afterwards.
      }
      done.clear();
      reason = "after " + String.join(", ", after);
    }
    threads.execute(this::attempt);
  }

  /** Starts it now; if that fails and it is not started again, it has ended. */
  public void attempt() {
    Plan how;
    synchronized (this) {
      if (stopped
          || paused
          || holds.isPresent()
          || halted > 0
          || begins
          || run != null
          || end.isDone()) {
        return;
      }
      begins = true;
      enter(State.STARTING, Optional.empty(), Optional.empty());
      how = plan;
    }
    try {
      Instant at = Instant.now();
      PipelineRun started = how.starter().start(at);
      String values = with(how.values().apply(at));
      synchronized (this) {
        begins = false;
        run = started;
        this.started = at;
        with = always + values;
        number = noted(() -> history.begun(name, reason + with, at));
        notifyAll();
        enter(State.RUNNING, Optional.empty(), Optional.empty());
        if (stopped || paused || halted > 0) {
          started.stop(); // Somebody has said so meanwhile.
        }
      }
      started.whenEnded(() -> threads.execute(() -> ended(started)));
      tellThatItRuns();
    } catch (Throwable e) {
      after(e, null);
    }
  }

  /** Parameters and their values, for the history. */
  public static String with(Map<String, String> values) {
    return values.isEmpty()
        ? ""
        : new TreeMap<>(values)
            .entrySet().stream()
                .map(each -> each.getKey() + "=" + each.getValue())
                .collect(Collectors.joining(", ", ", with ", ""));
  }

  private void enter(State now, Optional<String> reason, Optional<Instant> again) {
    state = now;
    since = Instant.now();
    why = reason;
    next = again;
  }

  private void ended(PipelineRun ended) {
    Throwable failure = null;
    try {
      ended.await();
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      failure = e;
    } catch (RuntimeException e) {
      failure = e;
    }
    after(failure, ended);
  }

  /**
   * What comes after it has ended, or could not be started.
   *
   * @param ended the run that has ended; null if none was started
   */
  private void after(Throwable failure, PipelineRun ended) {
    boolean waits =
        failure instanceof OutsideException outside
            && outside.waitsUntilTold()
            && options.startsAgain();
    if (waits) {
      tell(message(failure));
    }
    boolean again;
    synchronized (this) {
      begins = false;
      if (ended != null) {
        before = before.plus(ended.progress());
        workBefore = workBefore.plus(ended.work());
        Situation left = ended.situation();
        lastSituation = left.backlog().isPresent() ? left : lastSituation;
        run = null;
        note(failure, ended.progress());
        if (Duration.between(since, Instant.now()).compareTo(options.retry().longest()) > 0) {
          delay = options.retry().first(); // It had come back for good.
        }
      }
      notifyAll();
      holds = waits && !resumes ? Optional.of(message(failure)) : Optional.empty();
      boolean still = paused || halted > 0 || resumes || holds.isPresent();
      boolean planned = plan.schedule().isPresent();
      boolean over = failure == null || failure instanceof MistakesException;
      if (stopped || !still && !planned && (over || !options.startsAgain())) {
        // Who is stopped need not know why it could not be started.
        finish(stopped && ended == null && options.startsAgain() ? null : failure);
        return;
      }
      again = resumes && !paused && halted == 0;
      resumes = false;
      if (still) {
        boolean held = paused || holds.isPresent();
        enter(held ? State.PAUSED : State.STARTING, holds, Optional.empty());
        reason = paused || again ? "it was resumed" : "its files were changed";
        if (!again) {
          return; // Whoever holds it lets it go on.
        }
      }
    }
    if (again) {
      threads.execute(this::attempt);
    } else if (schedule().isPresent() && (failure == null || triesLeft() == 0)) {
      endOfPlanned(failure);
    } else {
      failed(failure);
    }
  }

  private synchronized int triesLeft() {
    return triesLeft;
  }

  private void endOfPlanned(Throwable failure) {
    if (failure == null) {
      tellThatItRuns();
    } else {
      tell("failed, and waits for its next time: " + message(failure));
    }
    sleepUntil(nextTime());
    if (failure == null) {
      succeeded.accept(name);
    }
    boolean asked;
    synchronized (this) {
      List<String> after = plan.schedule().orElseThrow().start().after();
      asked = !after.isEmpty() && done.containsAll(after);
    }
    if (asked) {
      List.copyOf(done).stream().findFirst().ifPresent(this::succeeded);
    }
  }

  private synchronized Optional<Instant> nextTime() {
    Instant now = Instant.now();
    return plan.schedule().orElseThrow().again(started == null ? now : started, now);
  }

  /** Notes how a run has ended. Called with the lock. */
  private void note(Throwable failure, Progress done) {
    String how =
        failure instanceof OutsideException outside && outside.waitsUntilTold()
            ? HELD
            : failure != null
                ? "failed"
                : stopped ? "stopped" : paused ? "paused" : halted > 0 ? "changed" : "drained";
    RunHistory.Ran ran =
        new RunHistory.Ran(
            number,
            name,
            reason + with,
            started,
            Optional.of(Instant.now()),
            how,
            done.taken(),
            done.loaded(),
            done.dead(),
            failure == null ? "" : message(failure));
    noted(
        () -> {
          history.ended(ran);
          return ran.number();
        });
  }

  /** What is only for people to read must not end what loads. */
  private long noted(LongSupplier note) {
    try {
      return note.getAsLong();
    } catch (OutsideException e) {
      threads.execute(
          () ->
              listener.told(
                  new Notice(
                      name,
                      Notice.Kind.INTAKE,
                      "its run is not noted in the history: " + e.getMessage(),
                      Instant.now())));
      return 0;
    }
  }

  /** Called with the lock. */
  private void finish(Throwable failure) {
    enter(
        State.ENDED,
        failure == null ? Optional.empty() : Optional.of(message(failure)),
        Optional.empty());
    if (failure == null) {
      end.complete(null);
    } else {
      end.completeExceptionally(failure);
    }
  }

  private void failed(Throwable failure) {
    if (!(failure instanceof OutsideException)) {
      logBug(failure);
    }
    boolean lasting = failure instanceof OutsideException outside && outside.lasting();
    long millis;
    synchronized (this) {
      failures++;
      triesLeft = Math.max(0, triesLeft - 1);
      reason = "it had failed";
      // What only a person can mend need not be tried often.
      Duration wait = lasting ? options.retry().longest() : delay;
      double spread = ThreadLocalRandom.current().nextDouble(1 - SPREAD, 1 + SPREAD);
      millis = (long) (wait.toMillis() * spread);
      Duration twice = delay.multipliedBy(2);
      Duration most = options.retry().longest();
      delay = twice.compareTo(most) < 0 ? twice : most;
      enter(
          State.FAILED,
          Optional.of(message(failure)),
          Optional.of(Instant.now().plusMillis(millis)));
    }
    tell("failed, and is started again after a while: " + message(failure));
    threads.schedule(this::attempt, millis, TimeUnit.MILLISECONDS);
  }

  /** Where it failed is logged once; that it fails again, when it has failed twice as often. */
  private void logBug(Throwable failure) {
    StackTraceElement[] places = failure.getStackTrace();
    String bug = failure + (places.length == 0 ? "" : " " + places[0]);
    bugTimes = bug.equals(lastBug) ? bugTimes + 1 : 1;
    lastBug = bug;
    System.Logger log = System.getLogger(Member.class.getName());
    if (bugTimes == 1) {
      log.log(System.Logger.Level.ERROR, "pipeline " + name + " failed by a bug", failure);
    } else if (Long.bitCount(bugTimes) == 1) {
      log.log(
          System.Logger.Level.ERROR,
          "pipeline " + name + " failed " + bugTimes + " times by the same bug: " + failure);
    }
  }

  private static String message(Throwable failure) {
    return failure.getMessage() == null ? failure.toString() : failure.getMessage();
  }

  /** Tells why it does not run, but not the same thing again. */
  private void tell(String text) {
    synchronized (this) {
      if (text.equals(told)) {
        return;
      }
      told = text;
    }
    listener.told(new Notice(name, Notice.Kind.WAITS, text, Instant.now()));
  }

  private void tellThatItRuns() {
    synchronized (this) {
      if (told.isEmpty()) {
        return;
      }
      told = "";
    }
    listener.told(new Notice(name, Notice.Kind.GOES_ON, "runs again", Instant.now()));
  }

  /** From now on it is started in another way. */
  public synchronized void replace(Plan other) {
    plan = other;
    delay = options.retry().first();
  }

  /**
   * Holds it still, so that something can be changed; what it holds is flushed and accounted for
   * first. Waits until that is done.
   *
   * @throws InterruptedException if this thread was interrupted
   */
  public void halt() throws InterruptedException {
    synchronized (this) {
      halted++;
      if (run != null) {
        run.stop();
      }
      while (run != null || begins) {
        wait();
      }
    }
  }

  /** Lets it go on after it was held still, unless somebody else holds it too. */
  public void go() {
    synchronized (this) {
      halted--;
      if (halted > 0) {
        return;
      }
      holds = Optional.empty(); // It may be mended.
    }
    if (schedule().isPresent()) {
      begin();
    } else {
      threads.execute(this::attempt);
    }
  }

  /** Lets it wait until it is resumed; what it holds is flushed first. False if it has ended. */
  public synchronized boolean pause() {
    if (end.isDone() || stopped) {
      return false;
    }
    paused = true;
    if (run != null) {
      run.stop();
    } else if (!begins) {
      enter(State.PAUSED, Optional.empty(), Optional.empty());
    }
    return true;
  }

  /**
   * Continues after it was paused; if it waits for something, tries again at once. False if it has
   * ended.
   */
  public boolean resume() {
    PipelineRun runs;
    Plan how;
    synchronized (this) {
      if (end.isDone() || stopped) {
        return false;
      }
      runs = paused ? null : run;
      resumes = paused && run != null; // It is still being stopped, and starts again then.
      paused = false;
      holds = Optional.empty();
      how = plan;
    }
    how.retryNow().run();
    if (runs != null) {
      runs.retryNow();
    } else {
      threads.execute(this::attempt);
    }
    return true;
  }

  /** Lets it end soon: what is shaped is flushed and accounted for. Returns at once. */
  public void stop() {
    synchronized (this) {
      stopped = true;
      if (run != null) {
        run.stop();
      } else if (!begins && !end.isDone()) {
        finish(null);
      }
    }
  }

  /** Whether it has ended. */
  public boolean ended() {
    return end.isDone();
  }

  /** Whether it has ended by a failure. */
  public boolean failedForGood() {
    return end.isCompletedExceptionally();
  }

  /** The failure by which it has ended; null if it has not, or well. */
  public Throwable failure() {
    return failedForGood() ? end.handle((nothing, failure) -> failure).join() : null;
  }

  /**
   * Waits until it has ended.
   *
   * @throws OutsideException if the world outside made it fail
   * @throws InterruptedException if this thread was interrupted
   */
  public void await() throws InterruptedException {
    try {
      end.get();
    } catch (ExecutionException e) {
      if (e.getCause() instanceof RuntimeException cause) {
        throw cause;
      }
      throw new IllegalStateException(
          "pipeline " + name + " failed: " + e.getCause(), e.getCause());
    }
  }

  /** What it has done since the run began. */
  public synchronized Progress progress() {
    return run == null ? before : before.plus(run.progress());
  }

  /** What it has done in each place since the run began, and how long it took. */
  public synchronized Work work() {
    return run == null ? workBefore : workBefore.plus(run.work());
  }

  /** Looks how far it has got; called about once a second. */
  public synchronized void see() {
    rate.see(System.nanoTime(), progress().taken());
  }

  /** How it stands. */
  public synchronized PipelineStatus status() {
    Optional<String> waits = run == null ? Optional.empty() : run.waits();
    return new PipelineStatus(
        name,
        waits.isPresent() ? State.WAITING : state,
        since,
        waits.or(() -> why),
        next,
        failures,
        rate.perSecond(),
        progress(),
        situation(),
        work());
  }

  /** Between two starts, and until it is known anew, it is as far behind as it was. */
  private Situation situation() {
    Situation now = run == null ? Situation.NONE : run.situation();
    boolean startsAgain = state == State.FAILED || failures > 0;
    return startsAgain && now.backlog().isEmpty() ? lastSituation : now;
  }
}

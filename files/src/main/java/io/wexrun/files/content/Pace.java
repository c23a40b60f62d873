package io.wexrun.files.content;

import java.io.Closeable;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.util.Collection;
import java.util.Optional;
import java.util.Set;
import java.util.function.Consumer;
import java.util.function.Predicate;

/**
 * Says when to look again. Where the system's events tell what has happened, that is when they do,
 * and every few seconds to be sure; elsewhere often. Looking at very many files takes its time, and
 * must not take all. For one thread.
 */
public final class Pace implements Closeable {
  private static final long SHORT_NANOS = Duration.ofMillis(20).toNanos();
  private static final long SURE_NANOS = Duration.ofSeconds(10).toNanos();

  /** A look to be sure is to take at most one part of so many. */
  private static final int SURE_PARTS = 200;

  /** Where nothing tells of new lines, they are looked for so often. */
  private static final long REST_MILLIS = 50;

  private static final Duration WITH_EVENTS = Duration.ofSeconds(2);
  private static final Duration WITHOUT_EVENTS = Duration.ofMillis(100);

  /** What is written together need not be read one by one. */
  private static final long GATHER_MILLIS = 20;

  /** A look is to take at most one part of so many. */
  private static final int PARTS = 6;

  private final Consumer<String> notices;
  private Optional<Watching> watching;
  private boolean more = true;
  private long lookedAt;
  private long took;

  /** A pace at which the first look is due. */
  public Pace(Consumer<String> notices) {
    this.notices = notices;
    this.watching = Watching.begin();
  }

  /** Whether it is time for a look at everything. */
  public boolean due() {
    long since = System.nanoTime() - lookedAt;
    boolean bearable = took < SHORT_NANOS || since > (PARTS - 1) * took;
    return bearable
        && (more || watching.isEmpty() || since > Math.max(SURE_NANOS, SURE_PARTS * took));
  }

  /**
   * Files that were written to, as far as the system's events tell; does not wait. If others came
   * or went, a look is due.
   *
   * @param concerns whether a file is of interest
   */
  public Set<Path> written(Predicate<Path> concerns) {
    if (watching.isEmpty()) {
      return Set.of();
    }
    Watching.News news = watching.get().news();
    more |=
        news.unknown()
            || news.others().stream().anyMatch(p -> concerns.test(p) || Files.isDirectory(p));
    news.written().removeIf(concerns.negate());
    return news.written();
  }

  /** Something has happened of which only a look at everything tells what it was. */
  public void unclear() {
    more = true;
  }

  /** A look is made now: what happens from now on is for the next one. */
  public void begin(Collection<Path> folders) {
    more = false;
    if (watching.isPresent()) {
      Optional<String> why = watching.get().watch(folders);
      if (why.isPresent()) {
        notices.accept(why.get() + "; new lines are looked for twice a second");
        close();
        watching = Optional.empty();
      }
    }
  }

  /** A look that began at a time has ended; in nanoseconds as {@link System#nanoTime} has them. */
  public void looked(long begun) {
    lookedAt = System.nanoTime();
    took = lookedAt - begun;
  }

  /** Says who is called, from any thread, when the system's events tell that a look is worth it. */
  public void listen(Runnable come) {
    watching.ifPresent(events -> events.listen(come));
  }

  /** How long files may be left alone while no event tells of them. */
  public Duration patience() {
    return watching.isPresent() ? WITH_EVENTS : WITHOUT_EVENTS;
  }

  /**
   * Waits until it may be worth a look at the files that are read; an interrupt ends it, and is
   * kept.
   *
   * @param most not longer than that
   */
  public void rest(Duration most) {
    if (most.isZero()) {
      return;
    }
    try {
      if (watching.isEmpty()) {
        Thread.sleep(Math.max(1, Math.min(REST_MILLIS, most.toMillis())));
      } else if (watching.get().await(Math.max(1, most.toMillis()))) {
        Thread.sleep(Math.min(GATHER_MILLIS, Math.max(1, most.toMillis())));
      }
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    }
  }

  /** The next look is due at once. */
  public void soon() {
    took = 0;
    more = true;
  }

  @Override
  public void close() {
    watching.ifPresent(Watching::close);
  }
}

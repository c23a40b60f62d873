package io.wexrun.core.run;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.ArrayList;
import java.util.List;
import java.util.concurrent.CountDownLatch;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicBoolean;
import java.util.concurrent.atomic.AtomicInteger;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.Test;

class TurnsTest {
  private final Turns turns = new Turns();

  @AfterEach
  void close() {
    turns.close();
  }

  private static long threads() {
    return Thread.getAllStackTraces().keySet().stream()
        .filter(thread -> thread.getName().startsWith("wexrun-turns-"))
        .count();
  }

  @Test
  void whoIsWokenWhileItsTurnIsUnderWayHasAnotherOneBehindIt() throws Exception {
    AtomicInteger inside = new AtomicInteger();
    AtomicInteger done = new AtomicInteger();
    AtomicBoolean twice = new AtomicBoolean();
    CountDownLatch end = new CountDownLatch(1);
    AtomicInteger asked = new AtomicInteger();
    Turns.Task task =
        turns.of(
            () -> {
              twice.compareAndSet(false, inside.incrementAndGet() > 1);
              done.set(asked.get()); // What was asked before the turn began is seen in it.
              inside.decrementAndGet();
              if (done.get() == 40_000) {
                end.countDown();
              }
              return Turns.WHEN_WOKEN;
            });
    List<Thread> wakers = new ArrayList<>();
    for (int i = 0; i < 4; i++) {
      wakers.add(
          new Thread(
              () -> {
                for (int n = 0; n < 10_000; n++) {
                  asked.incrementAndGet();
                  task.wakeWithin(n % 3);
                }
              }));
    }
    wakers.forEach(Thread::start);
    assertThat(end.await(20, TimeUnit.SECONDS)).as("the last wake was not lost").isTrue();
    assertThat(twice).isFalse();
  }

  @Test
  void manyThatRestNeedHardlyAnyThread() throws Exception {
    CountDownLatch each = new CountDownLatch(3 * 500);
    for (int i = 0; i < 500; i++) {
      turns
          .of(
              () -> {
                each.countDown();
                return 20;
              })
          .wake();
    }
    assertThat(each.await(20, TimeUnit.SECONDS)).isTrue();
    assertThat(threads()).isLessThan(100);
  }

  @Test
  void whoHangsDoesNotKeepOthersFromTheirTurns() throws Exception {
    CountDownLatch hangs = new CountDownLatch(1);
    for (int i = 0; i < 50; i++) {
      turns
          .of(
              () -> {
                try {
                  hangs.await();
                } catch (InterruptedException e) {
                  Thread.currentThread().interrupt();
                }
                return Turns.DONE;
              })
          .wake();
    }
    CountDownLatch other = new CountDownLatch(1);
    turns
        .of(
            () -> {
              other.countDown();
              return Turns.DONE;
            })
        .wake();
    assertThat(other.await(20, TimeUnit.SECONDS)).isTrue();
    hangs.countDown();
  }

  @Test
  void whatIsDoneHasNoTurnAnyMore() throws Exception {
    AtomicInteger had = new AtomicInteger();
    Turns.Task task =
        turns.of(
            () -> {
              had.incrementAndGet();
              return Turns.DONE;
            });
    task.wake();
    while (had.get() == 0) {
      Thread.onSpinWait();
    }
    CountDownLatch later = new CountDownLatch(1);
    task.wake();
    turns
        .of(
            () -> {
              later.countDown();
              return Turns.DONE;
            })
        .wakeWithin(50);
    assertThat(later.await(20, TimeUnit.SECONDS)).isTrue();
    assertThat(had).hasValue(1);
  }
}

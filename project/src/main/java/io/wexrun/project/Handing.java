package io.wexrun.project;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.target.Answer;
import io.wexrun.project.ask.Asking;
import io.wexrun.project.ask.Question;
import io.wexrun.state.HeldException;
import java.nio.file.Path;
import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.Optional;
import java.util.concurrent.atomic.AtomicReference;
import java.util.function.BooleanSupplier;
import java.util.function.Function;
import java.util.function.Supplier;

/**
 * Hands work on a pipeline to the run that has it or its stores, in whatever process; or does it in
 * this one, if there is none.
 */
final class Handing {
  private static final long ASK_MILLIS = 100;
  private static final Duration PATIENCE = Duration.ofSeconds(10);

  private final Path data;
  private final Function<String, Question> question;
  private final Runnable watch;

  /** Work that may be interrupted. */
  @FunctionalInterface
  interface Work {
    void work() throws InterruptedException;
  }

  /**
   * Hands something out.
   *
   * @param data the workspace's data folder
   * @param question what is asked; gets {@code own} if the run is to have the pipeline, or {@code
   *     any}
   * @param watch is called now and then
   */
  Handing(Path data, Function<String, Question> question, Runnable watch) {
    this.data = data;
    this.question = question;
    this.watch = watch;
  }

  /**
   * Waits until it is done.
   *
   * @param open whether anything is left to do
   * @param otherText what is wrong if the run has another text of the pipeline and keeps it
   * @param here does it in this process
   * @throws OutsideException if it failed
   */
  void toTheEnd(BooleanSupplier open, Supplier<OutsideException> otherText, Work here)
      throws InterruptedException {
    Instant patient = Instant.now().plus(PATIENCE);
    while (open.getAsBoolean()) {
      Optional<Answer> answer = askRuns();
      if (answer.isEmpty()) {
        try {
          here(here);
          return;
        } catch (HeldException e) {
          if (Instant.now().isAfter(patient)) {
            throw e;
          }
          Thread.sleep(ASK_MILLIS); // A run that has just started holds it and soon answers.
          continue;
        }
      }
      List<Object> row = answer.get().rows().get(0);
      switch (Beside.Standing.valueOf((String) row.get(0))) {
        case DONE -> {
          return;
        }
        case FAILED -> throw new OutsideException((String) row.get(1));
        case OTHER_TEXT -> {
          if (Instant.now().isAfter(patient)) {
            throw otherText.get();
          }
        }
        default -> patient = Instant.now().plus(PATIENCE);
      }
      watch.run();
      Thread.sleep(ASK_MILLIS);
    }
  }

  private Optional<Answer> askRuns() {
    for (String who : List.of("own", "any")) {
      try {
        Optional<Answer> answer = Asking.ask(data, "", question.apply(who));
        if (answer.isPresent()) {
          return answer;
        }
      } catch (OutsideException e) {
        if (Asking.isAnyThere(data)) {
          throw e;
        }
      }
    }
    return Optional.empty();
  }

  private void here(Work work) throws InterruptedException {
    AtomicReference<Throwable> failure = new AtomicReference<>();
    Thread thread =
        new Thread(
            () -> {
              try {
                work.work();
              } catch (InterruptedException e) {
                Thread.currentThread().interrupt();
              } catch (RuntimeException | Error e) {
                failure.set(e);
              }
            },
            "wexrun-beside");
    thread.start();
    while (thread.isAlive()) {
      thread.join(ASK_MILLIS);
      watch.run();
    }
    if (failure.get() instanceof Error error) {
      throw error;
    }
    if (failure.get() != null) {
      throw (RuntimeException) failure.get();
    }
  }
}

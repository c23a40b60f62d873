package io.wexrun.project;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.run.Notice;
import io.wexrun.core.run.RunListener;
import io.wexrun.core.target.Answer;
import io.wexrun.state.Hold;
import io.wexrun.state.WorkspaceState;
import java.time.Instant;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.function.Predicate;

/**
 * Work on pipelines that is done in this process beside their runs, or without: one piece for a
 * pipeline at a time. Whoever asks for it, in another process, asks again and again until it is
 * done. For several threads.
 */
final class Beside implements AutoCloseable {
  /** How a piece of work stands. */
  enum Standing {
    /** It is done. */
    DONE,
    /** It goes on. */
    RUNNING,
    /** It has failed; why is told once. */
    FAILED,
    /** Who asks has another text of the pipeline than this process. */
    OTHER_TEXT
  }

  /** A piece of work. */
  interface Piece {
    /**
     * Does it.
     *
     * @return false if it was stopped before its end
     */
    boolean work() throws InterruptedException;

    /** Lets it end soon; from any thread. */
    void stop();
  }

  private final String what;
  private final WorkspaceState state;
  private final RunListener listener;
  private final Predicate<String> held;
  private final Map<String, Piece> running = new HashMap<>();

  /** Who does it, as soon as somebody does. */
  private final Map<String, Thread> workers = new HashMap<>();

  /** What has ended and nobody was told yet, with why it failed; empty if it did not. */
  private final Map<String, String> ended = new HashMap<>();

  private boolean closed;

  /**
   * Nothing under way.
   *
   * @param what is done, for the names of threads and for messages: {@code replaying}
   * @param held whether this process holds a pipeline already
   */
  Beside(String what, WorkspaceState state, RunListener listener, Predicate<String> held) {
    this.what = what;
    this.state = state;
    this.listener = listener;
    this.held = held;
  }

  /** Begins a piece of work, if there is one to begin. */
  interface Beginning {
    /** Empty if all is done; or the standing to answer with. */
    Optional<Piece> begin() throws OtherTextException;
  }

  /** Who asks has another text of the pipeline than this process. */
  static final class OtherTextException extends Exception {
    private static final long serialVersionUID = 1;
  }

  /**
   * Tells how work on a pipeline stands, and begins it if it is not under way.
   *
   * @param asked what tells this piece from others on the same pipeline
   * @return empty if this process does not hold the pipeline, and {@code any} is not said
   */
  synchronized Optional<Answer> answer(
      String pipeline, String asked, boolean any, Beginning beginning) {
    if (!held.test(pipeline) && !any) {
      return Optional.empty();
    }
    if (running.containsKey(pipeline)) {
      return Optional.of(answer(Standing.RUNNING, ""));
    }
    String failure = ended.remove(pipeline + " " + asked);
    if (failure != null) {
      return Optional.of(answer(failure.isEmpty() ? Standing.DONE : Standing.FAILED, failure));
    }
    Optional<Piece> piece;
    try {
      piece = beginning.begin();
    } catch (OtherTextException e) {
      return Optional.of(answer(Standing.OTHER_TEXT, ""));
    }
    if (piece.isEmpty()) {
      return Optional.of(answer(Standing.DONE, ""));
    }
    note(pipeline, piece.get());
    Thread thread =
        new Thread(() -> onItsOwn(pipeline, asked, piece.get()), "wexrun-" + what + "-" + pipeline);
    thread.setDaemon(true);
    thread.start();
    return Optional.of(answer(Standing.RUNNING, ""));
  }

  private void note(String pipeline, Piece piece) {
    if (closed) {
      throw new OutsideException("this run ends; ask again");
    }
    running.put(pipeline, piece);
  }

  private void onItsOwn(String pipeline, String asked, Piece piece) {
    try {
      if (doing(pipeline, piece)) {
        end(pipeline, asked, "");
      }
    } catch (OutsideException e) {
      failed(pipeline, asked, e.getMessage());
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    } catch (RuntimeException | Error e) {
      System.getLogger(Beside.class.getName())
          .log(System.Logger.Level.ERROR, what + " " + pipeline + " failed by a bug", e);
      failed(pipeline, asked, "it failed by a bug: " + e);
    }
  }

  private synchronized void end(String pipeline, String asked, String failure) {
    ended.put(pipeline + " " + asked, failure);
  }

  private void failed(String pipeline, String asked, String why) {
    end(pipeline, asked, why);
    tell(pipeline, what + " it failed, and can be gone on with: " + why);
  }

  void tell(String pipeline, String text) {
    listener.told(new Notice(pipeline, Notice.Kind.INTAKE, text, Instant.now()));
  }

  /**
   * Does a piece of work in this thread.
   *
   * @return false if it was stopped
   * @throws OutsideException if the world outside failed, or the pipeline is held by another
   *     process
   */
  boolean run(String pipeline, Piece piece) throws InterruptedException {
    synchronized (this) {
      note(pipeline, piece);
    }
    return doing(pipeline, piece);
  }

  private boolean doing(String pipeline, Piece piece) throws InterruptedException {
    synchronized (this) {
      workers.put(pipeline, Thread.currentThread());
    }
    try (Hold hold = held.test(pipeline) ? null : state.hold(pipeline)) {
      return piece.work();
    } finally {
      synchronized (this) {
        running.remove(pipeline);
        workers.remove(pipeline);
        notifyAll();
      }
    }
  }

  private static Answer answer(Standing standing, String why) {
    return new Answer(
        List.of("standing", "why"), List.of(false, false), List.of(List.of(standing.name(), why)));
  }

  /**
   * Stops what is under way, and waits for it; what is left can be gone on with. What this thread
   * itself does is not stopped.
   *
   * @throws InterruptedException if this thread was interrupted
   */
  synchronized void halt() throws InterruptedException {
    others().forEach(name -> running.get(name).stop());
    while (!others().isEmpty()) {
      wait();
    }
  }

  private List<String> others() {
    return running.keySet().stream()
        .filter(name -> workers.get(name) != Thread.currentThread())
        .toList();
  }

  /** Stops what is under way, and begins nothing more. */
  @Override
  public void close() {
    synchronized (this) {
      closed = true;
    }
    try {
      halt();
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    }
  }
}

package io.wexrun.network.lines;

import io.wexrun.core.connect.IntakeOpening;
import io.wexrun.core.connect.Site;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.framing.Framings;
import io.wexrun.core.intake.Framing;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.written.Form;
import io.wexrun.network.door.Inbox;
import io.wexrun.network.door.Reception;
import io.wexrun.queue.Queue;
import java.io.IOException;
import java.io.InputStream;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.concurrent.CountDownLatch;

/**
 * {@code intake: {stdin: lines}}: what is written into the command's standard input. {@code run
 * --once} ends when that does.
 */
public final class InputConnector extends Reception {
  private static final int PIECE = 64 << 10;

  /** Found as a service. */
  public InputConnector() {
    super("stdin");
  }

  @Override
  protected Map<String, Form> own() {
    return Form.with(kind(), Form.any().about("how it is cut into records, such as lines"));
  }

  @Override
  protected boolean encrypts() {
    return false;
  }

  @Override
  protected boolean ends() {
    return true;
  }

  @Override
  public void check(Settings settings, Site site, KeyPath path, Diagnostics diagnostics) {
    super.check(settings, site, path, diagnostics);
    try {
      Framings.read(settings.values().get(kind()));
    } catch (IllegalArgumentException e) {
      diagnostics.error("bad-value", path.key(kind()), e.getMessage(), Optional.empty());
    }
  }

  @Override
  public Set<String> takesAway(Settings settings, Site site) {
    return Set.of("standard input");
  }

  @Override
  protected Entrance enter(IntakeOpening opening, Queue queue, Inbox inbox) {
    Settings settings = opening.settings();
    Framing framing = Framings.read(settings.values().get(kind()));
    Reading reading = new Reading(new Cutting(inbox, framing, longest(settings), Map.of()), inbox);
    reading.start();
    return reading;
  }

  /** Reads standard input in a thread of its own. */
  private static final class Reading implements Entrance {
    private final Cutting cutting;
    private final Inbox inbox;
    private final Thread thread = new Thread(this::read, "wexrun-stdin");
    private volatile boolean ended;
    private volatile boolean closed;
    private volatile Optional<String> failure = Optional.empty();

    Reading(Cutting cutting, Inbox inbox) {
      this.cutting = cutting;
      this.inbox = inbox;
      thread.setDaemon(true); // A read that waits for a terminal cannot be interrupted.
    }

    void start() {
      thread.start();
    }

    private void read() {
      byte[] piece = new byte[PIECE];
      InputStream in = System.in;
      try {
        for (int n = in.read(piece); n >= 0 && !closed; n = in.read(piece)) {
          cutting.add(piece, n);
          takeAll();
        }
        cutting.end();
        takeAll();
        inbox.awaitStored();
      } catch (IOException e) {
        failure = Optional.of("standard input cannot be read: " + e.getMessage());
      } finally {
        ended = true;
      }
    }

    private void takeAll() {
      while (!cutting.take() && !closed) {
        CountDownLatch room = new CountDownLatch(1);
        cutting.whenRoom(room::countDown);
        try {
          room.await();
        } catch (InterruptedException e) {
          Thread.currentThread().interrupt();
          return;
        }
      }
    }

    @Override
    public boolean ended() {
      return ended;
    }

    @Override
    public Optional<String> failure() {
      return failure;
    }

    @Override
    public void close() {
      closed = true;
      thread.interrupt();
    }
  }
}

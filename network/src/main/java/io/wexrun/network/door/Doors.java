package io.wexrun.network.door;

import io.netty.channel.EventLoopGroup;
import io.netty.channel.MultiThreadIoEventLoopGroup;
import io.netty.channel.nio.NioIoHandler;
import io.netty.util.concurrent.DefaultThreadFactory;
import io.netty.util.concurrent.EventExecutor;
import io.wexrun.core.connect.Site;
import java.util.HashMap;
import java.util.Map;
import java.util.concurrent.TimeUnit;
import java.util.function.Supplier;

/**
 * The open doors of a workspace, and the threads that serve them. Pipelines that listen at one
 * address share its door. For several threads.
 */
public final class Doors implements AutoCloseable {
  private static final long PATIENCE = 5;

  private final Map<String, Open<?>> doors = new HashMap<>();
  private EventLoopGroup loops;

  private Doors() {}

  /** The doors of a workspace; closed with it. */
  public static Doors of(Site site) {
    return site.shared(Doors.class, s -> new Doors());
  }

  /** Doors of nobody else; whoever has them closes them. */
  public static Doors own() {
    return new Doors();
  }

  private static final class Open<T extends AutoCloseable> {
    private final T door;
    private int users;

    Open(T door) {
      this.door = door;
    }
  }

  /** The threads that serve all doors. */
  public synchronized EventLoopGroup loops() {
    if (loops == null) {
      loops =
          new MultiThreadIoEventLoopGroup(
              Math.max(1, Runtime.getRuntime().availableProcessors()),
              new DefaultThreadFactory("wexrun-door", true),
              NioIoHandler.newFactory());
    }
    return loops;
  }

  /**
   * A door that is opened once, whoever uses it, until all have let go of it.
   *
   * @param name what tells it from others, such as its address
   */
  @SuppressWarnings("unchecked")
  public synchronized <T extends AutoCloseable> T use(String name, Supplier<T> open) {
    Open<?> door = doors.get(name);
    if (door == null) {
      door = new Open<>(open.get());
      doors.put(name, door);
    }
    door.users++;
    return (T) door.door;
  }

  /** One user less; the door of the last one is closed. */
  public synchronized void letGo(String name) {
    Open<?> door = doors.get(name);
    if (door != null && --door.users == 0) {
      doors.remove(name);
      close(door.door);
    }
  }

  /** Returns when what the threads have to do now is done. */
  public void settle() {
    EventLoopGroup running;
    synchronized (this) {
      running = loops;
    }
    // What closes a connection tells of it in a task of its own, behind the one that closes it.
    for (int i = 0; i < 2 && running != null; i++) {
      for (EventExecutor loop : running) {
        loop.submit(() -> {}).awaitUninterruptibly();
      }
    }
  }

  private static void close(AutoCloseable door) {
    try {
      door.close();
    } catch (RuntimeException e) {
      throw e;
    } catch (Exception e) {
      throw new IllegalStateException("a door cannot be closed", e);
    }
  }

  @Override
  public void close() {
    EventLoopGroup running;
    synchronized (this) {
      doors.values().forEach(open -> close(open.door));
      doors.clear();
      running = loops;
      loops = null;
    }
    if (running != null) {
      running.shutdownGracefully(0, PATIENCE, TimeUnit.SECONDS).awaitUninterruptibly();
    }
  }
}

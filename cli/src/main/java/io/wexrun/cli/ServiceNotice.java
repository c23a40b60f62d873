package io.wexrun.cli;

import com.sun.jna.LastErrorException;
import com.sun.jna.Library;
import com.sun.jna.Native;
import io.wexrun.project.facts.PipelineStatus;
import java.nio.ByteBuffer;
import java.nio.ByteOrder;
import java.nio.charset.StandardCharsets;
import java.util.EnumMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.Executors;
import java.util.concurrent.ScheduledExecutorService;
import java.util.concurrent.TimeUnit;
import java.util.function.Supplier;
import java.util.stream.Collectors;

/**
 * Tells the system's service manager that a run is up, how it stands, and over and over that it is
 * alive: the protocol of sd_notify(3), datagrams of {@code NAME=VALUE} lines to the socket that
 * {@code NOTIFY_SOCKET} names. If the manager cannot be told, that is said once, and the run goes
 * on.
 */
final class ServiceNotice implements AutoCloseable {
  private static final int AF_UNIX = 1;
  private static final int SOCK_DGRAM = 2;
  private static final int SOCK_CLOEXEC = 0x80000;

  /** A manager that does not read must not hold up the run. */
  private static final int MSG_DONTWAIT = 0x40;

  private static final int LONGEST_PATH = 107;
  private static final long STATUS_MILLIS = 10_000;

  /** The part of the C library that this needs. */
  interface C extends Library {
    int socket(int domain, int type, int protocol) throws LastErrorException;

    int sendto(int socket, byte[] data, long length, int flags, byte[] address, int size)
        throws LastErrorException;

    int close(int socket) throws LastErrorException;
  }

  private final C c;
  private final int socket;
  private final byte[] address;
  private final Terminal terminal;
  private final Supplier<List<PipelineStatus>> status;
  private final ScheduledExecutorService clock =
      Executors.newSingleThreadScheduledExecutor(
          work -> {
            Thread thread = new Thread(work, "wexrun-service");
            thread.setDaemon(true);
            return thread;
          });
  private boolean told;

  private ServiceNotice(
      C c, byte[] address, Terminal terminal, Supplier<List<PipelineStatus>> status) {
    this.c = c;
    this.socket = c.socket(AF_UNIX, SOCK_DGRAM | SOCK_CLOEXEC, 0);
    this.address = address;
    this.terminal = terminal;
    this.status = status;
  }

  /**
   * Begins to tell, if a service manager has asked for it.
   *
   * @param environment of the process
   * @param status how the pipelines stand; what does not answer is not alive
   */
  static Optional<ServiceNotice> open(
      Map<String, String> environment, Terminal terminal, Supplier<List<PipelineStatus>> status) {
    String path = environment.getOrDefault("NOTIFY_SOCKET", "");
    if (!path.startsWith("/") && !path.startsWith("@")) {
      return Optional.empty();
    }
    try {
      ServiceNotice notice =
          new ServiceNotice(Native.load("c", C.class), address(path), terminal, status);
      notice.begin(pause(environment));
      return Optional.of(notice);
    } catch (LastErrorException | UnsatisfiedLinkError | IllegalArgumentException e) {
      terminal.say("the service manager cannot be told how the run stands: " + e.getMessage());
      return Optional.empty();
    }
  }

  /** Half of the time after which the manager takes the process for dead. */
  private static long pause(Map<String, String> environment) {
    String pid = environment.getOrDefault("WATCHDOG_PID", "");
    boolean mine = pid.isEmpty() || pid.equals(ProcessHandle.current().pid() + "");
    String micros = environment.getOrDefault("WATCHDOG_USEC", "");
    return mine && micros.matches("[1-9][0-9]{0,15}")
        ? Math.max(1, Math.min(STATUS_MILLIS, Long.parseLong(micros) / 2000))
        : STATUS_MILLIS;
  }

  /** A {@code struct sockaddr_un}; a path that begins with {@code @} is an abstract name. */
  private static byte[] address(String path) {
    byte[] name = path.getBytes(StandardCharsets.UTF_8);
    if (name.length > LONGEST_PATH) {
      throw new IllegalArgumentException("the path in NOTIFY_SOCKET is too long for a socket");
    }
    if (name[0] == '@') {
      name[0] = 0;
    }
    return ByteBuffer.allocate(2 + name.length)
        .order(ByteOrder.nativeOrder())
        .putShort((short) AF_UNIX)
        .put(name)
        .array();
  }

  private void begin(long pauseMillis) {
    send("READY=1\n" + words());
    clock.scheduleAtFixedRate(
        () -> send("WATCHDOG=1\n" + words()), pauseMillis, pauseMillis, TimeUnit.MILLISECONDS);
  }

  private String words() {
    Map<PipelineStatus.State, Long> states =
        status.get().stream()
            .collect(
                Collectors.groupingBy(
                    PipelineStatus::state,
                    () -> new EnumMap<>(PipelineStatus.State.class),
                    Collectors.counting()));
    return "STATUS="
        + states.entrySet().stream()
            .map(e -> e.getValue() + " " + e.getKey().name().toLowerCase(Locale.ROOT))
            .collect(Collectors.joining(", "));
  }

  private synchronized void send(String text) {
    byte[] data = text.getBytes(StandardCharsets.UTF_8);
    try {
      c.sendto(socket, data, data.length, MSG_DONTWAIT, address, address.length);
      told = false;
    } catch (LastErrorException e) {
      if (!told) {
        told = true;
        terminal.say("the service manager cannot be told how the run stands: " + e.getMessage());
      }
    }
  }

  /** The run is being stopped. */
  void stopping() {
    send("STOPPING=1\nSTATUS=flushing what is held");
  }

  @Override
  public void close() {
    clock.shutdownNow();
    synchronized (this) {
      c.close(socket);
    }
  }
}

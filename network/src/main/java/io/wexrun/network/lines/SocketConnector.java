package io.wexrun.network.lines;

import io.netty.channel.Channel;
import io.netty.channel.socket.nio.NioServerDomainSocketChannel;
import io.netty.channel.socket.nio.NioServerSocketChannel;
import io.wexrun.core.connect.IntakeOpening;
import io.wexrun.core.connect.Site;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.framing.Framings;
import io.wexrun.core.intake.Framing;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.written.Form;
import io.wexrun.network.door.Address;
import io.wexrun.network.door.Certificates;
import io.wexrun.network.door.Doors;
import io.wexrun.network.door.Inbox;
import io.wexrun.network.door.Reception;
import io.wexrun.network.door.Sockets;
import io.wexrun.queue.Queue;
import java.io.IOException;
import java.net.UnixDomainSocketAddress;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.function.Function;

/** Intakes whose senders write records into a socket and get no answer. */
abstract class SocketConnector extends Reception {
  private SocketConnector(String kind) {
    super(kind);
  }

  /** {@code intake: {tcp: 5100, framing: lines}}. */
  public static final class Tcp extends SocketConnector {
    /** Found as a service. */
    public Tcp() {
      super("tcp");
    }

    @Override
    protected Entrance enter(IntakeOpening opening, Queue queue, Inbox inbox) {
      return tcp(opening, inbox, framing(opening.settings()), "tcp");
    }
  }

  /** {@code intake: {udp: 5100}}: the records of a datagram are cut as {@code framing} says. */
  public static final class Udp extends SocketConnector {
    /** Found as a service. */
    public Udp() {
      super("udp");
    }

    @Override
    protected boolean encrypts() {
      return false;
    }

    @Override
    protected Entrance enter(IntakeOpening opening, Queue queue, Inbox inbox) {
      return udp(opening, inbox, framing(opening.settings()), "udp");
    }
  }

  /** {@code intake: {unix: run/events.sock}}: a socket for programs of this machine. */
  public static final class Unix extends SocketConnector {
    /** Found as a service. */
    public Unix() {
      super("unix");
    }

    @Override
    protected boolean encrypts() {
      return false;
    }

    @Override
    protected void checkMain(Settings settings, Site site, KeyPath path, Diagnostics diagnostics) {
      Path file = site.folder().resolve(settings.main());
      if (settings.main().isBlank() || Files.isDirectory(file)) {
        bad(path.key(kind()), settings.main(), "a name for a socket", diagnostics);
      } else if (file.toAbsolutePath().toString().length() > 100) {
        bad(
            path.key(kind()),
            settings.main(),
            "short enough: the system takes about 100 characters of a socket's whole path",
            diagnostics);
      }
    }

    @Override
    protected Entrance enter(IntakeOpening opening, Queue queue, Inbox inbox) {
      Settings settings = opening.settings();
      Path file = opening.site().folder().resolve(settings.main());
      Framing framing = framing(settings);
      StreamServer server =
          new StreamServer(
              Doors.of(opening.site()),
              channel -> new Cutting(inbox, framing, longest(settings), Map.of()),
              Optional.empty());
      makeWay(file);
      server.listening(
          Sockets.bind(
              server.bootstrap(NioServerDomainSocketChannel.class),
              UnixDomainSocketAddress.of(file),
              file.toString()));
      opening.notices().accept("listening at unix:" + file);
      return server::close;
    }

    /** A socket of a process that ended is in the way. */
    private static void makeWay(Path file) {
      try {
        Files.createDirectories(file.toAbsolutePath().getParent());
        if (Files.exists(file) && Files.isRegularFile(file)) {
          throw OutsideException.lasting(
              "there is a file " + file + " where the socket should be: take another name");
        }
        Files.deleteIfExists(file);
      } catch (IOException e) {
        throw new OutsideException("cannot listen at " + file + ": " + e.getMessage(), e);
      }
    }
  }

  /**
   * {@code intake: {syslog: 5514, over: [udp, tcp]}}: messages of RFC 5424 and RFC 3164 over UDP
   * (RFC 5426), TCP (RFC 6587) and, with {@code tls}, TLS (RFC 5425).
   */
  public static final class Syslog extends SocketConnector {
    private static final String OVER = "over";
    private static final List<String> BOTH = List.of("udp", "tcp");

    /** Found as a service. */
    public Syslog() {
      super("syslog");
    }

    @Override
    protected Map<String, Form> own() {
      return Form.with(
          kind(),
          Form.text().about("ADDRESS, such as 5514 or *:514"),
          OVER,
          Form.list(Form.word("udp", "tcp")).about("both; with tls, only tcp"),
          PEER,
          Form.word("true", "false"));
    }

    private static List<String> over(Settings settings) {
      Object written = settings.values().get(OVER);
      if (written == null) {
        return encrypted(settings) ? List.of("tcp") : BOTH;
      }
      return written instanceof List<?> list
          ? list.stream().map(String::valueOf).toList()
          : List.of(String.valueOf(written));
    }

    @Override
    public void check(Settings settings, Site site, KeyPath path, Diagnostics diagnostics) {
      super.check(settings, site, path, diagnostics);
      for (String way : over(settings)) {
        if (!BOTH.contains(way)) {
          bad(path.key(OVER), way, "udp or tcp", diagnostics);
        } else if (way.equals("udp") && encrypted(settings)) {
          diagnostics.error(
              "bad-value",
              path.key(OVER),
              "datagrams are not encrypted",
              Optional.of("remove udp, or tls"));
        }
      }
    }

    @Override
    protected Entrance enter(IntakeOpening opening, Queue queue, Inbox inbox) {
      List<Entrance> open = new ArrayList<>();
      try {
        if (over(opening.settings()).contains("tcp")) {
          open.add(tcp(opening, inbox, Framings.named("syslog").orElseThrow(), "syslog over tcp"));
        }
        if (over(opening.settings()).contains("udp")) {
          open.add(udp(opening, inbox, Whole.FRAMING, "syslog over udp"));
        }
      } catch (RuntimeException e) {
        open.forEach(Entrance::close);
        throw e;
      }
      return () -> open.forEach(Entrance::close);
    }
  }

  @Override
  protected Map<String, Form> own() {
    return Form.with(
        kind(),
        Form.text().about("where to listen"),
        FRAMING,
        Form.any(),
        PEER,
        Form.word("true", "false"));
  }

  /** Checks where to listen. */
  protected void checkMain(Settings settings, Site site, KeyPath path, Diagnostics diagnostics) {
    checkAddress(
        settings.main(),
        knowsClients(settings),
        encrypted(settings),
        path.key(kind()),
        diagnostics);
  }

  @Override
  public void check(Settings settings, Site site, KeyPath path, Diagnostics diagnostics) {
    super.check(settings, site, path, diagnostics);
    checkMain(settings, site, path, diagnostics);
    String peer = settings.text(PEER).orElse("false");
    if (!peer.matches("true|false")) {
      bad(path.key(PEER), peer, "true or false", diagnostics);
    }
  }

  @Override
  public Set<String> takesAway(Settings settings, Site site) {
    return Set.of("what comes to " + settings.main() + " by " + kind());
  }

  static Entrance tcp(IntakeOpening opening, Inbox inbox, Framing framing, String name) {
    Settings settings = opening.settings();
    Address address = Address.read(settings.main()).orElseThrow();
    Optional<Certificates> certificates =
        certificates(settings, opening.site(), false, opening.notices());
    boolean peer = flag(settings, PEER);
    Function<Channel, Cutting> cutting =
        channel ->
            new Cutting(
                inbox,
                framing,
                longest(settings),
                peer ? Map.of(PEER, StreamServer.peer(channel.remoteAddress())) : Map.of());
    StreamServer server = new StreamServer(Doors.of(opening.site()), cutting, certificates);
    server.listening(Sockets.bind(server.bootstrap(NioServerSocketChannel.class), address));
    opening
        .notices()
        .accept(
            "listening at "
                + address.host()
                + ":"
                + server.port()
                + ", "
                + name
                + (certificates.isPresent() ? " with TLS" : ""));
    return server::close;
  }

  static Entrance udp(IntakeOpening opening, Inbox inbox, Framing framing, String name) {
    Settings settings = opening.settings();
    Address address = Address.read(settings.main()).orElseThrow();
    Datagrams datagrams =
        new Datagrams(
            Doors.of(opening.site()),
            address,
            inbox,
            framing,
            flag(settings, PEER),
            opening.notices());
    opening
        .notices()
        .accept("listening at " + address.host() + ":" + datagrams.port() + ", " + name);
    return datagrams::close;
  }
}

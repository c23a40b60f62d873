package io.wexrun.network.http;

import io.netty.bootstrap.ServerBootstrap;
import io.netty.channel.Channel;
import io.netty.channel.ChannelHandlerContext;
import io.netty.channel.ChannelInboundHandlerAdapter;
import io.netty.channel.ChannelInitializer;
import io.netty.channel.ChannelOption;
import io.netty.channel.ChannelPipeline;
import io.netty.channel.group.ChannelGroup;
import io.netty.channel.group.DefaultChannelGroup;
import io.netty.channel.socket.SocketChannel;
import io.netty.channel.socket.nio.NioServerSocketChannel;
import io.netty.handler.codec.http.HttpDecoderConfig;
import io.netty.handler.codec.http.HttpRequestDecoder;
import io.netty.handler.codec.http.HttpResponseEncoder;
import io.netty.handler.codec.http2.Http2FrameCodecBuilder;
import io.netty.handler.codec.http2.Http2MultiplexHandler;
import io.netty.handler.codec.http2.Http2Settings;
import io.netty.handler.codec.http2.Http2StreamFrameToHttpObjectCodec;
import io.netty.handler.ssl.ApplicationProtocolNames;
import io.netty.handler.ssl.ApplicationProtocolNegotiationHandler;
import io.netty.util.concurrent.GlobalEventExecutor;
import io.wexrun.core.connect.Refusals;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.diagnose.Shown;
import io.wexrun.network.door.Address;
import io.wexrun.network.door.Certificates;
import io.wexrun.network.door.Doors;
import io.wexrun.network.door.Sockets;
import java.util.List;
import java.util.Optional;
import java.util.concurrent.CopyOnWriteArrayList;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.concurrent.atomic.AtomicLong;
import java.util.concurrent.locks.LockSupport;

/**
 * Listens at one address for HTTP/1.1 and HTTP/2, encrypted or with prior knowledge. Memory is
 * bounded whatever comes: header fields, bodies that are not whole yet of all connections together,
 * connections, and how long a request may take to come.
 */
public final class HttpServer implements AutoCloseable {
  private static final int LONGEST_LINE = 8 << 10;
  private static final int LONGEST_HEADERS = 32 << 10;
  private static final int MOST_CONNECTIONS = 10_000;
  private static final int MOST_STREAMS = 256;
  private static final int BACKLOG = 1024;
  private static final int WINDOW = 1 << 20;

  /** What is begun is answered before the door is closed, if that does not take longer. */
  private static final long PATIENCE_NANOS = 5_000_000_000L;

  private static final long LOOK_NANOS = 1_000_000L;

  private final List<Route> routes = new CopyOnWriteArrayList<>();
  private final ChannelGroup connections = new DefaultChannelGroup(GlobalEventExecutor.INSTANCE);
  private final AtomicLong held = new AtomicLong();
  private final AtomicInteger waiting = new AtomicInteger();
  private final long room = Math.min(256L << 20, Runtime.getRuntime().maxMemory() / 8);
  private final Channel listening;
  private final String name;
  private final Refusals refusals;

  /**
   * Begins to listen.
   *
   * @throws OutsideException if the address cannot be listened at
   */
  public HttpServer(Doors doors, Address address, Optional<Certificates> certificates) {
    this(doors, address, certificates, new Refusals());
  }

  /** The same; what is refused is counted. */
  HttpServer(Doors doors, Address address, Optional<Certificates> certificates, Refusals refusals) {
    this.name = "http " + address;
    this.refusals = refusals;
    ServerBootstrap bootstrap =
        new ServerBootstrap()
            .group(doors.loops())
            .channel(NioServerSocketChannel.class)
            .option(ChannelOption.SO_BACKLOG, BACKLOG)
            .option(ChannelOption.SO_REUSEADDR, true)
            .childOption(ChannelOption.TCP_NODELAY, true)
            .childHandler(
                new ChannelInitializer<SocketChannel>() {
                  @Override
                  protected void initChannel(SocketChannel channel) {
                    begin(channel, certificates);
                  }
                });
    listening = Sockets.bind(bootstrap, address);
  }

  /** The port that is listened at. */
  public int port() {
    return ((java.net.InetSocketAddress) listening.localAddress()).getPort();
  }

  /** From now on a path is served. */
  public void add(Route route) {
    routes.removeIf(
        other ->
            other.stopped()
                && other.path().equals(route.path())
                && other.method().equals(route.method()));
    routes.add(route);
  }

  /** A request waits for its answer. */
  void begun() {
    waiting.incrementAndGet();
  }

  /** A request was answered with a status that says that it was not taken. */
  void refused(int status) {
    refusals.add(name, Integer.toString(status), "with status " + status);
  }

  /** A request could not be served, for a reason that is not the sender's. */
  void failed(Throwable why) {
    refusals.add(name, "failed", "since it failed here: " + Shown.line(String.valueOf(why)));
  }

  void answered() {
    waiting.decrementAndGet();
  }

  List<Route> routes() {
    return routes;
  }

  /**
   * Counts bytes of bodies that are not whole yet.
   *
   * @return false if there is no room for them
   */
  boolean hold(int bytes) {
    if (held.addAndGet(bytes) > room) {
      held.addAndGet(-bytes);
      return false;
    }
    return true;
  }

  void release(long bytes) {
    held.addAndGet(-bytes);
  }

  private void begin(SocketChannel channel, Optional<Certificates> certificates) {
    if (connections.size() >= MOST_CONNECTIONS) {
      refusals.add(name, "full", "since " + MOST_CONNECTIONS + " connections are open");
      channel.close();
      return;
    }
    connections.add(channel);
    ChannelPipeline pipeline = channel.pipeline();
    if (certificates.isEmpty()) {
      pipeline.addLast(new Preface(this::http1, this::http2));
      return;
    }
    pipeline.addLast(certificates.get().context().newHandler(channel.alloc()));
    pipeline.addLast(
        new ApplicationProtocolNegotiationHandler(ApplicationProtocolNames.HTTP_1_1) {
          @Override
          protected void configurePipeline(ChannelHandlerContext context, String protocol) {
            if (protocol.equals(ApplicationProtocolNames.HTTP_2)) {
              http2(context.pipeline());
            } else {
              http1(context.pipeline());
            }
          }

          @Override
          protected void handshakeFailure(ChannelHandlerContext context, Throwable cause) {
            context.close(); // Whoever knocks without a certificate, or speaks something else.
          }

          @Override
          public void exceptionCaught(ChannelHandlerContext context, Throwable cause) {
            context.close();
          }
        });
  }

  private void http1(ChannelPipeline pipeline) {
    Since since = new Since();
    pipeline.addLast(
        since,
        new HttpRequestDecoder(
            new HttpDecoderConfig()
                .setMaxInitialLineLength(LONGEST_LINE)
                .setMaxHeaderSize(LONGEST_HEADERS)
                .setStrictLineParsing(true)),
        new HttpResponseEncoder(),
        new Exchange(this, since));
  }

  private void http2(ChannelPipeline pipeline) {
    pipeline.addLast(
        Http2FrameCodecBuilder.forServer()
            .initialSettings(
                Http2Settings.defaultSettings()
                    .maxConcurrentStreams(MOST_STREAMS)
                    .initialWindowSize(WINDOW)
                    .maxHeaderListSize(LONGEST_HEADERS))
            .build(),
        new Http2MultiplexHandler(
            new ChannelInitializer<Channel>() {
              @Override
              protected void initChannel(Channel stream) {
                Since since = new Since();
                stream
                    .pipeline()
                    .addLast(
                        since,
                        new Http2StreamFrameToHttpObjectCodec(true),
                        new Exchange(HttpServer.this, since));
              }
            }),
        new ChannelInboundHandlerAdapter() {
          @Override
          public void exceptionCaught(ChannelHandlerContext context, Throwable cause) {
            context.close(); // Not HTTP/2: the codec has said so.
          }
        });
  }

  /** Listens no more; what is being answered still is, for a moment. */
  @Override
  public void close() {
    listening.close().awaitUninterruptibly();
    long until = System.nanoTime() + PATIENCE_NANOS;
    while (waiting.get() > 0 && System.nanoTime() < until) {
      LockSupport.parkNanos(LOOK_NANOS);
    }
    connections.close().awaitUninterruptibly();
  }
}

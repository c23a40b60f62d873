package io.wexrun.network.lines;

import io.netty.bootstrap.ServerBootstrap;
import io.netty.channel.Channel;
import io.netty.channel.ChannelInitializer;
import io.netty.channel.ChannelOption;
import io.netty.channel.ServerChannel;
import io.netty.channel.group.ChannelGroup;
import io.netty.channel.group.DefaultChannelGroup;
import io.netty.util.concurrent.GlobalEventExecutor;
import io.wexrun.network.door.Certificates;
import io.wexrun.network.door.Doors;
import java.net.InetSocketAddress;
import java.net.SocketAddress;
import java.util.Optional;
import java.util.function.Function;

/** Listens for connections whose bytes are records. */
final class StreamServer implements AutoCloseable {
  private static final int MOST_CONNECTIONS = 10_000;

  private final ChannelGroup connections = new DefaultChannelGroup(GlobalEventExecutor.INSTANCE);
  private final Doors doors;
  private final Function<Channel, Cutting> cutting;
  private final Optional<Certificates> certificates;
  private Channel listening;

  StreamServer(
      Doors doors, Function<Channel, Cutting> cutting, Optional<Certificates> certificates) {
    this.doors = doors;
    this.cutting = cutting;
    this.certificates = certificates;
  }

  /** How it begins to listen. */
  ServerBootstrap bootstrap(Class<? extends ServerChannel> kind) {
    return new ServerBootstrap()
        .group(doors.loops())
        .channel(kind)
        .option(ChannelOption.SO_BACKLOG, 1024)
        .childHandler(
            new ChannelInitializer<>() {
              @Override
              protected void initChannel(Channel channel) {
                begin(channel);
              }
            });
  }

  void listening(Channel channel) {
    listening = channel;
  }

  int port() {
    return ((InetSocketAddress) listening.localAddress()).getPort();
  }

  private void begin(Channel channel) {
    if (connections.size() >= MOST_CONNECTIONS) {
      channel.close();
      return;
    }
    connections.add(channel);
    certificates.ifPresent(
        pem -> channel.pipeline().addLast(pem.context().newHandler(channel.alloc())));
    channel.pipeline().addLast(new LineStream(cutting.apply(channel)));
  }

  /** The address of the other side; empty if it has none. */
  static String peer(SocketAddress remote) {
    return remote instanceof InetSocketAddress inet && inet.getAddress() != null
        ? inet.getAddress().getHostAddress()
        : "";
  }

  @Override
  public void close() {
    listening.close().awaitUninterruptibly();
    connections.close().awaitUninterruptibly();
    doors.settle(); // What has come is taken, though no end of a record has.
  }
}

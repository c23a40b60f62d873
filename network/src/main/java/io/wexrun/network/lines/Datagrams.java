package io.wexrun.network.lines;

import io.netty.bootstrap.Bootstrap;
import io.netty.channel.Channel;
import io.netty.channel.ChannelHandlerContext;
import io.netty.channel.ChannelOption;
import io.netty.channel.FixedRecvByteBufAllocator;
import io.netty.channel.SimpleChannelInboundHandler;
import io.netty.channel.socket.DatagramPacket;
import io.netty.channel.socket.nio.NioDatagramChannel;
import io.wexrun.core.diagnose.Counted;
import io.wexrun.core.intake.Framing;
import io.wexrun.core.intake.Records;
import io.wexrun.network.door.Address;
import io.wexrun.network.door.Doors;
import io.wexrun.network.door.Inbox;
import io.wexrun.network.door.Sockets;
import io.wexrun.queue.Parcel;
import java.net.InetSocketAddress;
import java.util.Map;
import java.util.concurrent.TimeUnit;
import java.util.function.Consumer;

/**
 * Listens for datagrams. Nobody waits for an answer to one, so those that find no room are lost;
 * that is counted and told.
 */
final class Datagrams implements AutoCloseable {
  private static final int LONGEST = 65_535;
  private static final int ROOM = 8 << 20;
  private static final long TOLD_EACH_SECONDS = 10;
  private static final byte[] NOTHING = {};

  private final Inbox inbox;
  private final Framing framing;
  private final boolean peer;
  private final Consumer<String> notices;
  private final Channel listening;
  private long lost;

  /**
   * Begins to listen.
   *
   * @param framing what the records of a datagram are
   * @param peer whether the sender's address becomes a header
   */
  Datagrams(
      Doors doors,
      Address address,
      Inbox inbox,
      Framing framing,
      boolean peer,
      Consumer<String> notices) {
    this.inbox = inbox;
    this.framing = framing;
    this.peer = peer;
    this.notices = notices;
    Bootstrap bootstrap =
        new Bootstrap()
            .group(doors.loops())
            .channel(NioDatagramChannel.class)
            .option(ChannelOption.SO_RCVBUF, ROOM)
            .option(ChannelOption.RECVBUF_ALLOCATOR, new FixedRecvByteBufAllocator(LONGEST))
            .handler(new Handler());
    listening = Sockets.bind(bootstrap, address);
    listening
        .eventLoop()
        .scheduleWithFixedDelay(this::tell, TOLD_EACH_SECONDS, TOLD_EACH_SECONDS, TimeUnit.SECONDS);
  }

  int port() {
    return ((InetSocketAddress) listening.localAddress()).getPort();
  }

  private void tell() {
    if (lost > 0) {
      notices.accept(
          Counted.of(lost, "datagram")
              + " found no room and "
              + (lost == 1 ? "is" : "are")
              + " lost: their senders are not told, so use TCP where none may be");
      lost = 0;
    }
  }

  private final class Handler extends SimpleChannelInboundHandler<DatagramPacket> {
    @Override
    protected void channelRead0(ChannelHandlerContext context, DatagramPacket packet) {
      byte[] data = new byte[packet.content().readableBytes()];
      packet.content().readBytes(data);
      Records records = Cutting.cut(data, data.length, framing);
      if (records.count() == 0) {
        return;
      }
      Map<String, String> headers =
          peer ? Map.of("peer", StreamServer.peer(packet.sender())) : Map.of();
      if (inbox.put(new Parcel(-1, records, NOTHING, headers, "")).isEmpty()) {
        lost++;
      }
    }

    @Override
    public void exceptionCaught(ChannelHandlerContext context, Throwable cause) {
      notices.accept("a datagram cannot be read: " + cause.getMessage());
    }
  }

  @Override
  public void close() {
    listening.close().awaitUninterruptibly();
  }
}

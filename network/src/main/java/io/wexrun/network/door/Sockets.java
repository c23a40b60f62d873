package io.wexrun.network.door;

import io.netty.bootstrap.AbstractBootstrap;
import io.netty.channel.Channel;
import io.netty.channel.ChannelFuture;
import io.wexrun.core.diagnose.OutsideException;
import java.net.SocketAddress;

/** Begins to listen. */
public final class Sockets {
  private Sockets() {}

  /**
   * Begins to listen at an address.
   *
   * @throws OutsideException if it cannot be
   */
  public static Channel bind(AbstractBootstrap<?, ?> bootstrap, Address address) {
    return bind(bootstrap, address.socket(), address.toString());
  }

  /**
   * Begins to listen.
   *
   * @param name of the address, for messages
   * @throws OutsideException if it cannot be
   */
  public static Channel bind(
      AbstractBootstrap<?, ?> bootstrap, SocketAddress address, String name) {
    ChannelFuture bound = bootstrap.bind(address).awaitUninterruptibly();
    if (!bound.isSuccess()) {
      throw new OutsideException(
          "cannot listen at " + name + ": " + bound.cause().getMessage(), bound.cause());
    }
    return bound.channel();
  }
}

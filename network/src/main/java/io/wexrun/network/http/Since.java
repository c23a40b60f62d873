package io.wexrun.network.http;

import io.netty.channel.ChannelHandlerContext;
import io.netty.channel.ChannelInboundHandlerAdapter;
import java.time.Duration;

/** Knows since when a request is coming, from its first byte on. For one thread. */
final class Since extends ChannelInboundHandlerAdapter {
  /** How long a request may take to come, and a connection may say nothing. */
  static final Duration PATIENCE = Duration.ofSeconds(60);

  private long began;
  private long last = System.nanoTime();

  @Override
  public void channelRead(ChannelHandlerContext context, Object message) {
    last = System.nanoTime();
    began = began == 0 ? last : began;
    context.fireChannelRead(message);
  }

  /** The request has come whole. */
  void whole() {
    began = 0;
  }

  /** Whether a request is coming for too long. */
  boolean late() {
    return began != 0 && System.nanoTime() - began > PATIENCE.toNanos();
  }

  /** Whether nothing has come for long. */
  boolean quiet() {
    return began == 0 && System.nanoTime() - last > PATIENCE.toNanos();
  }
}

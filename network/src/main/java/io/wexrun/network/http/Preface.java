package io.wexrun.network.http;

import io.netty.buffer.ByteBuf;
import io.netty.buffer.ByteBufUtil;
import io.netty.buffer.Unpooled;
import io.netty.channel.ChannelHandlerContext;
import io.netty.channel.ChannelPipeline;
import io.netty.handler.codec.ByteToMessageDecoder;
import io.netty.handler.codec.http2.Http2CodecUtil;
import java.util.List;
import java.util.concurrent.TimeUnit;
import java.util.function.Consumer;

/**
 * Finds out by its first bytes whether a connection that is not encrypted speaks HTTP/1.1 or HTTP/2
 * (RFC 9113, section 3.3: with prior knowledge).
 */
final class Preface extends ByteToMessageDecoder {
  private static final ByteBuf HTTP2 =
      Unpooled.unreleasableBuffer(Http2CodecUtil.connectionPrefaceBuf());

  private final Consumer<ChannelPipeline> http1;
  private final Consumer<ChannelPipeline> http2;

  Preface(Consumer<ChannelPipeline> http1, Consumer<ChannelPipeline> http2) {
    this.http1 = http1;
    this.http2 = http2;
  }

  @Override
  public void handlerAdded(ChannelHandlerContext context) {
    // Who says nothing holds nothing.
    context
        .executor()
        .schedule(
            () -> {
              if (!context.isRemoved()) {
                context.close();
              }
            },
            Since.PATIENCE.toMillis(),
            TimeUnit.MILLISECONDS);
  }

  @Override
  protected void decode(ChannelHandlerContext context, ByteBuf in, List<Object> out) {
    int known = Math.min(in.readableBytes(), HTTP2.readableBytes());
    boolean same = ByteBufUtil.equals(in, in.readerIndex(), HTTP2, HTTP2.readerIndex(), known);
    if (same && known < HTTP2.readableBytes()) {
      return;
    }
    (same ? http2 : http1).accept(context.pipeline());
    context.pipeline().remove(this);
  }

  @Override
  public void exceptionCaught(ChannelHandlerContext context, Throwable cause) {
    context.close();
  }
}

package io.wexrun.network.lines;

import io.netty.buffer.ByteBuf;
import io.netty.channel.ChannelHandlerContext;
import io.netty.channel.SimpleChannelInboundHandler;
import java.util.concurrent.TimeUnit;

/**
 * One connection of which the bytes are cut into records. When there is no room for them nothing
 * more is read, so that the sender has to wait. For one thread.
 */
final class LineStream extends SimpleChannelInboundHandler<ByteBuf> {
  private final Cutting cutting;
  private boolean looking;

  LineStream(Cutting cutting) {
    this.cutting = cutting;
  }

  @Override
  protected void channelRead0(ChannelHandlerContext context, ByteBuf bytes) {
    cutting.add(bytes);
    take(context);
    if (cutting.openEnded() && !looking) {
      looking = true;
      context
          .executor()
          .schedule(() -> lookAgain(context), Cutting.QUIET.toMillis(), TimeUnit.MILLISECONDS);
    }
  }

  /** Only what follows tells that a record of several lines has ended; nothing may follow. */
  private void lookAgain(ChannelHandlerContext context) {
    looking = false;
    if (cutting.quiet()) {
      cutting.takeWhatIsDue();
    }
    if (cutting.rest() > 0 && context.channel().isActive()) {
      looking = true;
      context
          .executor()
          .schedule(() -> lookAgain(context), Cutting.QUIET.toMillis(), TimeUnit.MILLISECONDS);
    }
  }

  private void take(ChannelHandlerContext context) {
    if (cutting.take()) {
      return;
    }
    context.channel().config().setAutoRead(false);
    cutting.whenRoom(
        () ->
            context
                .executor()
                .execute(
                    () -> {
                      take(context);
                      if (!cutting.stuck()) {
                        context.channel().config().setAutoRead(true);
                      }
                    }));
  }

  @Override
  public void channelInactive(ChannelHandlerContext context) {
    cutting.end();
    context.fireChannelInactive();
  }

  @Override
  public void exceptionCaught(ChannelHandlerContext context, Throwable cause) {
    context.close(); // The other side is gone, or what it sends breaks the encryption.
  }
}

package io.wexrun.network.http;

import io.netty.buffer.ByteBuf;
import io.netty.buffer.Unpooled;
import io.netty.channel.ChannelFuture;
import io.netty.channel.ChannelFutureListener;
import io.netty.channel.ChannelHandlerContext;
import io.netty.channel.SimpleChannelInboundHandler;
import io.netty.channel.socket.DuplexChannel;
import io.netty.handler.codec.http.DefaultFullHttpResponse;
import io.netty.handler.codec.http.FullHttpResponse;
import io.netty.handler.codec.http.HttpContent;
import io.netty.handler.codec.http.HttpHeaderNames;
import io.netty.handler.codec.http.HttpMethod;
import io.netty.handler.codec.http.HttpObject;
import io.netty.handler.codec.http.HttpRequest;
import io.netty.handler.codec.http.HttpResponseStatus;
import io.netty.handler.codec.http.HttpUtil;
import io.netty.handler.codec.http.HttpVersion;
import io.netty.handler.codec.http.LastHttpContent;
import io.netty.handler.codec.http.TooLongHttpHeaderException;
import io.netty.handler.codec.http.TooLongHttpLineException;
import io.netty.handler.ssl.SslHandler;
import io.netty.util.concurrent.ScheduledFuture;
import java.net.InetSocketAddress;
import java.net.SocketAddress;
import java.util.ArrayDeque;
import java.util.Arrays;
import java.util.Deque;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.TimeUnit;

/**
 * One connection of HTTP/1.1, or one stream of HTTP/2: collects requests and answers them in their
 * order. For one thread.
 */
final class Exchange extends SimpleChannelInboundHandler<HttpObject> {
  /** So many requests of a connection may wait for their answers before no more are read. */
  private static final int MOST_WAITING = 64;

  private static final long LOOK_SECONDS = 5;
  private static final long LINGER_SECONDS = 2;
  private static final int FIRST_ROOM = 1024;
  private static final int MOST_DIGITS = 18;

  /** Of a request that is refused so much is read, so that the connection can go on. */
  private static final int MOST_PASSED_OVER = 64 << 10;

  private static final byte[] NOTHING = {};

  private final HttpServer server;
  private final Since since;
  private final Deque<Waiting> waiting = new ArrayDeque<>();
  private ScheduledFuture<?> looking;
  private HttpRequest head;
  private Request request;
  private Route.Taker taker;
  private Answer refused;
  private byte[] body = NOTHING;
  private int length;
  private boolean ending;

  /** A request that is not answered yet. */
  private static final class Waiting {
    private final boolean keepAlive;
    private final boolean headOnly;
    private Answer answer;

    Waiting(boolean keepAlive, boolean headOnly) {
      this.keepAlive = keepAlive;
      this.headOnly = headOnly;
    }
  }

  Exchange(HttpServer server, Since since) {
    this.server = server;
    this.since = since;
  }

  @Override
  public void handlerAdded(ChannelHandlerContext context) {
    looking =
        context
            .executor()
            .scheduleWithFixedDelay(
                () -> look(context), LOOK_SECONDS, LOOK_SECONDS, TimeUnit.SECONDS);
  }

  @Override
  public void handlerRemoved(ChannelHandlerContext context) {
    looking.cancel(false);
    forget();
  }

  private void look(ChannelHandlerContext context) {
    if (since.late() && !ending) {
      String patience = Since.PATIENCE.toSeconds() + " s";
      end(context, Answer.problem(Answer.LATE, "it was not whole after " + patience));
    } else if (since.quiet() && waiting.isEmpty()) {
      context.close();
    }
  }

  @Override
  protected void channelRead0(ChannelHandlerContext context, HttpObject message) {
    if (ending) {
      return;
    }
    try {
      read(context, message);
    } catch (RuntimeException e) {
      end(context, failed(e)); // Whatever it is, nobody waits for an answer in vain.
    }
  }

  /** What went wrong here is nothing that a stranger is told, but who runs the door is. */
  private Answer failed(Throwable why) {
    server.failed(why);
    return Answer.problem(Answer.UNAVAILABLE, "it failed here: send it again later")
        .with("retry-after", "5");
  }

  private void read(ChannelHandlerContext context, HttpObject message) {
    if (message.decoderResult().isFailure()) {
      end(context, malformed(message.decoderResult().cause()));
      return;
    }
    if (message instanceof HttpRequest begun) {
      begin(context, begun);
    }
    if (message instanceof HttpContent content && !ending) {
      add(context, content.content());
    }
    if (message instanceof LastHttpContent && !ending) {
      whole(context);
    }
  }

  private static Answer malformed(Throwable why) {
    if (why instanceof TooLongHttpLineException) {
      return new Answer(414, Map.of(), "text/plain", NOTHING);
    }
    if (why instanceof TooLongHttpHeaderException) {
      return new Answer(431, Map.of(), "text/plain", NOTHING);
    }
    return Answer.problem(Answer.BAD, "it is not HTTP: " + why.getMessage());
  }

  private void begin(ChannelHandlerContext context, HttpRequest begun) {
    head = begun;
    refused = null;
    taker = null;
    Optional<Answer> wrong = HeadRules.wrong(head);
    if (wrong.isPresent()) {
      end(context, wrong.get());
      return;
    }
    Optional<String> path = HeadRules.path(begun.uri());
    Optional<Long> told = told();
    Optional<Answer> no =
        told == null
            ? Optional.of(badLength())
            : path.isEmpty()
                ? Optional.of(Answer.problem(Answer.BAD, "its path cannot be decoded"))
                : route(context, path.get(), told);
    if (no.isPresent()) {
      refused = no.get();
      if (told == null || told.orElse(0L) > MOST_PASSED_OVER) {
        end(context, refused);
        return;
      }
    }
    if (HttpUtil.is100ContinueExpected(begun)) {
      if (refused != null) {
        end(context, refused);
        return;
      }
      context.writeAndFlush(
          new DefaultFullHttpResponse(
              HttpVersion.HTTP_1_1, HttpResponseStatus.CONTINUE, Unpooled.EMPTY_BUFFER));
    }
  }

  private static Answer badLength() {
    return Answer.problem(Answer.BAD, "its Content-Length is no number");
  }

  /** How long the body is; empty if it is not told, null if it is told wrong. */
  private Optional<Long> told() {
    String written = head.headers().get(HttpHeaderNames.CONTENT_LENGTH);
    if (written == null) {
      return Optional.empty();
    }
    boolean number = !written.isEmpty() && written.length() <= MOST_DIGITS;
    for (int i = 0; i < written.length() && number; i++) {
      number = written.charAt(i) >= '0' && written.charAt(i) <= '9';
    }
    return number ? Optional.of(Long.parseLong(written)) : null;
  }

  private Optional<Answer> route(ChannelHandlerContext context, String path, Optional<Long> told) {
    Optional<String> other = Optional.empty();
    for (Route route : server.routes()) {
      Optional<Map<String, String>> values = route.values(path);
      if (values.isPresent() && !head.method().name().equals(route.method())) {
        other = Optional.of(route.method());
      } else if (values.isPresent()) {
        if (route.stopped()) {
          return Optional.of(
              Answer.problem(Answer.UNAVAILABLE, "the pipeline that receives here is stopped")
                  .with("retry-after", "5"));
        }
        taker = route.taker();
        request = new Request(path, values.get(), head.headers(), NOTHING, peer(context));
        Optional<Answer> foreign = HeadRules.foreign(head, taker.origins());
        if (foreign.isPresent()) {
          return foreign;
        }
        if (told.isPresent() && told.get() > taker.most()) {
          return Optional.of(tooLarge());
        }
        return taker.refuse(request, told);
      }
    }
    return Optional.of(
        other
            .map(
                allowed ->
                    Answer.problem(Answer.NOT_ALLOWED, head.method() + " is not taken at " + path)
                        .with("allow", allowed))
            .orElseGet(() -> Answer.problem(Answer.NOT_FOUND, "nothing is received at " + path)));
  }

  private Answer tooLarge() {
    return Answer.problem(
        Answer.TOO_LARGE, "a request has at most " + taker.most() + " bytes here: send several");
  }

  private static String peer(ChannelHandlerContext context) {
    io.netty.channel.Channel channel = context.channel();
    SocketAddress remote =
        channel.parent() instanceof io.netty.channel.socket.SocketChannel connection
            ? connection.remoteAddress()
            : channel.remoteAddress();
    return remote instanceof InetSocketAddress inet && inet.getAddress() != null
        ? inet.getAddress().getHostAddress()
        : "";
  }

  private void add(ChannelHandlerContext context, ByteBuf content) {
    int more = content.readableBytes();
    if (more == 0) {
      return;
    }
    if (refused != null) {
      length += more;
      if (length > MOST_PASSED_OVER) {
        end(context, refused);
      }
      return;
    }
    if (length + (long) more > taker.most()) {
      end(context, tooLarge());
      return;
    }
    if (length + more > body.length) {
      long known = told().orElse(0L);
      // A length that is only told is no reason to give memory for it.
      int room =
          Math.max(Math.max(length + more, FIRST_ROOM), Math.min(body.length * 2, taker.most()));
      if (known > 0 && known <= 4L * (length + more)) {
        room = Math.max(length + more, (int) known);
      }
      if (!server.hold(room - body.length)) {
        end(context, tooMuch("too many requests are not whole yet"));
        return;
      }
      body = Arrays.copyOf(body, room);
    }
    content.readBytes(body, length, more);
    length += more;
  }

  /** The answer to one who sends more than there is room for. */
  static Answer tooMuch(String why) {
    return Answer.problem(Answer.TOO_MANY, why + ": send it again later").with("retry-after", "1");
  }

  private void whole(ChannelHandlerContext context) {
    since.whole();
    Waiting mine = new Waiting(HttpUtil.isKeepAlive(head), head.method().equals(HttpMethod.HEAD));
    waiting.add(mine);
    server.begun();
    if (waiting.size() >= MOST_WAITING) {
      context.channel().config().setAutoRead(false);
    }
    CompletableFuture<Answer> answer;
    if (refused != null) {
      answer = CompletableFuture.completedFuture(refused);
    } else {
      byte[] whole = length == body.length ? body : Arrays.copyOf(body, length);
      answer =
          taken(
              new Request(
                  request.path(), request.values(), request.headers(), whole, request.peer()));
    }
    forget();
    answer.whenComplete(
        (given, failure) -> {
          server.answered();
          Answer said = failure == null ? given : failed(failure);
          if (context.executor().inEventLoop()) {
            answered(context, mine, said);
          } else {
            context.executor().execute(() -> answered(context, mine, said));
          }
        });
  }

  private CompletableFuture<Answer> taken(Request whole) {
    try {
      return taker.take(whole);
    } catch (RuntimeException e) {
      return CompletableFuture.completedFuture(failed(e));
    }
  }

  private void forget() {
    server.release(body.length);
    body = NOTHING;
    length = 0;
    refused = null;
  }

  private void answered(ChannelHandlerContext context, Waiting one, Answer answer) {
    one.answer = answer;
    boolean wrote = false;
    while (!waiting.isEmpty() && waiting.peek().answer != null) {
      Waiting first = waiting.poll();
      Answer said = first.headOnly ? first.answer.withoutBody() : first.answer;
      write(context, said, first.keepAlive && !(ending && waiting.isEmpty()));
      wrote = true;
    }
    if (wrote) {
      context.flush();
      if (waiting.size() < MOST_WAITING / 2 && !context.channel().config().isAutoRead()) {
        context.channel().config().setAutoRead(true);
      }
    }
  }

  /** Answers, behind those before it, and reads nothing more. */
  private void end(ChannelHandlerContext context, Answer answer) {
    ending = true;
    forget();
    Waiting last = new Waiting(false, head != null && head.method().equals(HttpMethod.HEAD));
    waiting.add(last);
    answered(context, last, answer);
  }

  private void write(ChannelHandlerContext context, Answer answer, boolean keepAlive) {
    if (answer.status() >= Answer.BAD) {
      server.refused(answer.status());
    }
    FullHttpResponse response =
        new DefaultFullHttpResponse(
            HttpVersion.HTTP_1_1,
            HttpResponseStatus.valueOf(answer.status()),
            Unpooled.wrappedBuffer(answer.body()));
    response.headers().set(HttpHeaderNames.CONTENT_TYPE, answer.type());
    response.headers().setInt(HttpHeaderNames.CONTENT_LENGTH, answer.body().length);
    answer.headers().forEach((name, value) -> response.headers().set(name, value));
    answer.trailers().forEach((name, value) -> response.trailingHeaders().set(name, value));
    if (keepAlive) {
      context.write(response, context.voidPromise());
    } else {
      response.headers().set(HttpHeaderNames.CONNECTION, "close");
      ChannelFuture written = context.write(response);
      if (ending && context.channel() instanceof DuplexChannel) {
        written.addListener(done -> linger(context));
      } else {
        written.addListener(ChannelFutureListener.CLOSE);
      }
    }
  }

  /**
   * Closes a connection on which more may be coming, once the other side has had time to read its
   * answer: closed at once, with bytes unread, it would be reset, and the answer lost.
   */
  private static void linger(ChannelHandlerContext context) {
    if (context.pipeline().get(SslHandler.class) == null) {
      ((DuplexChannel) context.channel()).shutdownOutput();
    }
    context.executor().schedule(() -> context.close(), LINGER_SECONDS, TimeUnit.SECONDS);
  }

  @Override
  public void exceptionCaught(ChannelHandlerContext context, Throwable cause) {
    context.close(); // The other side is gone, or what it sends breaks the protocol.
  }
}

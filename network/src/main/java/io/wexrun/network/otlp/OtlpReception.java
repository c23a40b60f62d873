package io.wexrun.network.otlp;

import com.google.protobuf.InvalidProtocolBufferException;
import io.opentelemetry.proto.collector.logs.v1.ExportLogsPartialSuccess;
import io.opentelemetry.proto.collector.logs.v1.ExportLogsServiceRequest;
import io.opentelemetry.proto.collector.logs.v1.ExportLogsServiceResponse;
import io.wexrun.core.diagnose.Counted;
import io.wexrun.core.intake.Records;
import io.wexrun.network.door.Filtered;
import io.wexrun.network.door.Inbox;
import io.wexrun.network.http.Answer;
import io.wexrun.network.http.Guard;
import io.wexrun.network.http.RefusedException;
import io.wexrun.network.http.Request;
import io.wexrun.network.http.Route;
import io.wexrun.network.http.Unpacked;
import io.wexrun.queue.Parcel;
import java.nio.ByteBuffer;
import java.nio.charset.StandardCharsets;
import java.util.Arrays;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.CompletableFuture;

/**
 * Takes requests to export logs into a queue. What cannot be stored now is answered so that the
 * exporter sends it again; records that no queue takes are told as a partial success. For several
 * threads.
 */
final class OtlpReception implements Route.Taker {
  private static final String GRPC = "application/grpc";
  private static final String PROTOBUF = "application/x-protobuf";
  private static final String JSON = "application/json";
  private static final byte[] NOTHING = {};

  /** Status codes of gRPC. */
  private static final int INVALID = 3;

  private static final int DENIED = 7;
  private static final int UNAVAILABLE = 14;
  private static final int UNAUTHENTICATED = 16;

  private static final int PREFIX = 5;

  private final Inbox inbox;
  private final Guard guard;
  private final int most;

  /**
   * What an intake takes.
   *
   * @param most how many bytes a request may have
   */
  OtlpReception(Inbox inbox, Guard guard, int most) {
    this.inbox = inbox;
    this.guard = guard;
    this.most = most;
  }

  @Override
  public int most() {
    return most;
  }

  private static boolean isGrpc(Request request) {
    return request.header("content-type").orElse("").startsWith(GRPC);
  }

  private static boolean isJson(Request request) {
    return request.header("content-type").orElse("").startsWith(JSON);
  }

  @Override
  public Optional<Answer> refuse(Request head, Optional<Long> length) {
    return guard
        .refuse(head, length.orElse(0L))
        .map(answer -> isGrpc(head) ? grpc(answer) : answer);
  }

  /** The answer that says the same in gRPC. */
  private static Answer grpc(Answer answer) {
    String why = new String(answer.body(), StandardCharsets.UTF_8);
    return switch (answer.status()) {
      case Answer.UNKNOWN -> failed(UNAUTHENTICATED, why);
      case Answer.FORBIDDEN -> failed(DENIED, why);
      case Answer.TOO_MANY, Answer.UNAVAILABLE -> failed(UNAVAILABLE, why);
      default -> failed(INVALID, why);
    };
  }

  private static Answer failed(int status, String why) {
    return new Answer(
        Answer.OK, Map.of("grpc-status", "" + status, "grpc-message", encoded(why)), GRPC, NOTHING);
  }

  /** A message with everything but printable ASCII percent-encoded, as gRPC wants it. */
  private static String encoded(String text) {
    StringBuilder encoded = new StringBuilder();
    for (byte b : text.getBytes(StandardCharsets.UTF_8)) {
      if (b >= ' ' && b < 127 && b != '%') {
        encoded.append((char) b);
      } else {
        encoded.append(String.format("%%%02X", b & 0xFF));
      }
    }
    return encoded.toString();
  }

  @Override
  public CompletableFuture<Answer> take(Request request) {
    try {
      return taken(request);
    } catch (RefusedException e) {
      Answer answer = e.answer();
      return CompletableFuture.completedFuture(isGrpc(request) ? grpc(answer) : answer);
    }
  }

  private CompletableFuture<Answer> taken(Request request) throws RefusedException {
    ExportLogsServiceRequest logs = read(request);
    Records all = LogRecords.of(logs);
    Records records = thatFit(all);
    long rejected = all.count() - records.count();
    if (records.count() == 0) {
      return CompletableFuture.completedFuture(done(request, rejected));
    }
    Optional<Answer> refused = guard.count(request, records.count());
    if (refused.isPresent()) {
      throw new RefusedException(refused.get());
    }
    Optional<CompletableFuture<Void>> stored =
        inbox.put(new Parcel(-1, records, NOTHING, Map.of(), ""));
    if (stored.isEmpty()) {
      throw new RefusedException(
          inbox.isShut()
              ? Answer.shut()
              : Answer.problem(
                      Answer.TOO_MANY, "the queue is full, or read too slowly: send it again later")
                  .with("retry-after", "1"));
    }
    return stored
        .get()
        .handle(
            (nothing, failure) -> {
              if (failure == null) {
                return done(request, rejected);
              }
              Answer answer =
                  Answer.problem(Answer.UNAVAILABLE, String.valueOf(failure.getMessage()))
                      .with("retry-after", "5");
              return isGrpc(request) ? grpc(answer) : answer;
            });
  }

  private ExportLogsServiceRequest read(Request request) throws RefusedException {
    try {
      if (isGrpc(request)) {
        return ExportLogsServiceRequest.parseFrom(message(request));
      }
      String encoding = request.header("content-encoding").orElse("");
      byte[] body = Unpacked.of(request.body(), encoding, most);
      if (isJson(request)) {
        return JsonRequests.read(body);
      }
      String type = request.header("content-type").orElse("");
      if (!type.startsWith(PROTOBUF)) {
        throw new RefusedException(
            Answer.problem(
                Answer.NO_SUCH_FORM,
                "its media type is '" + type + "': " + PROTOBUF + " and " + JSON + " are taken"));
      }
      return ExportLogsServiceRequest.parseFrom(body);
    } catch (InvalidProtocolBufferException | IllegalArgumentException e) {
      throw new RefusedException(
          Answer.problem(Answer.BAD, "it is no request to export logs: " + e.getMessage()));
    }
  }

  /**
   * The one message of a call: a byte that says whether it is compressed, its length, its bytes.
   */
  private byte[] message(Request request) throws RefusedException {
    byte[] body = request.body();
    boolean whole =
        body.length >= PREFIX && ByteBuffer.wrap(body, 1, 4).getInt() == body.length - PREFIX;
    if (!whole) {
      throw new RefusedException(
          Answer.problem(Answer.BAD, "a call has one message, whose length stands before it"));
    }
    byte[] message = Arrays.copyOfRange(body, PREFIX, body.length);
    String encoding = request.header("grpc-encoding").orElse("identity");
    return body[0] == 0 ? message : Unpacked.of(message, encoding, most);
  }

  /** Those that are not longer than the queue takes. */
  private Records thatFit(Records all) {
    int longest = inbox.longest() - 1024;
    return Filtered.of(all, i -> all.end(i) - all.start(i) <= longest);
  }

  private Answer done(Request request, long rejected) {
    ExportLogsServiceResponse.Builder response = ExportLogsServiceResponse.newBuilder();
    if (rejected > 0) {
      response.setPartialSuccess(
          ExportLogsPartialSuccess.newBuilder()
              .setRejectedLogRecords(rejected)
              .setErrorMessage(
                  Counted.of(rejected, "record")
                      + " longer than the "
                      + inbox.longest()
                      + " bytes of the queue"));
    }
    byte[] message = response.build().toByteArray();
    if (isGrpc(request)) {
      byte[] framed =
          ByteBuffer.allocate(PREFIX + message.length)
              .put((byte) 0)
              .putInt(message.length)
              .put(message)
              .array();
      return new Answer(Answer.OK, Map.of(), GRPC, framed, Map.of("grpc-status", "0"));
    }
    if (isJson(request)) {
      String partial =
          rejected == 0
              ? "{}"
              : "{\"partialSuccess\":{\"rejectedLogRecords\":\""
                  + rejected
                  + "\",\"errorMessage\":\""
                  + response.getPartialSuccess().getErrorMessage()
                  + "\"}}";
      return new Answer(Answer.OK, Map.of(), JSON, partial.getBytes(StandardCharsets.UTF_8));
    }
    return new Answer(Answer.OK, Map.of(), PROTOBUF, message);
  }
}

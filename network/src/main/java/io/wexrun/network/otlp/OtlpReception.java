package io.wexrun.network.otlp;

import com.google.protobuf.CodedInputStream;
import com.google.protobuf.CodedOutputStream;
import com.google.protobuf.InvalidProtocolBufferException;
import io.opentelemetry.proto.collector.logs.v1.ExportLogsPartialSuccess;
import io.opentelemetry.proto.collector.logs.v1.ExportLogsServiceRequest;
import io.opentelemetry.proto.collector.logs.v1.ExportLogsServiceResponse;
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
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.charset.StandardCharsets;
import java.util.Arrays;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
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

  /** Each value that is nested is three messages. */
  private static final int RECURSION = 400;

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
  public Set<String> origins() {
    return guard.origins();
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
    return guard.refuse(head, length.orElse(0L)).map(answer -> inItsForm(head, answer));
  }

  /**
   * The answer as OTLP wants it: in gRPC a status and a message, over HTTP a {@code
   * google.rpc.Status} in the encoding of the request (OTLP 1.x, "Failures").
   */
  private static Answer inItsForm(Request request, Answer answer) {
    int code =
        switch (answer.status()) {
          case Answer.UNKNOWN -> UNAUTHENTICATED;
          case Answer.FORBIDDEN -> DENIED;
          case Answer.TOO_MANY, Answer.UNAVAILABLE -> UNAVAILABLE;
          default -> INVALID;
        };
    if (isGrpc(request)) {
      return new Answer(
          Answer.OK,
          Map.of("grpc-status", "" + code, "grpc-message", encoded(answer.detail())),
          GRPC,
          NOTHING);
    }
    if (isJson(request)) {
      Answer status =
          Answer.json(answer.status(), Map.of("code", code, "message", answer.detail()));
      return new Answer(status.status(), answer.headers(), JSON, status.body());
    }
    return new Answer(answer.status(), answer.headers(), PROTOBUF, status(code, answer.detail()));
  }

  /** A {@code google.rpc.Status}: its code is field 1, its message field 2. */
  private static byte[] status(int code, String message) {
    byte[] bytes =
        new byte
            [CodedOutputStream.computeInt32Size(1, code)
                + CodedOutputStream.computeStringSize(2, message)];
    CodedOutputStream out = CodedOutputStream.newInstance(bytes);
    try {
      out.writeInt32(1, code);
      out.writeString(2, message);
    } catch (IOException e) {
      throw new IllegalStateException("an array takes every byte", e);
    }
    return bytes;
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
      return CompletableFuture.completedFuture(inItsForm(request, e.answer()));
    }
  }

  private CompletableFuture<Answer> taken(Request request) throws RefusedException {
    Rejected rejected = new Rejected();
    ExportLogsServiceRequest logs = read(request, rejected);
    Records records = thatFit(LogRecords.of(logs, rejected), rejected);
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
              return inItsForm(request, guard.notStored(failure));
            });
  }

  private ExportLogsServiceRequest read(Request request, Rejected rejected)
      throws RefusedException {
    try {
      if (isGrpc(request)) {
        return parsed(allowed(request, message(request)));
      }
      String encoding = request.header("content-encoding").orElse("");
      byte[] body = allowed(request, Unpacked.of(request.body(), encoding, most));
      if (isJson(request)) {
        return JsonRequests.read(body, rejected);
      }
      String type = request.header("content-type").orElse("");
      if (!type.startsWith(PROTOBUF)) {
        throw new RefusedException(
            Answer.problem(
                Answer.NO_SUCH_FORM,
                "its media type is '" + type + "': " + PROTOBUF + " and " + JSON + " are taken"));
      }
      return parsed(body);
    } catch (InvalidProtocolBufferException | IllegalArgumentException e) {
      throw new RefusedException(
          Answer.problem(Answer.BAD, "it is no request to export logs: " + e.getMessage()));
    }
  }

  /** Nested values are read deeper than they are taken, so that only their record is refused. */
  private static ExportLogsServiceRequest parsed(byte[] body)
      throws InvalidProtocolBufferException {
    CodedInputStream in = CodedInputStream.newInstance(body);
    in.setRecursionLimit(RECURSION);
    try {
      return ExportLogsServiceRequest.parseFrom(in);
    } catch (InvalidProtocolBufferException e) {
      throw e;
    } catch (IOException e) {
      throw new IllegalStateException("an array gives every byte", e);
    }
  }

  /** A message as it is unpacked, if its sender may send so much. */
  private byte[] allowed(Request request, byte[] plain) throws RefusedException {
    Optional<Answer> refused = guard.refuse(request, plain.length);
    if (refused.isPresent()) {
      throw new RefusedException(refused.get());
    }
    return plain;
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
  private Records thatFit(Records all, Rejected rejected) {
    int longest = inbox.longest() - 1024;
    Records fit = Filtered.of(all, i -> all.end(i) - all.start(i) <= longest);
    rejected.add(
        all.count() - fit.count(),
        "it is longer than the " + inbox.longest() + " bytes that the queue takes");
    return fit;
  }

  private Answer done(Request request, Rejected rejected) {
    ExportLogsServiceResponse.Builder response = ExportLogsServiceResponse.newBuilder();
    if (rejected.count() > 0) {
      response.setPartialSuccess(
          ExportLogsPartialSuccess.newBuilder()
              .setRejectedLogRecords(rejected.count())
              .setErrorMessage(rejected.why()));
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
      return Answer.json(
          Answer.OK,
          rejected.count() == 0
              ? Map.of()
              : Map.of(
                  "partialSuccess",
                  Map.of(
                      "rejectedLogRecords",
                      Long.toString(rejected.count()),
                      "errorMessage",
                      rejected.why())));
    }
    return new Answer(Answer.OK, Map.of(), PROTOBUF, message);
  }
}

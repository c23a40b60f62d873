package io.wexrun.network;

import static org.assertj.core.api.Assertions.assertThat;

import io.opentelemetry.api.common.AttributeKey;
import io.opentelemetry.api.common.Attributes;
import io.opentelemetry.api.common.Value;
import io.opentelemetry.api.logs.Logger;
import io.opentelemetry.api.logs.Severity;
import io.opentelemetry.exporter.otlp.http.logs.OtlpHttpLogRecordExporter;
import io.opentelemetry.exporter.otlp.logs.OtlpGrpcLogRecordExporter;
import io.opentelemetry.proto.collector.logs.v1.ExportLogsServiceRequest;
import io.opentelemetry.proto.collector.logs.v1.ExportLogsServiceResponse;
import io.opentelemetry.proto.common.v1.AnyValue;
import io.opentelemetry.proto.common.v1.ArrayValue;
import io.opentelemetry.proto.logs.v1.LogRecord;
import io.opentelemetry.proto.logs.v1.ResourceLogs;
import io.opentelemetry.proto.logs.v1.ScopeLogs;
import io.opentelemetry.sdk.logs.SdkLoggerProvider;
import io.opentelemetry.sdk.logs.export.BatchLogRecordProcessor;
import io.opentelemetry.sdk.logs.export.LogRecordExporter;
import io.opentelemetry.sdk.resources.Resource;
import io.wexrun.network.access.Tokens;
import java.net.URI;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.net.http.HttpResponse.BodyHandlers;
import java.nio.file.Path;
import java.time.Instant;
import java.util.List;
import java.util.concurrent.TimeUnit;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import tools.jackson.databind.JsonNode;
import tools.jackson.databind.json.JsonMapper;

/** The official SDK's exporters, and requests written by hand. */
class OtlpTest {
  private static final JsonMapper JSON = new JsonMapper();

  @TempDir private Path folder;
  private final HttpClient client = HttpClient.newHttpClient();

  private static LogRecordExporter exporter(String how, int port, String secret) {
    String address = "http://127.0.0.1:" + port;
    String compression = how.endsWith("gzip") ? "gzip" : "none";
    return how.startsWith("grpc")
        ? OtlpGrpcLogRecordExporter.builder()
            .setEndpoint(address)
            .setCompression(compression)
            .addHeader("authorization", "Bearer " + secret)
            .build()
        : OtlpHttpLogRecordExporter.builder()
            .setEndpoint(address + "/v1/logs")
            .setCompression(compression)
            .addHeader("authorization", "Bearer " + secret)
            .build();
  }

  @ParameterizedTest
  @ValueSource(strings = {"grpc", "grpc gzip", "http", "http gzip"})
  void whatAnSdkExportsArrivesWithItsTypes(String how) throws Exception {
    try (Receiver receiver = Receiver.of(folder, "otlp", 0);
        SdkLoggerProvider provider =
            SdkLoggerProvider.builder()
                .setResource(
                    Resource.create(
                        Attributes.of(AttributeKey.stringKey("service.name"), "tram-doors")))
                .addLogRecordProcessor(
                    BatchLogRecordProcessor.builder(exporter(how, receiver.port(), "x"))
                        .setMaxQueueSize(10_000) // It would lose what it has no room for.
                        .build())
                .build()) {
      Logger logger =
          provider.loggerBuilder("ostrel.doors").setInstrumentationVersion("1.4").build();
      for (int i = 0; i < 3000; i++) {
        logger
            .logRecordBuilder()
            .setTimestamp(Instant.parse("2026-05-03T03:00:00.123456Z").plusSeconds(i))
            .setSeverity(Severity.WARN)
            .setSeverityText("WARN")
            .setBody("door \"" + i + "\"\n\tsticks \u00fc")
            .setAttribute(AttributeKey.longKey("door"), (long) i)
            .setAttribute(AttributeKey.doubleKey("force"), 1.5)
            .setAttribute(AttributeKey.booleanKey("open"), true)
            .setAttribute(AttributeKey.stringArrayKey("lines"), List.of("7", "9"))
            .emit();
      }
      assertThat(provider.forceFlush().join(20, TimeUnit.SECONDS).isSuccess()).isTrue();
      List<Receiver.Taken> taken = receiver.take(3000);
      assertThat(taken).hasSize(3000);
      JsonNode first =
          taken.stream()
              .map(t -> JSON.readTree(t.text()))
              .filter(node -> node.path("attributes").path("door").asInt() == 7)
              .findFirst()
              .orElseThrow();
      assertThat(first.path("time").asLong()).isEqualTo(1_777_777_207_123_456L);
      assertThat(first.path("observed").asLong()).isPositive();
      assertThat(first.path("severity").asInt()).isEqualTo(13);
      assertThat(first.path("severity_text").asString()).isEqualTo("WARN");
      assertThat(first.path("body").asString()).isEqualTo("door \"7\"\n\tsticks \u00fc");
      assertThat(first.path("service").asString()).isEqualTo("tram-doors");
      assertThat(first.path("scope").asString()).isEqualTo("ostrel.doors");
      assertThat(first.path("scope_version").asString()).isEqualTo("1.4");
      assertThat(first.path("attributes"))
          .hasToString("{\"door\":7,\"force\":1.5,\"lines\":[\"7\",\"9\"],\"open\":true}");
    }
  }

  @Test
  void bodiesThatAreNoTextKeepTheirShape() throws Exception {
    try (Receiver receiver = Receiver.of(folder, "otlp", 0);
        SdkLoggerProvider provider =
            SdkLoggerProvider.builder()
                .addLogRecordProcessor(
                    BatchLogRecordProcessor.builder(exporter("grpc", receiver.port(), "")).build())
                .build()) {
      provider
          .get("x")
          .logRecordBuilder()
          .setBody(
              Value.of(
                  io.opentelemetry.api.common.KeyValue.of("n", Value.of(Long.MIN_VALUE)),
                  io.opentelemetry.api.common.KeyValue.of("b", Value.of(new byte[] {1, 2})),
                  io.opentelemetry.api.common.KeyValue.of("d", Value.of(Double.NaN))))
          .emit();
      assertThat(provider.forceFlush().join(20, TimeUnit.SECONDS).isSuccess()).isTrue();
      JsonNode record = JSON.readTree(receiver.take(1).get(0).text());
      assertThat(record.path("body"))
          .hasToString("{\"n\":-9223372036854775808,\"b\":\"AQI=\",\"d\":\"NaN\"}");
      assertThat(record.has("severity")).isFalse();
    }
  }

  private HttpResponse<byte[]> post(Receiver receiver, String type, String body) throws Exception {
    URI uri = URI.create("http://127.0.0.1:" + receiver.port() + "/v1/logs");
    HttpRequest request =
        HttpRequest.newBuilder(uri)
            .header("content-type", type)
            .POST(HttpRequest.BodyPublishers.ofString(body))
            .build();
    return client.send(request, BodyHandlers.ofByteArray());
  }

  @Test
  void jsonIsReadAsTheProtocolWritesIt() throws Exception {
    try (Receiver receiver = Receiver.of(folder, "otlp", 0)) {
      HttpResponse<byte[]> answer =
          post(
              receiver,
              "application/json",
              """
              {"resourceLogs": [{"resource": {"attributes": [
                 {"key": "service.name", "value": {"stringValue": "doors"}}]},
                "scopeLogs": [{"scope": {"name": "s"}, "logRecords": [
                 {"timeUnixNano": "1777777207123456789", "severityNumber": 9, "new": {},
                  "traceId": "5B8EFFF798038103D269B633813FC60C", "spanId": "EEE19B7EC3C1B174",
                  "body": {"stringValue": "a"},
                  "attributes": [{"key": "n", "value": {"intValue": "7"}},
                   {"key": "l", "value": {"arrayValue": {"values": [{"boolValue": true}]}}}]}]}]}]}
              """);
      assertThat(answer.statusCode()).isEqualTo(200);
      assertThat(new String(answer.body())).isEqualTo("{}");
      assertThat(receiver.take(1).get(0).text())
          .isEqualTo(
              "{\"time\":1777777207123456,\"severity\":9,\"body\":\"a\","
                  + "\"attributes\":{\"n\":7,\"l\":[true]},"
                  + "\"trace\":\"5b8efff798038103d269b633813fc60c\",\"span\":\"eee19b7ec3c1b174\","
                  + "\"service\":\"doors\",\"resource\":{\"service.name\":\"doors\"},"
                  + "\"scope\":\"s\"}");
      for (String broken : List.of("[]", "{")) {
        HttpResponse<byte[]> refused = post(receiver, "application/json", broken);
        assertThat(refused.statusCode()).as(broken).isEqualTo(400);
        assertThat(new String(refused.body()))
            .contains("\"code\":3", "\"message\":\"it is no request to export logs");
      }
      HttpResponse<byte[]> refused = post(receiver, "application/x-protobuf", "no message");
      assertThat(refused.statusCode()).isEqualTo(400);
      assertThat(refused.headers().firstValue("content-type")).hasValue("application/x-protobuf");
      assertThat(refused.body()).as("field 1, code 3; field 2, the message").startsWith(8, 3, 18);
      assertThat(post(receiver, "text/plain", "x").statusCode()).isEqualTo(415);
      HttpResponse<byte[]> empty = post(receiver, "application/x-protobuf", "");
      assertThat(ExportLogsServiceResponse.parseFrom(empty.body()).hasPartialSuccess()).isFalse();
      assertThat(receiver.texts()).isEmpty();
    }
  }

  private static String nested(int depth) {
    return "{\"arrayValue\":{\"values\":[".repeat(depth) + "{\"intValue\":1}" + "]}}".repeat(depth);
  }

  /** The others of the batch are taken. */
  @ParameterizedTest
  @ValueSource(
      strings = {
        "\"traceId\":\"x\"",
        "\"timeUnixNano\":\"-1\"",
        "\"timeUnixNano\":-1",
        "\"timeUnixNano\":\"soon\"",
        "\"timeUnixNano\":1.5",
        "\"timeUnixNano\":\"18446744073709551616\"",
        "\"timeUnixNano\":true",
        "\"severityNumber\":\"high\"",
        "\"body\":NESTED",
        "\"attributes\":[{\"key\":\"a\",\"value\":NESTED}]",
      })
  void aRecordThatCannotBeTakenIsToldAlone(String wrong) throws Exception {
    String good = "{\"body\":{\"stringValue\":\"a\"}}";
    String records = good + ",{" + wrong.replace("NESTED", nested(70)) + "}," + good;
    String json = "{\"resourceLogs\":[{\"scopeLogs\":[{\"logRecords\":[" + records + "]}]}]}";
    try (Receiver receiver = Receiver.of(folder, "otlp", 0)) {
      HttpResponse<byte[]> answer = post(receiver, "application/json", json);
      assertThat(answer.statusCode()).isEqualTo(200);
      assertThat(new String(answer.body()))
          .contains("\"rejectedLogRecords\":\"1\"", "not taken; the first one: ");
      assertThat(receiver.take(2)).hasSize(2);
    }
  }

  @Test
  void valuesAreNestedAsDeepInBothEncodings() throws Exception {
    AnyValue value = AnyValue.newBuilder().setIntValue(1).build();
    for (int i = 0; i < 70; i++) {
      value = AnyValue.newBuilder().setArrayValue(ArrayValue.newBuilder().addValues(value)).build();
    }
    LogRecord good =
        LogRecord.newBuilder().setBody(AnyValue.newBuilder().setStringValue("a")).build();
    byte[] request =
        ExportLogsServiceRequest.newBuilder()
            .addResourceLogs(
                ResourceLogs.newBuilder()
                    .addScopeLogs(
                        ScopeLogs.newBuilder()
                            .addLogRecords(LogRecord.newBuilder().setBody(value))
                            .addLogRecords(good)))
            .build()
            .toByteArray();
    try (Receiver receiver = Receiver.of(folder, "otlp", 0)) {
      HttpRequest post =
          HttpRequest.newBuilder(URI.create("http://127.0.0.1:" + receiver.port() + "/v1/logs"))
              .header("content-type", "application/x-protobuf")
              .POST(HttpRequest.BodyPublishers.ofByteArray(request))
              .build();
      HttpResponse<byte[]> answer =
          HttpClient.newHttpClient().send(post, BodyHandlers.ofByteArray());
      assertThat(
              ExportLogsServiceResponse.parseFrom(answer.body())
                  .getPartialSuccess()
                  .getRejectedLogRecords())
          .isEqualTo(1);
      assertThat(receiver.take(1)).hasSize(1);
    }
  }

  @ParameterizedTest
  @ValueSource(strings = {"grpc", "http"})
  void anExporterWithoutATokenIsRefused(String how) throws Exception {
    String secret =
        new Tokens(folder.resolve(".wexrun")).add("sdk", List.of("q"), false, 0, 0).secret();
    try (Receiver receiver = Receiver.of(folder, "otlp", 0, "access", "token")) {
      for (String shown : List.of("wrong", secret)) {
        try (SdkLoggerProvider provider =
            SdkLoggerProvider.builder()
                .addLogRecordProcessor(
                    BatchLogRecordProcessor.builder(exporter(how, receiver.port(), shown)).build())
                .build()) {
          provider.get("x").logRecordBuilder().setBody("with " + shown).emit();
          provider.forceFlush().join(20, TimeUnit.SECONDS);
        }
      }
      assertThat(receiver.take(1)).hasSize(1);
      assertThat(receiver.texts()).isEmpty();
    }
  }

  @Test
  void settingsAreChecked() {
    assertThat(Receiver.mistakes(folder, "otlp", 4318)).isEmpty();
    assertThat(Receiver.mistakes(folder, "otlp", "4318/v1/logs"))
        .containsExactly("bad-address: '4318/v1/logs' is not an address to listen at");
    assertThat(Receiver.mistakes(folder, "otlp", "*:4318")).hasSize(1);
  }
}

package io.wexrun.network.otlp;

import com.google.protobuf.ByteString;
import io.opentelemetry.proto.collector.logs.v1.ExportLogsServiceRequest;
import io.opentelemetry.proto.common.v1.AnyValue;
import io.opentelemetry.proto.common.v1.ArrayValue;
import io.opentelemetry.proto.common.v1.InstrumentationScope;
import io.opentelemetry.proto.common.v1.KeyValue;
import io.opentelemetry.proto.common.v1.KeyValueList;
import io.opentelemetry.proto.logs.v1.LogRecord;
import io.opentelemetry.proto.logs.v1.ResourceLogs;
import io.opentelemetry.proto.logs.v1.ScopeLogs;
import io.opentelemetry.proto.resource.v1.Resource;
import io.wexrun.network.door.JsonMistake;
import java.math.BigDecimal;
import java.math.BigInteger;
import java.util.ArrayList;
import java.util.Base64;
import java.util.HexFormat;
import java.util.List;
import tools.jackson.core.JacksonException;
import tools.jackson.databind.JsonNode;
import tools.jackson.databind.json.JsonMapper;

/**
 * Requests as JSON (OTLP 1.x, "JSON Protobuf Encoding"): names in lowerCamelCase, 64-bit numbers
 * also as text, ids in hexadecimal. What is not known is passed over.
 */
final class JsonRequests {
  private static final JsonMapper JSON = new JsonMapper();

  private JsonRequests() {}

  /**
   * Reads a request.
   *
   * @param rejected takes records with values that cannot be taken
   * @throws IllegalArgumentException if it is none; the message says why
   */
  static ExportLogsServiceRequest read(byte[] body, Rejected rejected) {
    try {
      ExportLogsServiceRequest.Builder request = ExportLogsServiceRequest.newBuilder();
      JsonNode root = JSON.readTree(body);
      if (root == null || !root.isObject()) {
        throw new IllegalArgumentException("it is not a JSON object");
      }
      for (JsonNode node : root.path("resourceLogs")) {
        request.addResourceLogs(resource(node, rejected));
      }
      return request.build();
    } catch (JacksonException e) {
      throw new IllegalArgumentException(JsonMistake.of(e), e);
    }
  }

  private static ResourceLogs resource(JsonNode node, Rejected rejected) {
    ResourceLogs.Builder resource =
        ResourceLogs.newBuilder()
            .setResource(
                Resource.newBuilder()
                    .addAllAttributes(attributes(node.path("resource").path("attributes"))));
    for (JsonNode inside : node.path("scopeLogs")) {
      JsonNode scope = inside.path("scope");
      ScopeLogs.Builder logs =
          ScopeLogs.newBuilder()
              .setScope(
                  InstrumentationScope.newBuilder()
                      .setName(text(scope, "name"))
                      .setVersion(text(scope, "version"))
                      .addAllAttributes(attributes(scope.path("attributes"))));
      for (JsonNode record : inside.path("logRecords")) {
        try {
          logs.addLogRecords(record(record));
        } catch (IllegalArgumentException e) {
          rejected.add(1, e.getMessage());
        }
      }
      resource.addScopeLogs(logs);
    }
    return resource.build();
  }

  private static LogRecord record(JsonNode node) {
    LogRecord.Builder record =
        LogRecord.newBuilder()
            .setTimeUnixNano(nanos(node, "timeUnixNano"))
            .setObservedTimeUnixNano(nanos(node, "observedTimeUnixNano"))
            .setSeverityNumberValue((int) number(node, "severityNumber"))
            .setSeverityText(text(node, "severityText"))
            .setEventName(text(node, "eventName"))
            .setFlags((int) number(node, "flags"))
            .setTraceId(hex(node, "traceId"))
            .setSpanId(hex(node, "spanId"))
            .addAllAttributes(attributes(node.path("attributes")));
    if (node.hasNonNull("body")) {
      record.setBody(value(node.path("body")));
    }
    return record.build();
  }

  private static List<KeyValue> attributes(JsonNode nodes) {
    List<KeyValue> all = new ArrayList<>();
    for (JsonNode node : nodes) {
      all.add(
          KeyValue.newBuilder()
              .setKey(text(node, "key"))
              .setValue(value(node.path("value")))
              .build());
    }
    return all;
  }

  private static AnyValue value(JsonNode node) {
    AnyValue.Builder value = AnyValue.newBuilder();
    if (node.has("stringValue")) {
      value.setStringValue(text(node, "stringValue"));
    } else if (node.has("boolValue")) {
      value.setBoolValue(node.path("boolValue").asBoolean(false));
    } else if (node.has("intValue")) {
      value.setIntValue(number(node, "intValue"));
    } else if (node.has("doubleValue")) {
      JsonNode number = node.path("doubleValue");
      value.setDoubleValue(
          number.isNumber() ? number.asDouble() : Double.parseDouble(number.asString()));
    } else if (node.has("bytesValue")) {
      value.setBytesValue(
          ByteString.copyFrom(Base64.getDecoder().decode(text(node, "bytesValue"))));
    } else if (node.has("arrayValue")) {
      ArrayValue.Builder array = ArrayValue.newBuilder();
      node.path("arrayValue").path("values").forEach(each -> array.addValues(value(each)));
      value.setArrayValue(array);
    } else if (node.has("kvlistValue")) {
      value.setKvlistValue(
          KeyValueList.newBuilder()
              .addAllValues(attributes(node.path("kvlistValue").path("values"))));
    }
    return value.build();
  }

  private static String text(JsonNode node, String name) {
    JsonNode value = node.path(name);
    if (value.isMissingNode() || value.isNull()) {
      return "";
    }
    if (!value.isString()) {
      throw new IllegalArgumentException("'" + name + "' is not a text");
    }
    return value.asString();
  }

  private static long number(JsonNode node, String name) {
    JsonNode value = node.path(name);
    if (value.isMissingNode() || value.isNull()) {
      return 0;
    }
    try {
      return new BigDecimal(value.asString()).longValueExact();
    } catch (NumberFormatException | ArithmeticException | JacksonException e) {
      throw new IllegalArgumentException("'" + name + "' is not a number of 64 bits", e);
    }
  }

  /** A {@code fixed64}: a number that is not negative, also as text. */
  private static long nanos(JsonNode node, String name) {
    JsonNode value = node.path(name);
    if (value.isMissingNode() || value.isNull()) {
      return 0;
    }
    try {
      BigInteger number = new BigDecimal(value.asString()).toBigIntegerExact();
      if (number.signum() >= 0 && number.bitLength() <= Long.SIZE) {
        return number.longValue();
      }
    } catch (NumberFormatException | ArithmeticException | JacksonException e) {
      // It is told below.
    }
    throw new IllegalArgumentException("'" + name + "' is not a number of nanoseconds since 1970");
  }

  private static ByteString hex(JsonNode node, String name) {
    String text = text(node, name);
    try {
      return ByteString.copyFrom(HexFormat.of().parseHex(text));
    } catch (IllegalArgumentException e) {
      throw new IllegalArgumentException("'" + name + "' is not hexadecimal", e);
    }
  }
}

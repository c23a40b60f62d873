package io.wexrun.network.otlp;

import io.opentelemetry.proto.collector.logs.v1.ExportLogsServiceRequest;
import io.opentelemetry.proto.common.v1.KeyValue;
import io.opentelemetry.proto.logs.v1.LogRecord;
import io.opentelemetry.proto.logs.v1.ResourceLogs;
import io.opentelemetry.proto.logs.v1.ScopeLogs;
import io.wexrun.core.intake.Records;
import java.util.Arrays;
import java.util.BitSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;

/**
 * Log records as JSON objects with the fields of {@link #COLUMNS}. What their resource and scope
 * have is in each of them.
 */
final class LogRecords {
  /** The fields, and how they are read. */
  static final Map<String, Object> COLUMNS = columns();

  private static final String SERVICE = "service.name";
  private static final long NANOS = 1000;

  private LogRecords() {}

  private static Map<String, Object> columns() {
    Map<String, Object> columns = new LinkedHashMap<>();
    columns.put("time", "timestamp 'epoch us'");
    columns.put("observed", "timestamp 'epoch us'");
    columns.put("severity", "int");
    columns.put("severity_text", "text");
    columns.put("service", "text");
    columns.put("body", "text");
    columns.put("attributes", "json");
    columns.put("resource", "json");
    columns.put("scope", "text");
    columns.put("scope_version", "text");
    columns.put("scope_attributes", "json");
    columns.put("event", "text");
    columns.put("trace", "text");
    columns.put("span", "text");
    columns.put("flags", "long");
    return columns;
  }

  /**
   * The records of a request, in order.
   *
   * @param rejected takes those with values that are nested too deep
   */
  static Records of(ExportLogsServiceRequest request, Rejected rejected) {
    JsonBytes out = new JsonBytes(request.getSerializedSize() * 2);
    int[] starts = new int[64];
    int[] ends = new int[64];
    int count = 0;
    for (ResourceLogs resource : request.getResourceLogsList()) {
      List<KeyValue> described = resource.getResource().getAttributesList();
      byte[] resourceJson = JsonBytes.of(described);
      String service = service(described);
      for (ScopeLogs scope : resource.getScopeLogsList()) {
        byte[] scopeJson = JsonBytes.of(scope.getScope().getAttributesList());
        for (LogRecord record : scope.getLogRecordsList()) {
          if (JsonBytes.isTooDeep(record.getBody())
              || JsonBytes.areTooDeep(record.getAttributesList())) {
            rejected.add(1, "its values are nested more than " + JsonBytes.DEEPEST + " deep");
            continue;
          }
          if (count == starts.length) {
            starts = Arrays.copyOf(starts, count * 2);
            ends = Arrays.copyOf(ends, count * 2);
          }
          starts[count] = out.length();
          write(record, out);
          out.text("service", service);
          out.written("resource", resourceJson);
          out.text("scope", scope.getScope().getName());
          out.text("scope_version", scope.getScope().getVersion());
          out.written("scope_attributes", scopeJson);
          out.end();
          ends[count++] = out.length();
        }
      }
    }
    return Records.numbered(out.data(), starts, ends, count, 0, new BitSet());
  }

  private static String service(List<KeyValue> attributes) {
    for (KeyValue attribute : attributes) {
      if (attribute.getKey().equals(SERVICE)) {
        return attribute.getValue().getStringValue();
      }
    }
    return "";
  }

  private static void write(LogRecord record, JsonBytes out) {
    out.begin();
    long observed = record.getObservedTimeUnixNano();
    long time = record.getTimeUnixNano() == 0 ? observed : record.getTimeUnixNano();
    if (time != 0) {
      out.number("time", Long.divideUnsigned(time, NANOS));
    }
    if (observed != 0) {
      out.number("observed", Long.divideUnsigned(observed, NANOS));
    }
    if (record.getSeverityNumberValue() != 0) {
      out.number("severity", record.getSeverityNumberValue());
    }
    out.text("severity_text", record.getSeverityText());
    out.value("body", record.getBody());
    out.attributes("attributes", record.getAttributesList());
    out.text("event", record.getEventName());
    out.hex("trace", record.getTraceId());
    out.hex("span", record.getSpanId());
    if (record.getFlags() != 0) {
      out.number("flags", Integer.toUnsignedLong(record.getFlags()));
    }
  }
}

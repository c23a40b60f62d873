package io.wexrun.network.otlp;

import io.wexrun.core.connect.IntakeOpening;
import io.wexrun.core.connect.Site;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.written.Form;
import io.wexrun.network.door.Address;
import io.wexrun.network.door.Inbox;
import io.wexrun.network.http.HttpReceiving;
import io.wexrun.network.http.Route;
import io.wexrun.queue.Queue;
import java.util.List;
import java.util.Map;
import java.util.Set;

/**
 * {@code intake: {otlp: 4318}}: log records of OpenTelemetry exporters, over gRPC and HTTP at one
 * address. A record is a JSON object; its fields are there, typed, before the first step.
 */
public final class OtlpConnector extends HttpReceiving {
  private static final String HTTP = "/v1/logs";
  private static final String GRPC = "/opentelemetry.proto.collector.logs.v1.LogsService/Export";

  /** Found as a service. */
  public OtlpConnector() {
    super("otlp");
  }

  @Override
  protected Map<String, Form> own() {
    Map<String, Form> forms =
        Form.with(
            kind(),
            Form.text().about("ADDRESS, such as 4318 or *:4318, for gRPC and HTTP"),
            Settings.COLUMNS,
            Form.specs());
    forms.putAll(common());
    return forms;
  }

  @Override
  public boolean describes(Settings settings) {
    return true;
  }

  @Override
  public Map<String, Object> columns(Settings settings, Site site) {
    return LogRecords.COLUMNS;
  }

  @Override
  public Set<String> takesAway(Settings settings, Site site) {
    return Address.read(address(settings))
        .map(address -> Set.of("what comes to " + address + HTTP))
        .orElse(Set.of());
  }

  @Override
  protected Entrance enter(IntakeOpening opening, Queue queue, Inbox inbox) {
    OtlpReception reception =
        new OtlpReception(inbox, guard(opening, queue.name()), most(opening.settings()));
    return serve(opening, List.of(new Route(HTTP, reception), new Route(GRPC, reception)));
  }
}

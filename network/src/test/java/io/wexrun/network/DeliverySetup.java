package io.wexrun.network;

import com.sun.net.httpserver.HttpExchange;
import com.sun.net.httpserver.HttpServer;
import io.wexrun.contract.FolderSite;
import io.wexrun.contract.TypedRows;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.schema.Type;
import io.wexrun.core.target.Flush;
import io.wexrun.core.target.Receipt;
import io.wexrun.core.target.Store;
import io.wexrun.core.target.Target;
import io.wexrun.network.collector.Collector;
import io.wexrun.network.collector.Manners;
import io.wexrun.network.delivery.DeliveryConnector;
import io.wexrun.network.door.Address;
import java.io.IOException;
import java.net.InetAddress;
import java.net.InetSocketAddress;
import java.nio.charset.StandardCharsets;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.concurrent.CopyOnWriteArrayList;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.io.TempDir;
import tools.jackson.databind.json.JsonMapper;

/** A store of deliveries, with receivers for it: a scripted server, and our own collector. */
abstract class DeliverySetup {
  static final SourcePartition S = new SourcePartition("gates.log");
  static final Table SCANS =
      Table.in("office", "scans")
          .column("time", Type.Scalar.TIMESTAMP)
          .column("gate", Type.Scalar.TEXT)
          .column("ms", Type.Scalar.INT)
          .build();
  static final List<List<String>> TWO =
      List.of(
          List.of("2026-05-03T04:00:00Z", "a \"quoted\", ü", "7"),
          Arrays.asList("2026-05-03T04:00:01.5Z", null, "8"));

  static final JsonMapper JSON = JsonMapper.builder().build();

  @TempDir Path folder;
  final List<Collector.Taken> taken = new CopyOnWriteArrayList<>();
  final List<AutoCloseable> open = new ArrayList<>();

  @AfterEach
  void close() throws Exception {
    for (AutoCloseable each : open) {
      each.close();
    }
  }

  /** A request as it came. */
  record Came(Map<String, String> headers, String path, byte[] body) {
    String text() {
      return new String(body, StandardCharsets.UTF_8);
    }
  }

  /** What a server answers. */
  record Says(int status, Map<String, String> headers, String body) {
    static Says status(int status) {
      return new Says(status, Map.of(), "");
    }
  }

  /** Answers each request with the next of some answers, and with 200 then. */
  final class Scripted implements AutoCloseable {
    private final HttpServer server;
    final List<Came> came = new CopyOnWriteArrayList<>();
    private final List<Says> script;
    private int at;

    Scripted(Says... script) throws IOException {
      this.script = List.of(script);
      server = HttpServer.create(new InetSocketAddress(InetAddress.getLoopbackAddress(), 0), 0);
      server.createContext("/", this::answer);
      server.start();
      open.add(this);
    }

    private synchronized void answer(HttpExchange exchange) throws IOException {
      Map<String, String> headers = new LinkedHashMap<>();
      exchange
          .getRequestHeaders()
          .forEach((name, values) -> headers.put(name.toLowerCase(), String.join(",", values)));
      String path = exchange.getRequestMethod() + " " + exchange.getRequestURI();
      came.add(new Came(headers, path, exchange.getRequestBody().readAllBytes()));
      Says says = at < script.size() ? script.get(at++) : new Says(200, Map.of(), "");
      says.headers().forEach((name, value) -> exchange.getResponseHeaders().set(name, value));
      byte[] body = says.body().getBytes(StandardCharsets.UTF_8);
      exchange.sendResponseHeaders(says.status(), body.length == 0 ? -1 : body.length);
      exchange.getResponseBody().write(body);
      exchange.close();
    }

    String address(String path) {
      return "http://127.0.0.1:" + server.getAddress().getPort() + path;
    }

    @Override
    public void close() {
      server.stop(0);
    }
  }

  Collector collector(Manners manners) {
    Collector collector = new Collector(Address.read("0").orElseThrow(), manners, taken::add);
    open.add(collector);
    return collector;
  }

  static String address(Collector collector) {
    return "http://127.0.0.1:" + collector.port() + "/{table}";
  }

  Store store(String address, Object... more) {
    return new DeliveryConnector()
        .open("office", Receiver.settings("http", address, more), new FolderSite(folder));
  }

  static Flush flush(long from, List<List<String>> rows) {
    return new Flush(
        List.of(
            new Flush.Part(S, from, from + rows.size(), TypedRows.of(SCANS.schema(), from, rows))));
  }

  Receipt deliver(long from, List<List<String>> rows, String address, Object... more) {
    try (Store store = store(address, more)) {
      return deliver(store, from, rows);
    }
  }

  static Receipt deliver(Store store, long from, List<List<String>> rows) {
    try (Target target = store.target("passages", SCANS)) {
      return target.stage(flush(from, rows)).commit();
    }
  }

  static List<List<String>> rows(int count) {
    List<List<String>> rows = new ArrayList<>();
    for (int i = 0; i < count; i++) {
      rows.add(List.of("2026-05-03T04:00:00Z", "g" + i, Integer.toString(i)));
    }
    return rows;
  }
}

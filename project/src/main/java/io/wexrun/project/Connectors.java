package io.wexrun.project;

import io.wexrun.core.connect.IntakeConnector;
import io.wexrun.core.connect.StoreConnector;
import java.util.Map;
import java.util.ServiceLoader;
import java.util.TreeMap;

/** The kinds of intakes and stores on the class path. */
final class Connectors {
  private final Map<String, IntakeConnector> intakes = new TreeMap<>();
  private final Map<String, StoreConnector> stores = new TreeMap<>();

  Connectors() {
    ServiceLoader.load(IntakeConnector.class).forEach(c -> intakes.put(c.kind(), c));
    ServiceLoader.load(StoreConnector.class).forEach(c -> stores.put(c.kind(), c));
  }

  Map<String, IntakeConnector> intakes() {
    return intakes;
  }

  Map<String, StoreConnector> stores() {
    return stores;
  }
}

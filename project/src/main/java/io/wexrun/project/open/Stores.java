package io.wexrun.project.open;

import io.wexrun.core.connect.Site;
import io.wexrun.core.connect.StoreConnector;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.target.Querying;
import io.wexrun.core.target.Store;
import io.wexrun.project.definition.WorkspaceDefinition;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.function.Predicate;

/** The stores of a workspace, each opened once, when first used. For several threads. */
public final class Stores implements AutoCloseable {
  private final Site site;
  private volatile WorkspaceDefinition definition;
  private final Optional<Stores> others;
  private final Connectors connectors;
  private final Map<String, Store> open = new LinkedHashMap<>();

  /** The stores of a definition. */
  public Stores(Site site, WorkspaceDefinition definition, Connectors connectors) {
    this(site, definition, connectors, Optional.empty());
  }

  private Stores(
      Site site, WorkspaceDefinition definition, Connectors connectors, Optional<Stores> others) {
    this.others = others;
    this.site = site;
    this.definition = definition;
    this.connectors = connectors;
  }

  /**
   * Stores of a definition that is only tried: where it has those of this one, these are used. It
   * is closed before this one is.
   */
  public Stores tried(Site where, WorkspaceDefinition other) {
    return new Stores(where, other, connectors, Optional.of(this));
  }

  /**
   * From now on the stores are those of another definition; those that are not in it any more, or
   * otherwise, are closed. Nobody uses these.
   */
  public synchronized void redefine(WorkspaceDefinition other) {
    for (String name : List.copyOf(open.keySet())) {
      if (!definition.stores().get(name).equals(other.stores().get(name))) {
        open.remove(name).close();
      }
    }
    definition = other;
  }

  /** Whether a store is defined, of a kind that is known, and there already. */
  public boolean exists(String name) {
    Settings settings = definition.stores().get(name);
    StoreConnector connector = settings == null ? null : connectors.stores().get(settings.kind());
    return connector != null && connector.exists(settings, site);
  }

  /**
   * A store, made if it is not there.
   *
   * @param name of one that is defined
   * @throws OutsideException if it cannot be opened
   */
  public synchronized Store open(String name) {
    return open.computeIfAbsent(
        name,
        n -> {
          Settings settings = definition.stores().get(n);
          Optional<Stores> same = others.filter(o -> settings.equals(o.definition.stores().get(n)));
          if (same.isPresent()) {
            return same.get().open(n);
          }
          return connectors.stores().get(settings.kind()).open(n, settings, site);
        });
  }

  /** A script that sets a store up, as {@link StoreConnector#setup} gives it. */
  public Optional<String> setup(String name, List<Table> tables, Optional<String> role) {
    Settings settings = definition.stores().get(name);
    return Optional.ofNullable(connectors.stores().get(settings.kind()))
        .flatMap(connector -> connector.setup(name, settings, tables, role));
  }

  /** The names of the stores that answer queries, in the order of their definitions. */
  public List<String> answering() {
    return definition.stores().keySet().stream()
        .filter(name -> can(name, StoreConnector::answersQueries))
        .toList();
  }

  /** The names of the stores that put rows aside, in the order of their definitions. */
  public List<String> resending() {
    return definition.stores().keySet().stream()
        .filter(name -> can(name, StoreConnector::resends))
        .toList();
  }

  /** Whether a store is of a kind that puts tables in the places of others. */
  public boolean swaps(String name) {
    return can(name, StoreConnector::swaps);
  }

  /** Whether a store is of a kind that keeps tables in files. */
  public boolean files(String name) {
    return can(name, StoreConnector::files);
  }

  private boolean can(String name, Predicate<StoreConnector> what) {
    StoreConnector connector = connectors.stores().get(definition.stores().get(name).kind());
    return connector != null && what.test(connector);
  }

  /** A store that is open already; empty if it is not. */
  public synchronized Optional<Store> ifOpen(String name) {
    return Optional.ofNullable(open.get(name));
  }

  /**
   * A store that answers queries.
   *
   * @throws OutsideException if it cannot be opened, or does not answer any
   */
  public Querying query(String name) {
    if (open(name) instanceof Querying querying) {
      return querying;
    }
    String kind = definition.stores().get(name).kind();
    throw OutsideException.lasting(
        "store "
            + name
            + " is a "
            + kind
            + " store, which does not answer queries"
            + answering().stream()
                .findFirst()
                .map(other -> "; --store " + other + " does, and a DuckDB store reads files, too")
                .orElse(""));
  }

  @Override
  public synchronized void close() {
    open.forEach(
        (name, store) -> {
          if (others.flatMap(o -> o.ifOpen(name)).filter(store::equals).isEmpty()) {
            store.close();
          }
        });
    open.clear();
  }
}

package io.wexrun.project;

import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.target.AddedColumn;
import io.wexrun.core.target.Comparing;
import io.wexrun.core.target.TableDifference;
import io.wexrun.project.ask.Asking;
import io.wexrun.project.definition.WorkspaceDefinition;
import io.wexrun.project.facts.TableVersion;
import io.wexrun.project.open.Connectors;
import io.wexrun.project.open.Stores;
import io.wexrun.project.open.WorkspaceSite;
import io.wexrun.project.read.DefinitionText;
import io.wexrun.state.PipelineTexts;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Collection;
import java.util.Comparator;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalLong;

/** The tables of a workspace, as they are defined and as they are in their stores. */
public final class WorkspaceTables {
  private final WorkspaceDefinition definition;

  /** Tables stand behind a pipeline in a text. */
  private static final String PIPELINE = "pipeline: none\n";

  private final Stores stores;
  private final Path data;
  private final Optional<PipelineTexts> texts;

  WorkspaceTables(
      WorkspaceDefinition definition, Stores stores, Path data, Optional<PipelineTexts> texts) {
    this.definition = definition;
    this.stores = stores;
    this.data = data;
    this.texts = texts;
  }

  /** The table whose definition another process has sent. */
  static Table table(String definition) {
    Diagnostics diagnostics = Diagnostics.of("a question");
    return DefinitionText.readTables("a table", PIPELINE + definition, diagnostics)
        .values()
        .stream()
        .findFirst()
        .orElseThrow(() -> OutsideException.lasting("a table was asked for that has mistakes"));
  }

  /**
   * The columns of a table that is there.
   *
   * @param definition what has the store
   * @return empty if there is no such table
   * @throws OutsideException if the store cannot be opened, and no run can be asked
   */
  static Optional<Schema> live(
      Path folder,
      WorkspaceDefinition definition,
      Connectors connectors,
      String store,
      String table) {
    try (WorkspaceSite site = new WorkspaceSite(folder, definition, connectors);
        Stores stores = new Stores(site, definition, connectors)) {
      if (!stores.exists(store)) {
        return Optional.empty();
      }
      Table wanted = new Table(table, store, Schema.EMPTY, Map.of());
      return new WorkspaceTables(definition, stores, site.data(), Optional.empty())
          .comparing(wanted)
          .flatMap(comparing -> comparing.columns(table));
    }
  }

  /**
   * A store that compares its tables; if a run of another process holds it, what that run says.
   *
   * @throws OutsideException if it cannot be opened, and no run can be asked
   */
  private Optional<Comparing> comparing(Table table) {
    try {
      return Optional.of(stores.open(table.store()))
          .filter(Comparing.class::isInstance)
          .map(Comparing.class::cast);
    } catch (OutsideException e) {
      return Optional.of(
          Asking.table(data, table.store(), DefinitionText.of(List.of(table)))
              .orElseThrow(() -> e));
    }
  }

  /**
   * How many rows that were loaded into a table with a key took the places of others.
   *
   * @return empty if that is not known, as {@link Comparing#replaced} says
   * @throws OutsideException if the store cannot be asked
   */
  OptionalLong replaced(Table table) {
    return table.key().isEmpty() || !stores.exists(table.store())
        ? OptionalLong.empty()
        : comparing(table).map(store -> store.replaced(table)).orElse(OptionalLong.empty());
  }

  /**
   * How a table stands in its store.
   *
   * @param table its definition
   * @param there whether the store has it; empty if the store cannot tell, or could not be asked
   * @param difference how it differs from its definition, so that a run would stop
   * @param edges columns that hold the values in another type, with what happens at its edges
   * @param grants statements that grant the rights that loading needs and the store's user lacks
   * @param ddl the statement that makes it, in the store's dialect; empty if there is none
   * @param failure why the store could not be asked
   */
  public record Facts(
      Table table,
      Optional<Boolean> there,
      Optional<TableDifference> difference,
      List<TableDifference.Column> edges,
      List<String> grants,
      String ddl,
      Optional<OutsideException> failure) {
    /** Whether it is not there, and a run does not make it. */
    public boolean missing() {
      return table.manage() == Table.Manage.NEVER && there.equals(Optional.of(false));
    }

    /** Whether a run would stop at it. */
    public boolean stops() {
      return difference.isPresent() || missing() || !grants.isEmpty();
    }
  }

  /**
   * Scripts by which administrators set up the stores of tables, by store.
   *
   * @param role the one that loads; the user of each store if empty
   */
  public Map<String, String> setups(Optional<String> role) {
    Map<String, String> scripts = new LinkedHashMap<>();
    for (String store : definition.stores().keySet()) {
      List<Table> tables =
          definition.tables().values().stream().filter(t -> t.store().equals(store)).toList();
      stores.setup(store, tables, role).ifPresent(script -> scripts.put(store, script));
    }
    return scripts;
  }

  /** All tables, in the order of their definitions. Opens the stores that are there, makes none. */
  public List<Facts> facts() {
    return facts(definition.tables().keySet());
  }

  /** The same of some tables; names of others are passed over. */
  List<Facts> facts(Collection<String> names) {
    Map<String, OutsideException> failing = new LinkedHashMap<>();
    List<Facts> facts = new ArrayList<>();
    for (Table table : definition.tables().values()) {
      if (!names.contains(table.name())) {
        continue;
      }
      OutsideException failure = failing.get(table.store());
      if (failure == null) {
        try {
          facts.add(facts(table));
          continue;
        } catch (OutsideException e) {
          failing.put(table.store(), e);
          failure = e;
        }
      }
      facts.add(
          new Facts(
              table,
              Optional.empty(),
              Optional.empty(),
              List.of(),
              List.of(),
              "",
              Optional.of(failure)));
    }
    return facts;
  }

  private Facts facts(Table table) {
    if (!stores.exists(table.store())) {
      return new Facts(
          table, Optional.of(false), Optional.empty(), List.of(), List.of(), "", Optional.empty());
    }
    Optional<Comparing> store = comparing(table);
    if (store.isEmpty()) {
      return new Facts(
          table, Optional.empty(), Optional.empty(), List.of(), List.of(), "", Optional.empty());
    }
    Comparing comparing = store.get();
    Optional<TableDifference> compared = comparing.compare(table);
    Optional<TableDifference> difference =
        compared
            .filter(TableDifference::stops)
            .flatMap(found -> followed(table, found) ? Optional.empty() : Optional.of(found));
    return new Facts(
        table,
        Optional.of(comparing.has(table.name())),
        difference,
        compared.filter(found -> !found.stops()).map(TableDifference::columns).orElse(List.of()),
        comparing.missingRights(table),
        comparing.ddl(table),
        Optional.empty());
  }

  /**
   * Whether a table is in its store; also if the store cannot tell.
   *
   * @throws OutsideException if the store cannot be opened, and no run can be asked
   */
  boolean isThere(Table table) {
    return stores.exists(table.store())
        && comparing(table).map(store -> store.has(table.name())).orElse(true);
  }

  /** How many rows a table has in its store; empty if there is none, or if it cannot be told. */
  public OptionalLong rows(Facts facts) {
    boolean there = facts.there().orElse(false);
    return there
        ? comparing(facts.table())
            .map(store -> store.rows(facts.table()))
            .orElse(OptionalLong.empty())
        : OptionalLong.empty();
  }

  /** The columns that a table got because data had fields for which it had none. */
  public List<AddedColumn> added(Facts facts) {
    boolean there = facts.there().orElse(false);
    return there
        ? comparing(facts.table()).map(store -> store.added(facts.table().name())).orElse(List.of())
        : List.of();
  }

  /** The definitions of a table that pipelines took up behind their first ones, oldest first. */
  public List<TableVersion> versions(Facts facts) {
    List<TableVersion> versions = new ArrayList<>();
    for (String pipeline : texts.map(PipelineTexts::pipelines).orElse(List.of())) {
      versions.addAll(
          TableVersion.of(facts.table().name(), pipeline, texts.orElseThrow().turns(pipeline)));
    }
    versions.sort(Comparator.comparing(TableVersion::at));
    return versions;
  }

  /** Whether all that differs are columns that the next run adds. */
  private static boolean followed(Table table, TableDifference difference) {
    return table.manage() == Table.Manage.FOLLOW
        && difference.columns().stream()
            .allMatch(
                column ->
                    column.there().isEmpty()
                        && table.schema().find(column.name()).stream()
                            .noneMatch(place -> table.schema().column(place).required()));
  }
}

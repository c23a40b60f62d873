package io.wexrun.project.open;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.identity.Identity;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.OriginColumns;
import io.wexrun.core.pipeline.Route;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.run.TargetOpener;
import io.wexrun.core.target.CountingTarget;
import io.wexrun.core.target.Store;
import io.wexrun.core.target.Swapping;
import io.wexrun.core.target.Swapping.Exchange;
import io.wexrun.core.target.Target;
import io.wexrun.project.definition.WorkspaceDefinition;
import io.wexrun.queue.Queue;
import io.wexrun.queue.ends.DeadLetters;
import io.wexrun.queue.ends.Queues;
import io.wexrun.queue.log.QueueRecord;
import io.wexrun.state.Rebuilds.Rebuild;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.function.Predicate;

/**
 * The tables of a rebuild and its dead letters, beside those in whose places they are to be. Used
 * by one thread.
 */
public final class Shadows {
  private final Rebuild rebuild;
  private final Map<String, Table> tables;
  private final Places places;
  private final TargetOpener letters;

  /** Where they are. */
  record Places(Stores stores, Queues queues, WorkspaceDefinition definition) {}

  /**
   * Of a rebuild.
   *
   * @param tables as its text says
   * @param letters opens a queue of dead letters
   */
  Shadows(Rebuild rebuild, Map<String, Table> tables, Places places, TargetOpener letters) {
    this.rebuild = rebuild;
    this.tables = tables;
    this.places = places;
    this.letters = letters;
  }

  /**
   * Opens them in the places of what a pipeline writes to; what is not built again is only counted.
   *
   * @param positions up to where that has been counted
   */
  public TargetOpener opener(Map<SourcePartition, Long> positions) {
    return (name, writer) -> {
      if (name.equals(Route.DEAD)) {
        return letters.open(rebuild.letters(), writer);
      }
      return rebuild.tables().containsKey(name)
          ? target(name, writer)
          : new CountingTarget(positions);
    };
  }

  private Target target(String name, String writer) {
    return store(name).target(writer, shadow(name));
  }

  /** A table as it is made: with what is said of it for people. */
  private Table shadow(String name) {
    Table table = tables.get(name);
    Table now = places.definition().tables().getOrDefault(name, table);
    Table.Details said =
        new Table.Details(
            now.details().about(),
            now.details().comments(),
            table.details().lengths(),
            now.details().sort(),
            table.details().drift());
    return table.named(rebuild.shadow(name)).with(said).managed(Table.Manage.CREATE);
  }

  private Store store(String table) {
    return places.stores().open(tables.get(table).store());
  }

  private Swapping swapping(String table) {
    if (store(table) instanceof Swapping swapping) {
      return swapping;
    }
    throw OutsideException.lasting(
        "store " + tables.get(table).store() + " cannot put tables in the places of others");
  }

  /**
   * Makes them anew, whatever was there.
   *
   * @param before for each source partition the position before which rows are taken over, from
   *     tables that tell their origin
   * @return how many rows were, by table and source partition
   */
  public Map<String, Map<SourcePartition, Long>> make(
      String writer, Map<SourcePartition, Long> before) {
    Map<String, Map<SourcePartition, Long>> all = new LinkedHashMap<>();
    Map<Long, SourcePartition> sources = new HashMap<>();
    Map<Long, Long> bounds = new HashMap<>();
    before.forEach(
        (source, position) -> {
          sources.put(OriginColumns.id(source.name()), source);
          bounds.put(OriginColumns.id(source.name()), position);
        });
    for (String name : rebuild.tables().keySet()) {
      Swapping swapping = swapping(name);
      swapping.drop(rebuild.shadow(name));
      target(name, writer).close();
      Map<SourcePartition, Long> copied = new HashMap<>();
      if (!rebuild.left() && OriginColumns.in(tables.get(name)) && !bounds.isEmpty()) {
        swapping
            .copy(name, rebuild.shadow(name), bounds)
            .forEach((source, rows) -> copied.put(sources.get(source), rows));
      }
      all.put(name, copied);
    }
    places.queues().delete(rebuild.letters());
    return all;
  }

  /** Takes dead letters over. */
  public void copyLetters(String queue, Predicate<QueueRecord> which) {
    Optional<Queue> from = places.queues().openToRead(queue);
    if (from.isPresent()) {
      try (Queue letters = from.get()) {
        DeadLetters.copy(letters, places.queues().open(rebuild.letters()), which);
      }
    }
  }

  /** Who they are. */
  public Map<String, Optional<Identity>> identities(String writer) {
    Map<String, Optional<Identity>> all = new LinkedHashMap<>();
    for (String name : rebuild.tables().keySet()) {
      all.put(name, identity(name, writer, rebuild.shadow(name)));
    }
    return all;
  }

  private Optional<Identity> identity(String table, String writer, String name) {
    return store(table).standing(writer, name).flatMap(standing -> standing.identity());
  }

  /**
   * Puts them in their places, as far as they are not there yet: the tables of one store in one
   * step, one store after the other, and then the dead letters.
   *
   * @throws OutsideException if a shadow is gone, or a store fails; it can be done again
   */
  public void swap(String writer) {
    Map<String, List<Exchange>> byStore = new LinkedHashMap<>();
    rebuild
        .tables()
        .forEach(
            (name, identity) -> {
              if (!isInPlace(name, writer)) {
                byStore
                    .computeIfAbsent(tables.get(name).store(), s -> new ArrayList<>())
                    .add(new Exchange(name, rebuild.shadow(name), rebuild.kept(name)));
              }
            });
    for (List<Exchange> exchanges : byStore.values()) {
      swapping(exchanges.get(0).table()).swap(exchanges);
    }
    String dead = "dead/" + rebuild.pipeline();
    if (places.queues().exists(rebuild.letters())) {
      if (!places.queues().exists(rebuild.keptLetters())) {
        places.queues().rename(dead, rebuild.keptLetters());
      }
      places.queues().rename(rebuild.letters(), dead);
    }
  }

  /** Whether a table is in its place. */
  public boolean isAnyInPlace(String writer) {
    return rebuild.tables().keySet().stream().anyMatch(name -> isInPlace(name, writer));
  }

  private boolean isInPlace(String name, String writer) {
    return identity(name, writer, name).equals(rebuild.tables().get(name));
  }

  /** Drops them. */
  public void drop() {
    for (String name : rebuild.tables().keySet()) {
      swapping(name).drop(rebuild.shadow(name));
    }
    places.queues().delete(rebuild.letters());
  }

  /** Drops the tables of before and their dead letters. */
  public void dropKept() {
    for (String name : rebuild.tables().keySet()) {
      swapping(name).drop(rebuild.kept(name));
    }
    places.queues().delete(rebuild.keptLetters());
  }
}

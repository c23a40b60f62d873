package io.wexrun.core.connect;

import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.target.Store;
import java.time.Duration;
import java.util.List;
import java.util.Optional;

/** Opens stores of one kind. */
public interface StoreConnector extends Connector {
  /**
   * Checks settings without opening anything; unknown keys are found by the caller.
   *
   * @param path where the settings stand
   */
  void check(Settings settings, Site site, KeyPath path, Diagnostics diagnostics);

  /**
   * Checks a table that is to be in a store of these settings, which were checked before.
   *
   * @param path where the table stands
   */
  default void check(Table table, Settings settings, KeyPath path, Diagnostics diagnostics) {}

  /** How old rows should be at least when they are flushed into such a store; may be zero. */
  default Duration youngest() {
    return Duration.ZERO;
  }

  /** Whether a store of these settings keeps rows in order, by the columns that a table names. */
  default boolean sorts(Settings settings) {
    return false;
  }

  /** Whether its stores give tables columns for what is new in data. */
  default boolean addsColumns() {
    return false;
  }

  /** Whether its stores answer queries, as {@link io.wexrun.core.target.Querying}. */
  default boolean answersQueries() {
    return true;
  }

  /** Whether its stores keep tables in files, as {@link io.wexrun.core.target.Filing}. */
  default boolean files() {
    return false;
  }

  /**
   * Whether its stores put tables in the places of others, as {@link
   * io.wexrun.core.target.Swapping}.
   */
  default boolean swaps() {
    return false;
  }

  /**
   * Whether its stores put rows aside that they cannot send, as {@link
   * io.wexrun.core.target.Resending}.
   */
  default boolean resends() {
    return false;
  }

  /**
   * A script by which an administrator of the store sets it up, so that a role with few rights can
   * load tables. Connects to nothing.
   *
   * @param store its name in the workspace
   * @param role the one that loads; the user of the settings if empty
   * @return empty if its stores need none
   */
  default Optional<String> setup(
      String store, Settings settings, List<Table> tables, Optional<String> role) {
    return Optional.empty();
  }

  /** Whether the store is there already, so that opening it makes nothing. Opens nothing. */
  boolean exists(Settings settings, Site site);

  /**
   * Opens a store, making it if it is not there. Whoever opens it closes it.
   *
   * @param name the store's name in the workspace, for messages
   * @throws io.wexrun.core.diagnose.OutsideException if it is held by another process, or cannot be
   *     reached
   */
  Store open(String name, Settings settings, Site site);
}

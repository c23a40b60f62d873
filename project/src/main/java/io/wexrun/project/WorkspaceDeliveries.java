package io.wexrun.project;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.target.Resending;
import io.wexrun.project.open.Stores;
import java.util.List;
import java.util.function.Consumer;

/** The stores of a workspace to which rows are sent, and what they have put aside. */
public final class WorkspaceDeliveries {
  private final Stores stores;

  WorkspaceDeliveries(Stores stores) {
    this.stores = stores;
  }

  /** The names of the stores that put rows aside, in the order of their definitions. */
  public List<String> stores() {
    return stores.resending();
  }

  /**
   * What a store has put aside, the oldest first. Works while pipelines run.
   *
   * @throws OutsideException if that cannot be read
   * @throws IllegalArgumentException if no store of that name puts rows aside
   */
  public List<Resending.PutAside> putAside(String store) {
    return known(store).putAside();
  }

  /**
   * Sends what a store has put aside, as {@link Resending#resend} does. Works while pipelines run.
   *
   * @param told of what was sent
   * @throws OutsideException if something cannot be sent now; it still waits
   * @throws IllegalArgumentException if no store of that name puts rows aside
   */
  public void resend(String store, Consumer<Resending.Resent> told) {
    known(store).resend(told);
  }

  private Resending known(String store) {
    if (!stores().contains(store)) {
      throw new IllegalArgumentException("there is no store " + store + " that puts rows aside");
    }
    return (Resending) stores.open(store);
  }
}

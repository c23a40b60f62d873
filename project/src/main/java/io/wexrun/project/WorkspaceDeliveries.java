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
   * How many rows a store has put aside that its receiver does not have, as noted when they were
   * put aside. The tally counts them as loaded.
   *
   * @throws OutsideException if that cannot be read
   * @throws IllegalArgumentException if no store of that name puts rows aside
   */
  public List<Resending.Outstanding> outstanding(String store) {
    return known(store).booked();
  }

  /** How many rows of a pipeline are put aside that their receivers do not have, of all stores. */
  public Resending.Outstanding outstandingOf(String pipeline) {
    List<Resending.Outstanding> all =
        stores().stream()
            .flatMap(store -> outstanding(store).stream())
            .filter(each -> each.pipeline().equals(pipeline))
            .toList();
    return new Resending.Outstanding(
        "",
        pipeline,
        all.stream().mapToLong(Resending.Outstanding::waiting).sum(),
        all.stream().mapToLong(Resending.Outstanding::refused).sum());
  }

  /** How many rows are in the files of a store, as {@link Resending#counted} counts them. */
  List<Resending.Outstanding> counted(String store) {
    return known(store).counted();
  }

  /**
   * Sends what a store has put aside, as {@link Resending#resend} does. Works while pipelines run.
   *
   * @param refused sends the rows that were refused before, instead of those that wait
   * @param told receives each outcome
   * @throws OutsideException if something cannot be sent now; it still waits
   * @throws IllegalArgumentException if no store of that name puts rows aside
   */
  public void resend(String store, boolean refused, Consumer<Resending.Resent> told) {
    known(store).resend(refused, told);
  }

  private Resending known(String store) {
    if (!stores().contains(store)) {
      throw new IllegalArgumentException("there is no store " + store + " that puts rows aside");
    }
    return (Resending) stores.open(store);
  }
}

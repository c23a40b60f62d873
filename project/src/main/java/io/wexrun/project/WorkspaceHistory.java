package io.wexrun.project;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.project.open.WorkspaceSite;
import io.wexrun.state.History;
import java.time.Instant;
import java.util.List;
import java.util.function.Supplier;

/**
 * What people did with a workspace beside running its pipelines: corrected the books, changed a
 * store, removed a queue. For several threads.
 */
public final class WorkspaceHistory {
  private final WorkspaceSite site;

  /**
   * Something that somebody did.
   *
   * @param time when, to the microsecond
   * @param by the name of the user, as the operating system says
   * @param what in a word or two, such as {@code adopt}
   * @param subject with what: the name of a pipeline, a queue, a store
   * @param detail the rest, for people; may be empty
   */
  public record Act(Instant time, String by, String what, String subject, String detail) {
    private static Act of(History.Act act) {
      return new Act(act.time(), act.by(), act.what(), act.subject(), act.detail());
    }
  }

  WorkspaceHistory(WorkspaceSite site) {
    this.site = site;
  }

  /** The latest acts, the oldest of them first. Makes nothing. */
  public List<Act> latest(int most) {
    return site.stateIfAny()
        .map(state -> state.history().latest(most).stream().map(Act::of).toList())
        .orElse(List.of());
  }

  /**
   * Notes an act of whoever runs this process.
   *
   * @param what in a word or two
   * @param subject with what: the name of a pipeline, a queue, a store
   * @param detail the rest, for people; may be empty
   */
  public void note(String what, String subject, String detail) {
    String by = System.getProperty("user.name", "?");
    site.state().history().note(new History.Act(Instant.now(), by, what, subject, detail));
  }

  /** Notes an act and does it; notes too if it fails. */
  <T> T noting(String what, String subject, String detail, Supplier<T> act) {
    note(what, subject, detail);
    try {
      return act.get();
    } catch (OutsideException e) {
      note(what, subject, "failed: " + e.getMessage());
      throw e;
    }
  }
}

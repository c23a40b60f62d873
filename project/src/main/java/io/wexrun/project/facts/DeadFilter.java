package io.wexrun.project.facts;

import io.wexrun.core.dead.DeadLetter;
import io.wexrun.core.dead.Reason;
import java.time.Instant;
import java.util.Optional;

/**
 * Which dead letters are wanted: those that fit all that is said.
 *
 * @param reason why they died
 * @param step the step that rejected them, or the target that refused them
 * @param field the field at fault
 * @param source the name of the source partition that they came from
 * @param text what their records have in them, as text
 * @param since they died then or later
 * @param until they died before
 */
public record DeadFilter(
    Optional<Reason> reason,
    Optional<String> step,
    Optional<String> field,
    Optional<String> source,
    Optional<String> text,
    Optional<Instant> since,
    Optional<Instant> until) {
  /** All letters. */
  public static final DeadFilter ALL =
      new DeadFilter(
          Optional.empty(),
          Optional.empty(),
          Optional.empty(),
          Optional.empty(),
          Optional.empty(),
          Optional.empty(),
          Optional.empty());

  /** Whether a letter is wanted. */
  public boolean wants(KeptLetter kept) {
    DeadLetter.Death death = kept.letter().death();
    return reason.filter(wanted -> wanted != death.reason()).isEmpty()
        && fits(step, death.step())
        && fits(field, death.field())
        && fits(source, kept.letter().record().source())
        && text.filter(wanted -> !kept.letter().text().contains(wanted)).isEmpty()
        && since.filter(kept.died()::isBefore).isEmpty()
        && until.filter(time -> !kept.died().isBefore(time)).isEmpty();
  }

  private static boolean fits(Optional<String> wanted, String has) {
    return wanted.isEmpty() || wanted.get().equals(has);
  }
}

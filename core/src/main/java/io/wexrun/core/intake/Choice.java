package io.wexrun.core.intake;

import java.util.Optional;

/**
 * What of an intake a run is limited to.
 *
 * @param where a condition in CEL on the values that paths carry; empty for no limit
 * @param again a label under which what was taken before is taken once more; empty if nothing is.
 *     The same label again takes nothing twice
 */
public record Choice(Optional<String> where, Optional<String> again) {
  /** Everything that was not taken yet. */
  public static final Choice ALL = new Choice(Optional.empty(), Optional.empty());
}

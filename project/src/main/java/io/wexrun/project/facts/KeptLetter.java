package io.wexrun.project.facts;

import io.wexrun.core.dead.DeadLetter;
import java.time.Instant;
import java.util.Optional;

/**
 * A dead letter where it is kept.
 *
 * @param pipeline whose it is
 * @param place where it stands among the pipeline's dead letters
 * @param died when it died first
 * @param letter the letter
 */
public record KeptLetter(String pipeline, Place place, Instant died, DeadLetter letter) {
  /**
   * A place among the dead letters of a pipeline, written {@code PARTITION@POSITION}.
   *
   * @param partition of the queue of dead letters, from 0
   * @param position there, from 0
   */
  public record Place(int partition, long position) {
    /** A place as it is written; empty if the text is none. */
    public static Optional<Place> of(String text) {
      if (!text.matches("[0-9]{1,9}@[0-9]{1,18}")) {
        return Optional.empty();
      }
      String[] parts = text.split("@");
      return Optional.of(new Place(Integer.parseInt(parts[0]), Long.parseLong(parts[1])));
    }

    @Override
    public String toString() {
      return partition + "@" + position;
    }
  }
}

package io.wexrun.files;

import io.wexrun.core.framing.Framings;
import io.wexrun.core.framing.Lines;
import io.wexrun.core.intake.Framing;
import java.time.Duration;
import java.util.Optional;

/**
 * How files are read.
 *
 * @param lastLine after which time bytes behind the last whole record are a record, if no more
 *     come; empty if never
 * @param header whether the first record is a header, which goes with every block
 * @param framing what cuts blocks into records
 */
record Reading(Optional<Duration> lastLine, boolean header, Framing framing) {
  static final Reading LINES = new Reading(Optional.empty(), false, Lines.FRAMING);

  /** After this time without more, lines that could go on are a record. */
  static final Duration QUIET = Duration.ofSeconds(2);

  /** Whether records are lines of text. */
  boolean text() {
    return Framings.ofLines(framing);
  }

  /**
   * How much of what stands behind the last whole record is a record by now; 0 if none is.
   *
   * @param rest it begins where that record ends
   * @param quiet for how long no more has come
   */
  int due(byte[] rest, Duration quiet) {
    if (lastLine.isPresent() && quiet.compareTo(lastLine.get()) >= 0) {
      return rest.length;
    }
    return Framings.openEnded(framing) && quiet.compareTo(QUIET) >= 0 ? lines(rest) : 0;
  }

  /** Whether some of it is going to be a record if no more comes. */
  boolean waits(byte[] rest) {
    return rest.length > 0
        && (lastLine.isPresent() || Framings.openEnded(framing) && lines(rest) > 0);
  }

  /** The lines that have their end. */
  private static int lines(byte[] rest) {
    int end = rest.length;
    while (end > 0 && rest[end - 1] != '\n') {
      end--;
    }
    return end;
  }
}

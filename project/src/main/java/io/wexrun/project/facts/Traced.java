package io.wexrun.project.facts;

import io.wexrun.core.shape.RecordTrial;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/**
 * A record, what a pipeline made of it, and what has become of it.
 *
 * @param pipeline which one took it
 * @param source the source partition that it came from
 * @param position its position there
 * @param taken whether the pipeline has accounted for it
 * @param by when that was done at the latest, to the minute or hour; empty if it is not known
 * @param raw its bytes; empty if the source does not have it any more
 * @param version of the pipeline's text with which it was taken; empty if that is not known
 * @param asNow whether that is the text of now, or it was tried with that because the other is not
 *     understood any more
 * @param trial its way through the steps by that text; empty without bytes
 * @param rows how many rows of it are in each table that tells the origin of its rows
 * @param letters its dead letters, with what somebody chose to do with each
 */
public record Traced(
    String pipeline,
    String source,
    long position,
    boolean taken,
    Optional<Instant> by,
    Optional<byte[]> raw,
    Optional<String> version,
    boolean asNow,
    Optional<RecordTrial> trial,
    Map<String, Long> rows,
    List<Letter> letters) {
  /**
   * A dead letter of the record.
   *
   * @param replay what somebody chose to do with it; empty if nothing
   * @param trial its way by the text with which it was replayed; empty if it was not
   */
  public record Letter(
      KeptLetter kept, Optional<ReplayFacts> replay, Optional<RecordTrial> trial) {}
}

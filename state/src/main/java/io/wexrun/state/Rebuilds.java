package io.wexrun.state;

import io.wexrun.core.dead.Reason;
import io.wexrun.core.identity.Identity;
import io.wexrun.core.intake.SourcePartition;
import java.time.Instant;
import java.time.ZoneOffset;
import java.time.format.DateTimeFormatter;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/**
 * Which pipelines are run again into shadow tables, and how far that has got. What a rebuild loads
 * is in the tally under a name of its own until its tables are in their places. For several
 * threads. Failures throw {@link io.wexrun.core.diagnose.OutsideException}.
 */
public interface Rebuilds {
  /** How a rebuild stands. */
  enum Phase {
    /** The shadow tables are made, and get the rows that are not built again. */
    PREPARING,
    /** It runs, or can be gone on with. */
    RUNNING,
    /** The shadow tables are being put in their places; that cannot be given up any more. */
    SWAPPING,
    /** They are in their places; what people had mended or given up is not done again yet. */
    MENDING,
    /** They are in their places; the tables of before are kept. */
    SWAPPED,
    /** The tables of before are dropped. */
    CLEARED,
    /** It was given up. */
    DISCARDED;

    /** Whether a rebuild that stands so can be gone on with. */
    public boolean isOpen() {
      return this == PREPARING || this == RUNNING || this == SWAPPING;
    }
  }

  /**
   * A rebuild of a pipeline.
   *
   * @param number from 1, over all pipelines
   * @param version of the text with which it runs, which is kept under {@link #books}
   * @param by the name of the user
   * @param swapped when it was begun to put its tables in their places; empty if it was not
   * @param tables those that are built again, in order, with who their shadows are, as soon as they
   *     are put in their places
   * @param from where it begins in source partitions; the others from their start
   * @param left whether rows that are not built again are left out
   */
  record Rebuild(
      long number,
      String pipeline,
      String version,
      String by,
      Instant begun,
      Phase phase,
      Optional<Instant> swapped,
      Map<String, Optional<Identity>> tables,
      Map<SourcePartition, Long> from,
      boolean left) {
    private static final DateTimeFormatter TIME =
        DateTimeFormatter.ofPattern("yyyyMMdd_HHmmss").withZone(ZoneOffset.UTC);

    /** The name under which a pipeline's rebuild has its books and its text. */
    public static String books(String pipeline) {
      return pipeline + " (rebuild)";
    }

    /** The name under which it has its books and its text. */
    public String books() {
      return books(pipeline);
    }

    /** The name of the table that is built beside one. */
    public String shadow(String table) {
      return table + "_rebuild_" + number;
    }

    /** The name that a table of before has from the swap on; it says when that was, in UTC. */
    public String kept(String table) {
      return table + "_until_" + TIME.format(swapped.orElseThrow());
    }

    /** The queue of the dead letters of what is built. */
    public String letters() {
      return "rebuild/" + pipeline + "-" + number;
    }

    /** The name that the queue of the dead letters of before has from the swap on. */
    public String keptLetters() {
      return "rebuild/" + pipeline + "_until_" + TIME.format(swapped.orElseThrow());
    }
  }

  /**
   * What is taken over as it is, of records before those that are built again.
   *
   * @param loaded rows, by table
   * @param dead letters, by reason
   */
  record Older(Map<String, Long> loaded, Map<Reason, Long> dead) {
    /** Nothing. */
    public static final Older NONE = new Older(Map.of(), Map.of());
  }

  /** A record: its source partition and its position there. */
  record Origin(SourcePartition source, long position) {}

  /**
   * What people did with dead letters of a pipeline before its rebuilds, by the records that had
   * died: the bytes with which they ran again at last; empty if they were given up.
   */
  Map<Origin, Optional<byte[]>> handled(String pipeline);

  /**
   * Notes a rebuild that begins.
   *
   * @param plan the rebuild, whose number is given here
   * @throws io.wexrun.core.diagnose.OutsideException also if one of the pipeline is open
   */
  Rebuild begin(Rebuild plan);

  /** All rebuilds of a pipeline, in order. */
  List<Rebuild> all(String pipeline);

  /** The rebuild of a pipeline that can be gone on with. */
  default Optional<Rebuild> open(String pipeline) {
    return all(pipeline).stream().filter(each -> each.phase().isOpen()).findFirst();
  }

  /** Notes that the shadows are made, and what was taken over into them. */
  void prepared(long number, Map<SourcePartition, Older> older);

  /** Notes who the shadows are, before they are put in their places. */
  Rebuild swapping(long number, Instant at, Map<String, Optional<Identity>> shadows);

  /**
   * The books of the rebuild become those of its pipeline, in one transaction: what is built again
   * counts as it was built, what was taken over as it was, and what is left out as dropped. The
   * positions stay. From where it began, the text is that of the rebuild.
   */
  void swapped(long number);

  /**
   * Notes that what people had mended or given up is done again.
   *
   * @param handled what they did since the rebuild before
   */
  void mended(long number, Map<Origin, Optional<byte[]>> handled);

  /** Forgets the books of a rebuild that is given up. */
  void discarded(long number);

  /** Notes that the tables of before are dropped. */
  void cleared(long number);
}

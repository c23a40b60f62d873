package io.wexrun.core.tally;

import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.schema.Instants;
import java.time.Instant;
import java.util.OptionalLong;

/**
 * The names of source partitions that are dead letters being replayed: {@code
 * replay://NUMBER-TIME/PARTITION}. No source of an intake has such a name, since two slashes never
 * stand together in the name of a file or a queue; and no two replays have the same, even if the
 * state in which they are counted was lost in between.
 */
public final class ReplaySource {
  /** What their names begin with. */
  public static final String PREFIX = "replay://";

  private ReplaySource() {}

  /**
   * A partition of the dead letters that a replay takes.
   *
   * @param number the replay's
   * @param begun when somebody chose it
   * @param partition of the queue of dead letters, from 0
   */
  public static SourcePartition of(long number, Instant begun, int partition) {
    String time = Long.toString(Instants.micros(begun), Character.MAX_RADIX);
    return new SourcePartition(PREFIX + number + "-" + time + "/" + partition);
  }

  /** The name under which the texts are kept with which a pipeline's dead letters are replayed. */
  public static String textOf(String pipeline) {
    return pipeline + " (replay)";
  }

  /** Whether a source partition is of a replay. */
  public static boolean is(SourcePartition source) {
    return source.name().startsWith(PREFIX);
  }

  /** The replay that a source partition is of: its name without the partition. */
  public static String replay(SourcePartition source) {
    return source.name().substring(0, source.name().lastIndexOf('/'));
  }

  /** The number of the replay that a source partition is of; empty if it is of none. */
  public static OptionalLong number(SourcePartition source) {
    if (!is(source)) {
      return OptionalLong.empty();
    }
    int end = source.name().indexOf('-', PREFIX.length());
    return OptionalLong.of(Long.parseLong(source.name().substring(PREFIX.length(), end)));
  }

  /** The partition of the queue of dead letters that a source partition of a replay is. */
  public static int partition(SourcePartition source) {
    return Integer.parseInt(source.name().substring(source.name().lastIndexOf('/') + 1));
  }
}

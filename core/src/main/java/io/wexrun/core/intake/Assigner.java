package io.wexrun.core.intake;

import java.time.Duration;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.function.ToLongFunction;

/**
 * Assigns to an intake every source partition that it finds, and takes from it. For the thread that
 * calls the intake.
 */
public final class Assigner {
  private static final long LOOK_AGAIN_NANOS = 500_000_000;

  private final Intake intake;
  private final ToLongFunction<Source> positions;
  private final Map<SourcePartition, Source> assigned = new LinkedHashMap<>();
  private List<Source> last = List.of();
  private long lookedAt;

  /**
   * An assigner of an intake, which it does not close.
   *
   * @param positions where a source partition goes on that is found for the first time
   */
  public Assigner(Intake intake, ToLongFunction<Source> positions) {
    this.intake = intake;
    this.positions = positions;
  }

  /** An assigner for which source partitions go on at known positions, others at their start. */
  public Assigner(Intake intake, Map<SourcePartition, Long> known) {
    this(intake, source -> known.getOrDefault(source.partition(), source.start()));
  }

  /**
   * Looks for source partitions, and assigns those that are new.
   *
   * @return those that were found for the first time, or say now who they are in another way
   */
  public List<Source> look() {
    List<Source> found = intake.look();
    lookedAt = System.nanoTime();
    List<Source> news = new ArrayList<>();
    for (int i = 0; i < found.size(); i++) {
      Source source = found.get(i);
      if (i < last.size() && last.get(i) == source) {
        continue; // With very many sources, going through them all takes its time.
      }
      Source before = assigned.get(source.partition());
      if (before == null) {
        intake.assign(source.partition(), positions.applyAsLong(source));
      }
      assigned.put(source.partition(), source); // Not if it failed: then it is assigned next time.
      if (before == null || !before.identity().equals(source.identity())) {
        news.add(source);
      }
    }
    last = found; // Not if something failed.
    return news;
  }

  /** Whether it was not looked for source partitions for half a second. */
  public boolean lookIsDue() {
    return assigned.isEmpty() || System.nanoTime() - lookedAt > LOOK_AGAIN_NANOS;
  }

  /** Assigns source partitions anew that are assigned already. */
  public void assign(Map<SourcePartition, Long> anew) {
    anew.forEach(
        (partition, position) -> {
          if (assigned.containsKey(partition)) {
            intake.assign(partition, position);
          }
        });
  }

  /**
   * The next block, with a look for source partitions when it is due or nothing was there; so that
   * nothing is left if it is empty and the intake is {@linkplain Intake#drained drained} then.
   */
  public Optional<Block> next(Duration wait) {
    if (lookIsDue()) {
      look();
    }
    Optional<Block> block = intake.poll(wait);
    if (block.isPresent()) {
      return block;
    }
    look();
    return intake.poll(Duration.ZERO);
  }
}

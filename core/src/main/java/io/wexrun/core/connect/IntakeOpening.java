package io.wexrun.core.connect;

import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Choice;
import io.wexrun.core.intake.KnownSource;
import io.wexrun.core.intake.Receiving;
import io.wexrun.core.pipeline.Settings;
import java.util.List;
import java.util.function.BooleanSupplier;
import java.util.function.Consumer;
import java.util.function.ToLongFunction;

/**
 * How an intake is opened.
 *
 * @param settings as written in the pipeline, checked before
 * @param site the workspace
 * @param known the source partitions that the pipeline has taken from, by which the intake knows
 *     them again
 * @param notices takes things that a user should know and that are no failures, each once, as one
 *     sentence without a full stop; from any thread
 * @param writtenHere whether pipelines of this run write to what the intake {@linkplain
 *     IntakeConnector#reads reads}; if not, another process may
 * @param fed whether no pipeline of this run is going to put more into it; from any thread
 * @param choice what it is limited to
 * @param deaths how many records of a block would die in the pipeline's shape and route
 * @param receiving what it takes that cannot be read again
 */
public record IntakeOpening(
    Settings settings,
    Site site,
    List<KnownSource> known,
    Consumer<String> notices,
    boolean writtenHere,
    BooleanSupplier fed,
    Choice choice,
    ToLongFunction<Block> deaths,
    Receiving receiving) {
  /** Copies the list. */
  public IntakeOpening {
    known = List.copyOf(known);
  }

  /** An opening that receives nothing. */
  public IntakeOpening(
      Settings settings,
      Site site,
      List<KnownSource> known,
      Consumer<String> notices,
      boolean writtenHere,
      BooleanSupplier fed) {
    this(
        settings,
        site,
        known,
        notices,
        writtenHere,
        fed,
        Choice.ALL,
        block -> 0,
        Receiving.NOTHING);
  }

  /** The same opening with other settings. */
  public IntakeOpening with(Settings others) {
    return new IntakeOpening(
        others, site, known, notices, writtenHere, fed, choice, deaths, receiving);
  }

  /** An opening for a look at the first records: nothing is known, and nobody is told. */
  public static IntakeOpening fresh(Settings settings, Site site) {
    return new IntakeOpening(settings, site, List.of(), notice -> {}, false, () -> true);
  }
}

package io.wexrun.core.connect;

import io.wexrun.core.intake.KnownSource;
import io.wexrun.core.pipeline.Settings;
import java.util.List;
import java.util.function.BooleanSupplier;
import java.util.function.Consumer;

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
 */
public record IntakeOpening(
    Settings settings,
    Site site,
    List<KnownSource> known,
    Consumer<String> notices,
    boolean writtenHere,
    BooleanSupplier fed) {
  /** Copies the list. */
  public IntakeOpening {
    known = List.copyOf(known);
  }

  /** An opening for a look at the first records: nothing is known, and nobody is told. */
  public static IntakeOpening fresh(Settings settings, Site site) {
    return new IntakeOpening(settings, site, List.of(), notice -> {}, false, () -> true);
  }
}

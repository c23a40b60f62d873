package io.wexrun.core.change;

import io.wexrun.core.step.StepKind;
import java.util.List;

/** The kinds of steps that add, change, check and remove fields. */
public final class ChangeSteps {
  private ChangeSteps() {}

  /** All of them, in the order in which the docs show them. */
  public static List<StepKind> kinds() {
    return List.of(
        new LookupStep.Kind(),
        new OriginStep.Kind(),
        new RequireStep.Kind(),
        new DefaultStep.Kind(),
        new SetStep.Kind(),
        new CastStep.Kind(),
        new ColumnsStep.Rename(),
        new ColumnsStep.Keep(),
        new ColumnsStep.Remove());
  }
}

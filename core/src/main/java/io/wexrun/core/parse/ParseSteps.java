package io.wexrun.core.parse;

import io.wexrun.core.step.StepKind;
import java.util.List;

/** The kinds of steps that read fields out of texts. */
public final class ParseSteps {
  private ParseSteps() {}

  /** All of them, in the order in which the docs show them. */
  public static List<StepKind> kinds() {
    return List.of(
        new TemplateStep.Kind(),
        new RegexStep.Kind(),
        new CsvStep.Kind(),
        new JsonStep.Kind(),
        new PairsStep.Kind(),
        new SyslogKind(),
        new UnwrapStep.Kind(),
        new UnfoldStep.Kind());
  }
}

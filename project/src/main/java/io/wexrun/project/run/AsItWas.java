package io.wexrun.project.run;

import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.shape.Shaper;
import io.wexrun.project.read.DefinitionText;
import io.wexrun.state.PipelineTexts;
import java.util.Map;
import java.util.Optional;

/**
 * A pipeline as it once ran.
 *
 * @param tables that it loaded, as they were then; those of now for others
 */
public record AsItWas(Pipeline pipeline, Shaper shaper, Map<String, Table> tables) {
  /**
   * A pipeline as a kept text says it.
   *
   * @param tablesOfNow whether its tables are to be as they are now
   * @return empty if the text is of a pipeline with another name
   * @throws io.wexrun.core.diagnose.MistakesException if the text is not understood any more
   * @throws io.wexrun.core.diagnose.OutsideException if something that it needs is not there any
   *     more
   */
  public static Optional<AsItWas> of(
      String name, PipelineTexts.Text kept, Compiling compiling, boolean tablesOfNow) {
    String text = kept.text();
    Diagnostics diagnostics = Diagnostics.of("pipeline " + name);
    Optional<Pipeline> old = DefinitionText.read(name, text, diagnostics);
    Map<String, Table> tables =
        tablesOfNow ? Map.of() : DefinitionText.readTables(name, text, diagnostics);
    diagnostics.orThrow();
    if (!old.orElseThrow().name().equals(name)) {
      return Optional.empty();
    }
    Map<String, String> references = PipelineText.references(text);
    Compiling.Compiled compiled = compiling.asKept(old.get(), references, tables);
    Shaper shaper = compiled.shaper().withVersion(kept.version());
    return Optional.of(new AsItWas(old.get(), shaper, tablesOfNow ? Map.of() : compiled.tables()));
  }
}

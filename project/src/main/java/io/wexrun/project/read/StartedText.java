package io.wexrun.project.read;

import io.wexrun.core.diagnose.Diagnostic;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.diagnose.Severity;
import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.project.yaml.YamlFile;
import java.time.Instant;
import java.util.Map;
import java.util.Optional;
import java.util.TreeMap;
import java.util.TreeSet;
import org.snakeyaml.engine.v2.nodes.Node;

/**
 * A pipeline's text as it is written, which becomes another pipeline at each start if that gives
 * values to its parameters. Immutable.
 *
 * @param given values that come from elsewhere, and count more
 */
public record StartedText(YamlFile file, Node written, Map<String, String> given) {
  boolean hasValues() {
    return !values(Instant.EPOCH).isEmpty();
  }

  /** The values that a start gives, by the names of the parameters, in their order. */
  public Map<String, String> values(Instant now) {
    Map<String, String> values =
        new TreeMap<>(StartValues.at(file, written, now, Diagnostics.of("start")));
    values.keySet().removeAll(given.keySet());
    return values;
  }

  /**
   * The pipeline that is started at a time.
   *
   * @throws OutsideException if a value does not fit
   */
  public Pipeline at(Instant now) {
    Diagnostics diagnostics = Diagnostics.of("pipeline");
    Optional<Pipeline> pipeline =
        Parameters.apply(file, written, given, new TreeSet<>(), now, diagnostics)
            .flatMap(document -> PipelineReader.read(file, document, diagnostics));
    Optional<String> wrong =
        diagnostics.all().stream()
            .filter(each -> each.severity() == Severity.ERROR)
            .map(Diagnostic::message)
            .findFirst();
    return pipeline
        .filter(read -> wrong.isEmpty())
        .orElseThrow(
            () ->
                new OutsideException(
                    "it cannot be started with the values of this time: "
                        + wrong.orElse("its text is not right")));
  }
}

package io.wexrun.project.run;

import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.project.read.DefinitionText;
import java.util.Map;
import java.util.TreeMap;

/**
 * The text that says what a pipeline makes of a record: its definition, that of the tables that it
 * loads, and the versions of the files that it looks up, which stand behind as comments.
 *
 * <pre>{@code
 * Text    --> Definition, "---", LF, Tables, Version*
 * Version --> "# ", Digest, " ", Name, LF
 * }</pre>
 */
final class PipelineText {
  private static final String VERSION = "# ";

  private PipelineText() {}

  /** The text of a pipeline with the versions of what it looks up. */
  static String of(Pipeline pipeline, Compiling.Compiled compiled) {
    StringBuilder text = new StringBuilder(DefinitionText.of(pipeline));
    text.append(DefinitionText.of(compiled.tables().values()));
    compiled
        .references()
        .versions()
        .forEach(
            (name, version) ->
                text.append(VERSION).append(version).append(' ').append(name).append('\n'));
    return text.toString();
  }

  /** The versions of what was looked up, by the names of the files. */
  static Map<String, String> references(String text) {
    Map<String, String> references = new TreeMap<>();
    text.lines()
        .filter(line -> line.matches("# [0-9a-f]{32} .+"))
        .forEach(line -> references.put(line.substring(35), line.substring(2, 34)));
    return references;
  }
}

package io.wexrun.cli;

import java.util.LinkedHashMap;
import java.util.Map;
import picocli.CommandLine.Option;

/** The option of commands that work with pipelines as they would run. */
final class ParameterOption {
  @Option(
      names = "--set",
      paramLabel = "NAME=VALUE",
      description = "Give a pipeline's parameter a value; may be repeated.")
  private Map<String, String> values = new LinkedHashMap<>();

  Map<String, String> values() {
    return values;
  }
}

package io.wexrun.cli;

import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.project.Workspace;
import java.util.List;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.ParameterException;

/** Finds what a user names on the command line. */
final class NamesGiven {
  private NamesGiven() {}

  /** One pipeline, or all if none is named. */
  static List<String> pipelines(Workspace workspace, String named, CommandSpec spec) {
    List<String> all = workspace.definition().pipelines().stream().map(Pipeline::name).toList();
    if (named == null) {
      return all;
    }
    if (workspace.unreadable().contains(named)) {
      throw new OutsideException(
          "pipeline '" + named + "' has mistakes: 'wexrun check' says where");
    }
    known("pipeline", named, all, spec);
    return List.of(named);
  }

  /** Complains about a name that is not among those known. */
  static void known(String what, String named, List<String> all, CommandSpec spec) {
    if (!all.contains(named)) {
      String hint =
          Diagnostics.nearestOrKnown(
                  named, all, names -> (all.size() == 1 ? "there is only " : "there are ") + names)
              .orElse("there are none");
      throw new ParameterException(
          spec.commandLine(), "there is no " + what + " '" + named + "': " + hint);
    }
  }
}

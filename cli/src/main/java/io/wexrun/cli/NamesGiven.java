package io.wexrun.cli;

import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.project.Workspace;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Set;
import java.util.regex.Pattern;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.ParameterException;

/** Finds what a user names on the command line. */
final class NamesGiven {
  private static final String TAG = "tag:";

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

  /**
   * The pipelines that names and patterns choose, in the order of their definitions; all, if none
   * is given.
   *
   * @param given names, patterns with {@code *} and {@code ?}, or {@code tag:WORD}
   */
  static List<String> chosen(Workspace workspace, List<String> given, CommandSpec spec) {
    return chosen(workspace, List.of(), given, spec);
  }

  /**
   * The same, also of pipelines that are not defined.
   *
   * @param others the names of those
   */
  static List<String> chosen(
      Workspace workspace, List<String> others, List<String> given, CommandSpec spec) {
    Set<String> all = new LinkedHashSet<>();
    workspace.definition().pipelines().forEach(pipeline -> all.add(pipeline.name()));
    all.addAll(others);
    if (given.isEmpty()) {
      return List.copyOf(all);
    }
    Set<String> chosen = new LinkedHashSet<>();
    for (String each : given) {
      if (each.startsWith(TAG)) {
        chosen.addAll(tagged(workspace, each.substring(TAG.length()), spec));
        continue;
      }
      if (each.indexOf('*') < 0 && each.indexOf('?') < 0) {
        if (!others.contains(each)) {
          pipelines(workspace, each, spec);
        }
        chosen.add(each);
        continue;
      }
      String regex = Pattern.quote(each).replace("*", "\\E.*\\Q").replace("?", "\\E.\\Q");
      List<String> fit = all.stream().filter(name -> name.matches(regex)).toList();
      if (fit.isEmpty()) {
        throw new ParameterException(spec.commandLine(), "no pipeline fits '" + each + "'");
      }
      chosen.addAll(fit);
    }
    return all.stream().filter(chosen::contains).toList();
  }

  private static List<String> tagged(Workspace workspace, String tag, CommandSpec spec) {
    List<Pipeline> all = workspace.definition().pipelines();
    known("tag", tag, all.stream().flatMap(p -> p.tags().stream()).distinct().toList(), spec);
    return all.stream().filter(p -> p.tags().contains(tag)).map(Pipeline::name).toList();
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

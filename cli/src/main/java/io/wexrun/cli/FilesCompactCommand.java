package io.wexrun.cli;

import io.wexrun.core.diagnose.Counted;
import io.wexrun.core.pipeline.Sizes;
import io.wexrun.core.target.Filing;
import io.wexrun.project.Workspace;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Option;
import picocli.CommandLine.ParameterException;
import picocli.CommandLine.Parameters;
import picocli.CommandLine.Spec;

@Command(
    name = "compact",
    mixinStandardHelpOptions = true,
    description = {
      "Merge the small files of a table into larger ones, folder by folder.",
      "Each folder is exchanged in one step: who lists it sees each row once, at every moment. Who",
      "has listed it before may find a file gone, and lists again. Pipelines may run meanwhile."
    },
    footer = {
      "",
      "Exit codes: 0 done; 2 no such table; 3 the store cannot be written, or its file system"
          + " cannot",
      "  exchange folders.",
      "",
      "Example: wexrun files compact position_files --size 64MB"
    })
final class FilesCompactCommand implements Callable<Integer> {
  private final Terminal terminal;

  @Mixin private WorkspaceOption workspaceOption;
  @Spec private CommandSpec spec;

  @Parameters(arity = "0..*", paramLabel = "TABLE", description = "Which tables. Without it, all.")
  private List<String> names = new ArrayList<>();

  @Option(
      names = "--size",
      paramLabel = "SIZE",
      defaultValue = "128MB",
      description = "Merge what is smaller, up to about this size (${DEFAULT-VALUE}).")
  private String size;

  FilesCompactCommand(Terminal terminal) {
    this.terminal = terminal;
  }

  @Override
  public Integer call() {
    Optional<Long> bytes = Sizes.bytes(size).filter(b -> b > 0);
    if (bytes.isEmpty()) {
      throw new ParameterException(spec.commandLine(), "--size is written like 64MB or 1GB");
    }
    try (Workspace workspace = workspaceOption.open()) {
      List<String> known = workspace.files().tables();
      names.forEach(name -> NamesGiven.known("table of files", name, known, spec));
      List<Map<String, Object>> facts = new ArrayList<>();
      for (String name : names.isEmpty() ? known : names) {
        if (workspace.files().of(name).isEmpty()) {
          terminal.say(name + ": not there yet, no run has made it");
          continue;
        }
        List<Filing.Merged> merged = new ArrayList<>();
        workspace.files().merge(name, bytes.get(), merged::add);
        facts.add(told(name, merged));
        if (merged.stream().anyMatch(m -> m.left().isEmpty())) {
          workspace.history().note("compact", name, summary(merged));
        }
      }
      if (workspaceOption.json()) {
        terminal.json(facts);
      } else if (known.isEmpty()) {
        terminal.say("no table of this workspace is a folder of files");
      }
      return ExitCode.DONE;
    }
  }

  private Map<String, Object> told(String name, List<Filing.Merged> merged) {
    if (!workspaceOption.json()) {
      terminal.say(name + ": " + summary(merged));
    }
    List<Map<String, Object>> folders = new ArrayList<>();
    for (Filing.Merged each : merged) {
      each.left()
          .ifPresent(why -> terminal.say("  " + each.folder() + " is left as it is: " + why));
      Map<String, Object> folder = new LinkedHashMap<>();
      folder.put("folder", each.folder());
      folder.put("before", each.before());
      folder.put("after", each.after());
      folder.put("rows", each.rows());
      folder.put("bytesBefore", each.bytesBefore());
      folder.put("bytesAfter", each.bytesAfter());
      folder.put("left", each.left().orElse(null));
      folders.add(folder);
    }
    Map<String, Object> fact = new LinkedHashMap<>();
    fact.put("table", name);
    fact.put("folders", folders);
    return fact;
  }

  private static String summary(List<Filing.Merged> merged) {
    long before = 0;
    long after = 0;
    long rows = 0;
    long bytesBefore = 0;
    long bytesAfter = 0;
    for (Filing.Merged each : merged) {
      if (each.left().isEmpty()) {
        before += each.before();
        after += each.after();
        rows += each.rows();
        bytesBefore += each.bytesBefore();
        bytesAfter += each.bytesAfter();
      }
    }
    return before == 0
        ? "nothing was merged"
        : Counted.of(before, "file")
            + " became "
            + Counted.number(after)
            + " ("
            + Counted.of(rows, "row")
            + ", "
            + Counted.of(bytesBefore, "byte")
            + " became "
            + Counted.number(bytesAfter)
            + ")";
  }
}

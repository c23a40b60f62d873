package io.wexrun.cli;

import io.wexrun.core.diagnose.Counted;
import io.wexrun.core.target.Filing;
import io.wexrun.project.Workspace;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.TreeMap;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Parameters;
import picocli.CommandLine.Spec;

@Command(
    name = "files",
    mixinStandardHelpOptions = true,
    description = {
      "Show the tables that are folders of files, or the folders of one; works while a run goes"
          + " on.",
      "The commands below merge small files, and show the rows of one."
    },
    subcommands = {FilesCompactCommand.class, FilesReadCommand.class},
    footer = {
      "",
      "Exit codes: 0 done; 2 no such table; 3 the store cannot be read.",
      "",
      "Example: wexrun files position_files"
    })
final class FilesCommand implements Callable<Integer> {
  private final Terminal terminal;

  @Mixin private WorkspaceOption workspaceOption;
  @Spec private CommandSpec spec;

  @Parameters(arity = "0..1", paramLabel = "TABLE", description = "Which table. Without it, all.")
  private String table;

  FilesCommand(Terminal terminal) {
    this.terminal = terminal;
  }

  @Override
  public Integer call() {
    try (Workspace workspace = workspaceOption.open()) {
      List<String> tables = workspace.files().tables();
      if (table != null) {
        NamesGiven.known("table of files", table, tables, spec);
        Optional<List<Filing.RowsFile>> files = workspace.files().of(table);
        if (files.isEmpty()) {
          terminal.say("table " + table + " is not there yet: no run has made it");
        } else {
          show("folder", byFolder(files.get()));
        }
        return ExitCode.DONE;
      }
      Map<String, List<Filing.RowsFile>> all = new LinkedHashMap<>();
      for (String name : tables) {
        all.put(name, workspace.files().of(name).orElse(List.of()));
      }
      if (all.isEmpty()) {
        terminal.say("no table of this workspace is a folder of files");
      } else {
        show("table", all);
      }
      return ExitCode.DONE;
    }
  }

  private static Map<String, List<Filing.RowsFile>> byFolder(List<Filing.RowsFile> files) {
    Map<String, List<Filing.RowsFile>> folders = new TreeMap<>();
    for (Filing.RowsFile file : files) {
      String folder = file.name().substring(0, Math.max(file.name().lastIndexOf('/'), 0));
      folders.computeIfAbsent(folder, f -> new ArrayList<>()).add(file);
    }
    return folders;
  }

  private void show(String what, Map<String, List<Filing.RowsFile>> groups) {
    List<Map<String, Object>> facts = new ArrayList<>();
    List<List<String>> rows = new ArrayList<>();
    long gone = 0;
    for (Map.Entry<String, List<Filing.RowsFile>> group : groups.entrySet()) {
      long[] bytes =
          group.getValue().stream().flatMap(f -> f.bytes().stream()).mapToLong(b -> b).toArray();
      long sum = 0;
      long smallest = Long.MAX_VALUE;
      for (long each : bytes) {
        sum += each;
        smallest = Math.min(smallest, each);
      }
      long missing = group.getValue().size() - bytes.length;
      gone += missing;
      Map<String, Object> fact = new LinkedHashMap<>();
      fact.put(what, group.getKey());
      fact.put("files", bytes.length);
      fact.put("bytes", sum);
      fact.put("smallest", bytes.length == 0 ? null : smallest);
      fact.put("gone", missing);
      facts.add(fact);
      rows.add(
          List.of(
              group.getKey(),
              Counted.number(bytes.length),
              Counted.number(sum),
              bytes.length == 0 ? "·" : Counted.number(smallest)));
    }
    if (workspaceOption.json()) {
      terminal.json(facts);
      return;
    }
    terminal.table(
        List.of(what, "files", "bytes", "smallest"), List.of(false, true, true, true), rows);
    if (gone > 0) {
      terminal.say(
          Counted.of(gone, "file")
              + (gone == 1 ? " is" : " are")
              + " not there any more: somebody has removed "
              + (gone == 1 ? "it" : "them"));
    }
  }
}

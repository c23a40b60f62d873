package io.wexrun.cli;

import io.wexrun.core.diagnose.Counted;
import io.wexrun.core.target.Answer;
import io.wexrun.project.Workspace;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Option;
import picocli.CommandLine.ParameterException;
import picocli.CommandLine.Parameters;
import picocli.CommandLine.Spec;

@Command(
    name = "sql",
    mixinStandardHelpOptions = true,
    description =
        "Ask a store with a query in its own SQL, and print the answer as a table. It reads, and"
            + " changes nothing; files are reached only in the workspace. Tables that are folders"
            + " of files are asked in DuckDB's SQL.",
    footer = {
      "",
      "Exit codes: 0 done; 2 no such store; 3 the store is held, or does not take the query, or "
          + "it does not only read.",
      "",
      "Example: wexrun sql \"select result, count(*) from scans group by result\""
    })
final class SqlCommand implements Callable<Integer> {
  private final Terminal terminal;

  @Mixin private WorkspaceOption workspaceOption;
  @Spec private CommandSpec spec;

  @Option(
      names = "--store",
      paramLabel = "NAME",
      description = "Which store; not needed if there is only one, or one database.")
  private String store;

  @Option(
      names = "--write",
      description = "Also take statements that change something; without it, only one that reads.")
  private boolean write;

  @Parameters(paramLabel = "QUERY", description = "One statement.")
  private String query;

  SqlCommand(Terminal terminal) {
    this.terminal = terminal;
  }

  @Override
  public Integer call() {
    try (Workspace workspace = workspaceOption.open()) {
      Answer answer =
          write
              ? workspace.change(store(workspace), query)
              : workspace.query(store(workspace), query);
      if (workspaceOption.json()) {
        terminal.json("columns", answer.columns(), "rows", rows(answer));
      } else if (answer.columns().isEmpty() || write && isCount(answer)) {
        terminal.say("done");
      } else {
        show(answer, terminal);
        terminal.say(Counted.of(answer.rows().size(), "row"));
      }
      return ExitCode.DONE;
    }
  }

  /** What a statement that changes something gives back. */
  private static boolean isCount(Answer answer) {
    return answer.columns().equals(List.of("Count"));
  }

  private String store(Workspace workspace) {
    if (store != null) {
      NamesGiven.known("store", store, List.copyOf(workspace.definition().stores().keySet()), spec);
      return store;
    }
    List<String> stores = workspace.answering();
    return workspace
        .asked()
        .orElseThrow(
            () ->
                new ParameterException(
                    spec.commandLine(),
                    stores.isEmpty()
                        ? "the workspace has no store that answers queries"
                        : "there are several stores: name one with --store ("
                            + String.join(", ", stores)
                            + ")"));
  }

  /** The rows of an answer, each by the names of its columns. */
  static List<Map<String, Object>> rows(Answer answer) {
    List<Map<String, Object>> rows = new ArrayList<>();
    for (List<Object> row : answer.rows()) {
      Map<String, Object> named = new LinkedHashMap<>();
      for (int i = 0; i < row.size(); i++) {
        named.put(answer.columns().get(i), row.get(i));
      }
      rows.add(named);
    }
    return rows;
  }

  /** Writes an answer as a table. */
  static void show(Answer answer, Terminal terminal) {
    List<List<String>> rows = new ArrayList<>();
    for (List<Object> row : answer.rows()) {
      List<String> cells = new ArrayList<>();
      row.forEach(value -> cells.add(cell(value)));
      rows.add(cells);
    }
    terminal.table(answer.columns(), answer.numeric(), rows);
  }

  /** A value on one line; lists and structs as JSON. */
  private static String cell(Object value) {
    boolean nested = value instanceof List<?> || value instanceof Map<?, ?>;
    String text = nested ? Terminal.compact(value) : String.valueOf(value);
    return value == null ? null : Terminal.brief(text, nested ? 70 : 200);
  }
}

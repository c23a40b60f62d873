package io.wexrun.project;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.look.Draft;
import io.wexrun.core.look.Look;
import io.wexrun.core.pipeline.StepDefinition;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.stream.Collectors;

/** Writes a pipeline file and a table for data that were looked at. */
public final class Drafts {
  private static final String STORE = "warehouse";

  private Drafts() {}

  /**
   * Writes {@code pipelines/NAME.yaml}, and a table of that name into {@code wexrun.yaml}, which is
   * made if it is not there.
   *
   * @param folder the workspace's folder
   * @param name the pipeline's name; the table's has '_' for '-'
   * @param files what the intake reads: a file name or pattern
   * @param year for syslog messages without a year
   * @return the files that were written
   * @throws OutsideException if there is a pipeline or table of that name, or a file cannot be
   *     written
   */
  public static List<Path> write(Path folder, String name, Look look, String files, int year) {
    if (!PipelineReader.NAME.matcher(name).matches()) {
      throw new OutsideException("'" + name + "' is not a name: use letters, digits, '-' and '_'");
    }
    Path pipeline = folder.resolve("pipelines").resolve(name + ".yaml");
    Path workspace = folder.resolve(WorkspaceReader.FILE);
    String table = name.replace('-', '_');
    if (Files.exists(pipeline)) {
      throw new OutsideException(pipeline + " is there already: take another name");
    }
    try {
      String before = Files.exists(workspace) ? Files.readString(workspace) : "";
      String store = before.isEmpty() ? STORE : store(folder, table);
      String tables = table(table, store, Draft.columns(look, year));
      String after = before.isEmpty() ? workspace(folder, tables) : with(before, tables);
      Files.createDirectories(pipeline.getParent());
      Files.writeString(
          pipeline, pipeline(name, table, look, files, year), StandardOpenOption.CREATE_NEW);
      Files.writeString(workspace, after);
    } catch (IOException e) {
      throw new OutsideException("cannot write the draft: " + e.getMessage(), e);
    }
    return List.of(pipeline, workspace);
  }

  /** The store of the workspace that tables go to: its first one. */
  private static String store(Path folder, String table) {
    try (Workspace workspace = Workspace.open(folder)) {
      if (workspace.definition().tables().containsKey(table)) {
        throw new OutsideException("the workspace has a table '" + table + "' already");
      }
      Optional<String> first = workspace.definition().stores().keySet().stream().findFirst();
      return first.orElseThrow(
          () ->
              new OutsideException(
                  "the workspace has no store: add stores: {warehouse: {duckdb: warehouse.db}}"));
    }
  }

  private static String workspace(Path folder, String tables) {
    String name = String.valueOf(folder.toAbsolutePath().normalize().getFileName());
    return "workspace: "
        + quoted(name)
        + "\nstores:\n  "
        + STORE
        + ": {duckdb: warehouse.db}\ntables:\n"
        + tables;
  }

  /** The text of a workspace file with one more table, at the top of its tables. */
  private static String with(String text, String table) {
    List<String> lines = new ArrayList<>(text.lines().toList());
    int at = lines.indexOf("tables:");
    if (at < 0 && lines.stream().anyMatch(l -> l.startsWith("tables:"))) {
      throw new OutsideException(
          "wexrun.yaml has its tables on one line: write each on lines of its own, then draft");
    }
    if (at < 0) {
      lines.add("tables:");
      at = lines.size() - 1;
    }
    lines.addAll(at + 1, table.lines().toList());
    return String.join("\n", lines) + "\n";
  }

  private static String table(String name, String store, Map<String, String> columns) {
    StringBuilder text =
        new StringBuilder("  " + name + ":\n    in: " + store + "\n    columns:\n");
    columns.forEach(
        (column, type) ->
            text.append("      ").append(quoted(column)).append(": ").append(type).append('\n'));
    return text.toString();
  }

  private static String pipeline(String name, String table, Look look, String files, int year) {
    Map<String, Object> intake = new LinkedHashMap<>();
    intake.put("files", files);
    if (look.header()) {
      intake.put("header", "true");
    }
    StringBuilder text = new StringBuilder("pipeline: " + name + "\n");
    text.append("about: Drafted from ").append(quoted(files).replace("'", ""));
    text.append("; names and types are guesses\nintake: ").append(flow(intake)).append('\n');
    text.append("shape:\n");
    for (StepDefinition step : Draft.steps(look, year)) {
      text.append("  - ").append(step.kind()).append(':');
      append(text, step.value(), "      ");
    }
    return text.append("route:\n  - to: ").append(table).append('\n').toString();
  }

  private static void append(StringBuilder text, Object value, String indent) {
    if (value instanceof Map<?, ?> map) {
      text.append('\n');
      map.forEach(
          (key, item) -> {
            text.append(indent).append(quoted((String) key)).append(':');
            append(text, item, indent + "  ");
          });
    } else if (value instanceof List<?> list) {
      text.append('\n');
      list.forEach(
          item -> text.append(indent).append("- ").append(quoted((String) item)).append('\n'));
    } else {
      text.append(' ').append(quoted((String) value)).append('\n');
    }
  }

  private static String flow(Map<String, Object> map) {
    return map.entrySet().stream()
        .map(e -> e.getKey() + ": " + quoted((String) e.getValue()))
        .collect(Collectors.joining(", ", "{", "}"));
  }

  /** A text as YAML: plain if it surely means itself. */
  static String quoted(String text) {
    boolean plain =
        text.matches("[A-Za-z_][A-Za-z0-9_./-]*") && !text.matches("(?i)null|yes|no|on|off|y|n|~");
    boolean number = text.matches("[0-9]{4}");
    return plain || number ? text : "'" + text.replace("'", "''") + "'";
  }
}

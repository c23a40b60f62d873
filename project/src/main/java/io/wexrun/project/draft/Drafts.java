package io.wexrun.project.draft;

import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.look.Draft;
import io.wexrun.core.look.Look;
import io.wexrun.core.pipeline.StepDefinition;
import io.wexrun.project.definition.WorkspaceDefinition;
import io.wexrun.project.open.Connectors;
import io.wexrun.project.read.PipelineReader;
import io.wexrun.project.read.WorkspaceReader;
import io.wexrun.project.yaml.YamlText;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;

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
   * @return the files that were written
   * @throws OutsideException if there is a pipeline or table of that name, or a file cannot be
   *     written
   */
  public static List<Path> write(Path folder, String name, Look look, String files) {
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
      String tables = table(table, store, Draft.columns(look));
      String after = before.isEmpty() ? workspace(folder, tables) : with(before, tables);
      Files.createDirectories(pipeline.getParent());
      Files.writeString(
          pipeline, pipeline(name, table, look, files), StandardOpenOption.CREATE_NEW);
      Files.writeString(workspace, after);
    } catch (IOException e) {
      throw new OutsideException("cannot write the draft: " + e.getMessage(), e);
    }
    return List.of(pipeline, workspace);
  }

  /** The store of the workspace that tables go to: its first one. */
  private static String store(Path folder, String table) {
    Map<String, String> sections = new Connectors(folder).sections();
    WorkspaceDefinition definition =
        WorkspaceReader.read(
                folder,
                sections,
                Map.of(),
                (w, s, t) -> Optional.empty(),
                Map.of(),
                Diagnostics.of("workspace"))
            .definition();
    if (definition.tables().containsKey(table)) {
      throw new OutsideException("the workspace has a table '" + table + "' already");
    }
    Optional<String> first = definition.stores().keySet().stream().findFirst();
    return first.orElseThrow(
        () ->
            new OutsideException(
                "the workspace has no store: add stores: {warehouse: {duckdb: warehouse.db}}"));
  }

  private static String workspace(Path folder, String tables) {
    String name = String.valueOf(folder.toAbsolutePath().normalize().getFileName());
    Object store = new YamlText.Inline(YamlText.map("duckdb", "warehouse.db"));
    return YamlText.of(YamlText.map("workspace", name, "stores", YamlText.map(STORE, store)))
        + "tables:\n"
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

  /** A table as it stands below {@code tables:}. */
  private static String table(String name, String store, Map<String, String> columns) {
    Map<String, Object> table = YamlText.map("in", store, "columns", columns);
    return YamlText.indented(YamlText.of(YamlText.map(name, table)), 2);
  }

  private static String pipeline(String name, String table, Look look, String files) {
    Map<String, Object> intake = YamlText.map("files", files);
    if (look.header()) {
      intake.put("header", true);
    }
    List<Object> steps = new ArrayList<>();
    for (StepDefinition step : Draft.steps(look)) {
      steps.add(YamlText.map(step.kind(), step.value()));
    }
    return YamlText.of(
        YamlText.map(
            "pipeline",
            name,
            "about",
            "Drafted from " + files + "; names and types are guesses",
            "intake",
            new YamlText.Inline(intake),
            "shape",
            steps,
            "route",
            List.of(YamlText.map("to", table))));
  }
}

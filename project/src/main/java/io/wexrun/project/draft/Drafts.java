package io.wexrun.project.draft;

import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.look.Draft;
import io.wexrun.core.look.Look;
import io.wexrun.core.look.Looker;
import io.wexrun.core.pipeline.StepDefinition;
import io.wexrun.core.reference.ReferenceTable;
import io.wexrun.core.reference.References;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type;
import io.wexrun.project.definition.WorkspaceDefinition;
import io.wexrun.project.open.Connectors;
import io.wexrun.project.read.PipelineReader;
import io.wexrun.project.read.WorkspaceReader;
import io.wexrun.project.yaml.YamlText;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.NoSuchFileException;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.function.Supplier;

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
   * @param files what the intake reads: a file name or pattern, or a list of them
   * @param settings more settings of the intake
   * @return the files that were written
   * @throws OutsideException if there is a pipeline or table of that name, or a file cannot be
   *     written
   */
  public static List<Path> write(
      Path folder, String name, Look look, Object files, Map<String, Object> settings) {
    String table = name.replace('-', '_');
    return write(folder, name, Draft.columns(look), pipeline(name, table, look, files, settings));
  }

  /**
   * The same for files of rows that say what their columns are.
   *
   * @param rows the columns
   * @param format the name of the files' format
   */
  public static List<Path> write(
      Path folder, String name, Schema rows, String format, Object files) {
    Map<String, String> columns = new LinkedHashMap<>();
    for (Column column : rows.columns()) {
      columns.put(column.name(), column.type() == Type.Scalar.BYTES ? "text" : column.type() + "");
    }
    Object intake = new YamlText.Inline(YamlText.map("archive", files, "format", format));
    String pipeline =
        YamlText.of(
            YamlText.map(
                "pipeline",
                name,
                "about",
                "Drafted from " + described(files) + "; columns are those of the files",
                "intake",
                intake,
                "route",
                List.of(YamlText.map("to", name.replace('-', '_')))));
    return write(folder, name, columns, pipeline);
  }

  private static List<Path> write(
      Path folder, String name, Map<String, String> columns, String text) {
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
      String tables = table(table, store, columns);
      String after = before.isEmpty() ? workspace(folder, tables) : with(before, tables);
      Files.createDirectories(pipeline.getParent());
      Files.writeString(pipeline, text, StandardOpenOption.CREATE_NEW);
      Files.writeString(workspace, after);
    } catch (IOException e) {
      throw new OutsideException("cannot write the draft: " + e.getMessage(), e);
    }
    return List.of(pipeline, workspace);
  }

  /**
   * Looks at Protocol Buffers messages, each of which has its length before it.
   *
   * @param folder the workspace's folder
   * @param descriptors the file of the descriptor set, from the workspace's folder on
   * @param message the full name of the message
   * @throws io.wexrun.core.diagnose.MistakesException if the file or the message is wrong
   */
  public static Look look(Path folder, byte[] sample, String descriptors, String message) {
    StepDefinition step =
        StepDefinition.of("protobuf", YamlText.map("descriptors", descriptors, "message", message));
    return Looker.at(sample, step, new Connectors(folder).steps().with(new Schemas(folder)));
  }

  /** The schemas of a folder; there are no tables to look up in. */
  private record Schemas(Path folder) implements References {
    @Override
    public Supplier<ReferenceTable> file(String name) {
      throw new OutsideException("a draft looks nothing up");
    }

    @Override
    public Supplier<ReferenceTable> table(String name) {
      throw new OutsideException("a draft looks nothing up");
    }

    @Override
    public byte[] bytes(String name) {
      try {
        return Files.readAllBytes(folder.resolve(name));
      } catch (NoSuchFileException e) {
        throw new OutsideException("there is no file " + name, e);
      } catch (IOException e) {
        throw new OutsideException("cannot read " + name + ": " + e.getMessage(), e);
      }
    }
  }

  private static String described(Object files) {
    return files instanceof List<?> list ? list.get(0) + " and others" : "" + files;
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

  private static String pipeline(
      String name, String table, Look look, Object files, Map<String, Object> settings) {
    Map<String, Object> intake = YamlText.map("files", files);
    intake.putAll(settings);
    if (look.header()) {
      intake.put("header", true);
    }
    intake.putAll(look.intake());
    List<Object> steps = new ArrayList<>();
    for (StepDefinition step : Draft.steps(look)) {
      steps.add(YamlText.map(step.kind(), step.value()));
    }
    Map<String, Object> pipeline =
        YamlText.map(
            "pipeline",
            name,
            "about",
            "Drafted from " + described(files) + "; names and types are guesses",
            "intake",
            new YamlText.Inline(intake));
    if (!look.patterns().isEmpty()) {
      pipeline.put("patterns", look.patterns());
    }
    pipeline.put("shape", steps);
    pipeline.put("route", List.of(YamlText.map("to", table)));
    return YamlText.of(pipeline);
  }
}

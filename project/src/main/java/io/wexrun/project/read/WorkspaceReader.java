package io.wexrun.project.read;

import io.wexrun.core.connect.ColumnsReader;
import io.wexrun.core.diagnose.Counted;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.Failure;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.schema.Schema;
import io.wexrun.project.definition.WorkspaceDefinition;
import io.wexrun.project.yaml.YamlFile;
import io.wexrun.project.yaml.YamlMap;
import java.io.IOException;
import java.nio.charset.CharacterCodingException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Instant;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeSet;
import java.util.stream.Stream;
import org.snakeyaml.engine.v2.nodes.Node;
import org.snakeyaml.engine.v2.nodes.ScalarNode;

/** Reads {@code wexrun.yaml} and {@code pipelines/*.yaml} of a workspace's folder. */
public final class WorkspaceReader {
  /** The file that makes a folder a workspace. */
  public static final String FILE = "wexrun.yaml";

  private static final String TARGETS = "targets";

  private static final String PATTERNS = "patterns.yaml";

  private final Path folder;
  private final Diagnostics diagnostics;
  private final DefinitionPlaces places = new DefinitionPlaces();
  private final Map<String, Settings> stores = new LinkedHashMap<>();
  private final Map<String, Settings> targets = new LinkedHashMap<>();
  private final Map<String, String> sections;
  private final Map<String, ColumnsReader> columns;
  private final LiveTables live;
  private final Map<String, Table> tables = new LinkedHashMap<>();
  private final List<Pipeline> pipelines = new ArrayList<>();
  private final Map<String, String> patterns = new LinkedHashMap<>();
  private final Map<String, String> given;
  private final Set<String> parameters = new TreeSet<>();
  private final Map<String, Settings> keys = new LinkedHashMap<>();
  private Optional<String> encrypt = Optional.empty();
  private String name = "";

  private WorkspaceReader(
      Path folder,
      Map<String, String> sections,
      Map<String, ColumnsReader> columns,
      LiveTables live,
      Map<String, String> given,
      Diagnostics diagnostics) {
    this.live = live;
    this.sections = sections;
    this.columns = columns;
    this.folder = folder;
    this.given = given;
    this.diagnostics = diagnostics;
  }

  /** Looks at the tables of stores that are defined. */
  @FunctionalInterface
  public interface LiveTables {
    /**
     * The columns of a table.
     *
     * @param stores a workspace that has only stores
     * @return empty if there is no such table
     * @throws OutsideException if the store cannot be asked
     */
    Optional<Schema> columns(WorkspaceDefinition stores, String store, String table);
  }

  /** A definition with where its parts stand. */
  public record Read(WorkspaceDefinition definition, DefinitionPlaces places) {}

  /**
   * Reads a folder; mistakes go to the diagnostics, and what is left is the definition.
   *
   * @param sections keys of the workspace's file under which targets of a kind stand, with the
   *     kinds
   * @param columns what reads the columns of tables out of files, by kind
   * @param live looks at tables that others are to be like
   * @param given values of the pipelines' parameters
   */
  public static Read read(
      Path folder,
      Map<String, String> sections,
      Map<String, ColumnsReader> columns,
      LiveTables live,
      Map<String, String> given,
      Diagnostics diagnostics) {
    WorkspaceReader reader =
        new WorkspaceReader(folder, sections, columns, live, given, diagnostics);
    reader.readWorkspace();
    reader.readPatterns();
    reader.readPipelines();
    WorkspaceDefinition definition =
        new WorkspaceDefinition(
            reader.name,
            reader.keys,
            reader.encrypt,
            reader.stores,
            reader.targets,
            reader.tables,
            reader.pipelines);
    return new Read(definition, reader.places);
  }

  private YamlFile parse(Path path) {
    String shown = folder.relativize(path).toString().replace('\\', '/');
    try {
      if (Files.size(path) > YamlFile.LONGEST) {
        throw new OutsideException(
            path
                + " has more than "
                + Counted.of(YamlFile.LONGEST >> 20, "megabyte")
                + ": that is not a file of a workspace; move it, or split it");
      }
      return YamlFile.parse(shown, Files.readString(path), diagnostics);
    } catch (CharacterCodingException e) {
      throw new OutsideException(path + " is not UTF-8 text: save it as UTF-8", e);
    } catch (IOException e) {
      throw new OutsideException("cannot read " + path + ": " + Failure.told(e), e);
    }
  }

  private void readWorkspace() {
    YamlFile file = parse(folder.resolve(FILE));
    if (file.documents().isEmpty()) {
      if (diagnostics.errors() == 0) {
        file.atTop(diagnostics)
            .error(
                "empty-file",
                KeyPath.ROOT,
                FILE + " is empty, so the workspace has nothing",
                Optional.of("'wexrun demo' makes one to start from"));
      }
      return;
    }
    Node document = file.documents().get(0);
    places.workspace(file, document);
    YamlMap map = new YamlMap(file, document, "a workspace", diagnostics);
    List<String> keys = new ArrayList<>(List.of("workspace", "keys", "encrypt", "stores"));
    keys.addAll(sections.keySet());
    keys.addAll(List.of("tables", TARGETS));
    map.allow("a workspace", keys);
    name = map.text("workspace").orElse("");
    map.map("keys").ifPresent(this::readKeys);
    encrypt = map.text("encrypt");
    map.map("stores").ifPresent(written -> readSettings(written, stores));
    sections.forEach(
        (section, kind) -> map.map(section).ifPresent(written -> readTargets(kind, written)));
    map.map("tables").ifPresent(this::readTables);
    map.map(TARGETS).ifPresent(written -> readSettings(written, targets));
  }

  private void readKeys(YamlMap map) {
    map.keys().forEach(key -> checkName(map, key));
    readSettings(map, keys);
  }

  private void readSettings(YamlMap map, Map<String, Settings> all) {
    for (String name : map.keys()) {
      map.map(name).flatMap(PipelineReader::settings).ifPresent(s -> all.put(name, s));
    }
  }

  /** Targets that stand in a section of their kind, so that the kind need not be said. */
  private void readTargets(String kind, YamlMap map) {
    for (String target : map.keys()) {
      checkName(map, target);
      Map<String, Object> values = new LinkedHashMap<>();
      map.map(target)
          .ifPresent(
              written ->
                  written
                      .keys()
                      .forEach(k -> values.put(k, YamlMap.plain(written.value(k).orElseThrow()))));
      targets.put(target, new Settings(kind, values));
    }
  }

  private static void checkName(YamlMap map, String written) {
    if (!PipelineReader.NAME.matcher(written).matches()) {
      map.error(
          written,
          "bad-name",
          "'" + written + "' is not a name",
          Optional.of("use letters, digits, '-' and '_'"));
    }
  }

  private void readTables(YamlMap map) {
    for (String table : map.keys()) {
      checkName(map, table);
      map.map(table)
          .ifPresent(
              written ->
                  tables.put(
                      table,
                      TableReader.read(table, written, new Likeness(folder, columns, this::live))));
    }
  }

  /** Looks at a table through the stores that are defined here. */
  private Optional<Schema> live(String store, String table) {
    WorkspaceDefinition stored =
        new WorkspaceDefinition(name, keys, encrypt, stores, Map.of(), Map.of(), List.of());
    return stores.containsKey(store) ? live.columns(stored, store, table) : Optional.empty();
  }

  private void readPipelines() {
    Path pipelinesFolder = folder.resolve("pipelines");
    List<Path> files = List.of();
    if (Files.isDirectory(pipelinesFolder)) {
      try (Stream<Path> entries = Files.list(pipelinesFolder)) {
        files = entries.filter(p -> p.toString().endsWith(".yaml")).sorted().toList();
      } catch (IOException e) {
        throw new OutsideException(
            "cannot look into " + pipelinesFolder + ": " + e.getMessage(), e);
      }
    }
    Instant now = Instant.now();
    for (Path path : files) {
      YamlFile file = parse(path);
      for (Node written : file.documents()) {
        Optional<Node> document =
            Parameters.apply(file, written, given, parameters, now, diagnostics);
        Optional<Pipeline> pipeline =
            document.flatMap(filled -> PipelineReader.read(file, filled, diagnostics));
        if (pipeline.isPresent()) {
          add(pipeline.get(), file, document.get());
          places.start(pipeline.get().name(), new StartedText(file, written, given));
        } else {
          places.unreadable(named(written).orElse(baseName(path)));
        }
      }
      if (file.documents().isEmpty()) {
        places.unreadable(baseName(path));
      }
    }
    for (String unknown : given.keySet()) {
      if (!parameters.contains(unknown)) {
        diagnostics.error(
            "unknown-parameter",
            KeyPath.ROOT,
            "no pipeline has a parameter '" + unknown + "'",
            Diagnostics.nearestOrKnown(
                unknown, List.copyOf(parameters), all -> "the parameters are " + all));
      }
    }
  }

  private static Optional<String> named(Node document) {
    return Parameters.child(document, "pipeline")
        .filter(ScalarNode.class::isInstance)
        .map(name -> ((ScalarNode) name).getValue());
  }

  /** The name of a file without its ending: so a pipeline is usually called. */
  private static String baseName(Path path) {
    return path.getFileName().toString().replaceFirst("\\.yaml$", "");
  }

  private void add(Pipeline pipeline, YamlFile file, Node document) {
    if (!places.pipeline(pipeline.name(), file, document)) {
      new YamlMap(file, document, "a pipeline", diagnostics)
          .error(
              "pipeline",
              "duplicate-name",
              "a second pipeline is named '" + pipeline.name() + "'",
              Optional.of("rename one of them"));
      return;
    }
    pipelines.add(withShared(pipeline));
    YamlMap map = new YamlMap(file, document, "a pipeline", Diagnostics.of("told already"));
    CaseReader cases = new CaseReader(places, diagnostics);
    cases.read(pipeline.name(), map.items("cases"), file);
    Path beside = folder.resolve("cases").resolve(pipeline.name() + ".yaml");
    if (Files.isRegularFile(beside)) {
      cases.read(pipeline.name(), parse(beside));
    }
  }

  /** A pipeline with the patterns that all pipelines share; its own go first. */
  private Pipeline withShared(Pipeline pipeline) {
    if (patterns.isEmpty()) {
      return pipeline;
    }
    Map<String, String> all = new LinkedHashMap<>(patterns);
    all.putAll(pipeline.patterns());
    return pipeline.withPatterns(all);
  }

  private void readPatterns() {
    Path path = folder.resolve(PATTERNS);
    if (!Files.isRegularFile(path)) {
      return;
    }
    YamlFile file = parse(path);
    for (Node document : file.documents()) {
      YamlMap map = new YamlMap(file, document, "a file of patterns", diagnostics);
      map.keys().forEach(key -> map.text(key).ifPresent(regex -> patterns.put(key, regex)));
    }
  }
}

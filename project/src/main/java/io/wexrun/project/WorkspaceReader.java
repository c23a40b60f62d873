package io.wexrun.project;

import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.pipeline.Sizes;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type;
import io.wexrun.queue.Codec;
import io.wexrun.queue.Keep;
import io.wexrun.queue.SyncPolicy;
import java.io.IOException;
import java.nio.charset.CharacterCodingException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeSet;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import org.snakeyaml.engine.v2.nodes.MappingNode;
import org.snakeyaml.engine.v2.nodes.Node;
import org.snakeyaml.engine.v2.nodes.ScalarNode;
import org.snakeyaml.engine.v2.nodes.SequenceNode;

/** Reads {@code wexrun.yaml} and {@code pipelines/*.yaml} of a workspace's folder. */
final class WorkspaceReader {
  static final String FILE = "wexrun.yaml";

  private static final String PATTERNS = "patterns.yaml";

  /** What a column is written as: {@code timestamp required} or {@code int default 0}. */
  private static final Pattern COLUMN =
      Pattern.compile("(.+?)(\\s+required)?(?:\\s+default\\s+(.+))?");

  private static final List<String> KEYS = List.of("workspace", "stores", "queues", "tables");
  private static final List<String> TYPES =
      Stream.concat(
              Stream.of(Type.Scalar.values()).map(Type::toString),
              Stream.of("decimal(p,s)", "list<...>"))
          .toList();

  private final Path folder;
  private final Diagnostics diagnostics;
  private final DefinitionPlaces sources = new DefinitionPlaces();
  private final Map<String, Settings> stores = new LinkedHashMap<>();
  private final Map<String, QueueDefinition> queues = new LinkedHashMap<>();
  private final Map<String, Table> tables = new LinkedHashMap<>();
  private final List<Pipeline> pipelines = new ArrayList<>();
  private final Map<String, String> patterns = new LinkedHashMap<>();
  private final Map<String, String> given;
  private final Set<String> parameters = new TreeSet<>();
  private String name = "";

  private WorkspaceReader(Path folder, Map<String, String> given, Diagnostics diagnostics) {
    this.folder = folder;
    this.given = given;
    this.diagnostics = diagnostics;
  }

  /** A definition with where its parts stand. */
  record Read(WorkspaceDefinition definition, DefinitionPlaces sources) {}

  /**
   * Reads a folder; mistakes go to the diagnostics, and what is left is the definition.
   *
   * @param given values of the pipelines' parameters
   */
  static Read read(Path folder, Map<String, String> given, Diagnostics diagnostics) {
    WorkspaceReader reader = new WorkspaceReader(folder, given, diagnostics);
    reader.readWorkspace();
    reader.readPatterns();
    reader.readPipelines();
    WorkspaceDefinition definition =
        new WorkspaceDefinition(
            reader.name, reader.stores, reader.queues, reader.tables, reader.pipelines);
    return new Read(definition, reader.sources);
  }

  private YamlFile parse(Path path) {
    String shown = folder.relativize(path).toString().replace('\\', '/');
    try {
      return YamlFile.parse(shown, Files.readString(path), diagnostics);
    } catch (CharacterCodingException e) {
      throw new OutsideException(path + " is not UTF-8 text: save it as UTF-8", e);
    } catch (IOException e) {
      throw new OutsideException("cannot read " + path + ": " + e.getMessage(), e);
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
    sources.workspace(file, document);
    YamlMap map = new YamlMap(file, document, "a workspace", diagnostics);
    map.allow("a workspace", KEYS);
    name = map.text("workspace").orElse("");
    map.map("stores").ifPresent(this::readStores);
    map.map("queues").ifPresent(this::readQueues);
    map.map("tables").ifPresent(this::readTables);
  }

  private void readStores(YamlMap map) {
    for (String store : map.keys()) {
      map.map(store).flatMap(PipelineReader::settings).ifPresent(s -> stores.put(store, s));
    }
  }

  private void readQueues(YamlMap map) {
    for (String queue : map.keys()) {
      checkName(map, queue);
      QueueDefinition definition =
          map.map(queue).map(WorkspaceReader::queue).orElse(QueueDefinition.DEFAULT);
      queues.put(queue, definition);
    }
  }

  private static QueueDefinition queue(YamlMap settings) {
    settings.allow("a queue", List.of("partitions", "keep", "compress", "sync"));
    int partitions =
        settings
            .parsed(
                "partitions",
                text -> PipelineReader.count(text).filter(n -> n <= 10_000),
                "a number of partitions from 1 to 10000")
            .orElse(1L)
            .intValue();
    Codec codec =
        settings
            .parsed(
                "compress",
                text ->
                    Stream.of(Codec.values())
                        .filter(c -> c.name().toLowerCase(Locale.ROOT).equals(text))
                        .findFirst(),
                "none, lz4 or zstd")
            .orElse(Codec.NONE);
    Keep keep = Keep.ALL;
    Optional<YamlMap> limits = settings.map("keep");
    if (limits.isPresent()) {
      YamlMap limit = limits.get();
      limit.allow("what a queue keeps", List.of("age", "size", "until"));
      Optional<Duration> age =
          limit.parsed("age", t -> Sizes.duration(t).filter(d -> !d.isZero()), "an age such as 7d");
      Optional<Long> size =
          limit.parsed("size", t -> Sizes.bytes(t).filter(n -> n > 0), "a size such as 10GB");
      boolean untilRead =
          limit
              .parsed("until", t -> Optional.of(t).filter("read"::equals), "the word 'read'")
              .isPresent();
      keep = new Keep(age, size, untilRead);
    }
    SyncPolicy sync =
        settings
            .parsed("sync", WorkspaceReader::sync, "pack, system, or an interval such as 50ms")
            .orElse(SyncPolicy.eachPack());
    return new QueueDefinition(partitions, keep, codec, sync);
  }

  private static Optional<SyncPolicy> sync(String text) {
    return switch (text) {
      case "pack" -> Optional.of(SyncPolicy.eachPack());
      case "system" -> Optional.of(SyncPolicy.system());
      default -> Sizes.duration(text).filter(d -> !d.isZero()).map(SyncPolicy::every);
    };
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
      map.map(table).ifPresent(definition -> readTable(table, definition));
    }
  }

  private void readTable(String table, YamlMap map) {
    map.allow("a table", List.of("in", "columns"));
    String store = map.requiredText("a table", "in").orElse("");
    Schema schema = Schema.EMPTY;
    Map<String, String> defaults = new LinkedHashMap<>();
    Optional<YamlMap> columns = map.map("columns");
    if (columns.isEmpty()) {
      map.error("columns", "missing-key", "a table needs 'columns'", Optional.empty());
    }
    for (String column : columns.map(YamlMap::keys).orElse(List.of())) {
      String text = columns.get().value(column).map(WorkspaceReader::spelling).orElse("");
      Matcher written = COLUMN.matcher(text.strip());
      Optional<Type> type = written.matches() ? Type.parse(written.group(1)) : Optional.empty();
      if (type.isEmpty()) {
        String word = written.matches() ? written.group(1) : text;
        columns
            .get()
            .error(
                column,
                "unknown-type",
                "'" + text + "' is no column: it is a type, then 'required' or 'default VALUE'",
                Diagnostics.nearestOrKnown(word, TYPES, all -> "the types are " + all));
      }
      boolean required = written.matches() && written.group(2) != null;
      schema = schema.with(new Column(column, type.orElse(Type.Scalar.TEXT), required));
      if (written.matches() && written.group(3) != null) {
        defaults.put(column, written.group(3));
      }
    }
    tables.put(table, new Table(table, store, schema, defaults));
  }

  /** A type as one text: a mapping is a struct. */
  private static String spelling(Node node) {
    if (node instanceof MappingNode mapping) {
      return mapping.getValue().stream()
          .map(field -> spelling(field.getKeyNode()) + ": " + spelling(field.getValueNode()))
          .collect(Collectors.joining(", ", "{", "}"));
    }
    return node instanceof ScalarNode scalar ? scalar.getValue() : "a list";
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
    for (Path path : files) {
      YamlFile file = parse(path);
      for (Node written : file.documents()) {
        Node document = Parameters.apply(file, written, given, parameters, diagnostics);
        PipelineReader.read(file, document, diagnostics).ifPresent(p -> add(p, file, document));
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

  private void add(Pipeline pipeline, YamlFile file, Node document) {
    if (!sources.pipeline(pipeline.name(), file, document)) {
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
    addCases(pipeline.name(), map.items("cases"), file);
    Path beside = folder.resolve("cases").resolve(pipeline.name() + ".yaml");
    if (Files.isRegularFile(beside)) {
      YamlFile cases = parse(beside);
      for (Node list : cases.documents()) {
        readCases(pipeline.name(), cases, list);
      }
    }
  }

  private void readCases(String pipeline, YamlFile file, Node list) {
    if (list instanceof SequenceNode sequence) {
      addCases(pipeline, sequence.getValue(), file);
    } else {
      file.at(diagnostics, list)
          .error(
              "wrong-form",
              KeyPath.ROOT,
              "a file of cases is a list: one '- record: ' for each",
              Optional.empty());
    }
  }

  private void addCases(String pipeline, List<Node> items, YamlFile file) {
    for (Node item : items) {
      SampleCase.read(new YamlMap(file, item, "a case", diagnostics))
          .ifPresent(expected -> sources.addCase(pipeline, expected, file, item));
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

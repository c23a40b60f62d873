package io.wexrun.project.read;

import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.project.definition.SampleCase;
import io.wexrun.project.yaml.YamlFile;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.snakeyaml.engine.v2.nodes.Node;

/** Where the parts of a definition stand in files. Empty for definitions made in Java. */
public final class DefinitionPlaces {
  private final List<String> unreadable = new ArrayList<>();

  private record Document(YamlFile file, Node node) {}

  private final Map<String, Document> pipelines = new HashMap<>();
  private final Map<String, StartedText> starts = new HashMap<>();
  private final Map<String, List<PlacedCase>> cases = new HashMap<>();
  private Document workspace;

  /** A case and where it stands. */
  public record PlacedCase(SampleCase expected, YamlFile file, Node node) {}

  /** Notes a case of a pipeline. */
  void addCase(String pipeline, SampleCase expected, YamlFile file, Node node) {
    cases
        .computeIfAbsent(pipeline, p -> new ArrayList<>())
        .add(new PlacedCase(expected, file, node));
  }

  /** The cases of a pipeline. */
  public List<PlacedCase> cases(String pipeline) {
    return cases.getOrDefault(pipeline, List.of());
  }

  void unreadable(String pipeline) {
    unreadable.add(pipeline);
  }

  /** The names of pipelines whose text has such mistakes that it was not read. */
  public List<String> unreadable() {
    return unreadable;
  }

  void workspace(YamlFile file, Node node) {
    workspace = new Document(file, node);
  }

  /** Whether {@code wexrun.yaml} could be read at all, so that it makes sense to check more. */
  public boolean hasWorkspace() {
    return workspace != null;
  }

  /** Notes where a pipeline stands; false if one of that name stands elsewhere. */
  boolean pipeline(String name, YamlFile file, Node node) {
    return pipelines.putIfAbsent(name, new Document(file, node)) == null;
  }

  /** Notes what a pipeline's text is made of. */
  void start(String pipeline, StartedText text) {
    starts.putIfAbsent(pipeline, text);
  }

  /** What a pipeline's text is made of, if its start gives values to its parameters. */
  public Optional<StartedText> start(String pipeline) {
    return Optional.ofNullable(starts.get(pipeline)).filter(StartedText::hasValues);
  }

  /** A collector that finds the places of the workspace's own paths. */
  public Diagnostics ofWorkspace(Diagnostics diagnostics) {
    return in(workspace, "workspace", diagnostics);
  }

  /** A collector that finds the places of a pipeline's paths. */
  public Diagnostics ofPipeline(String name, Diagnostics diagnostics) {
    return in(pipelines.get(name), "pipeline " + name, diagnostics);
  }

  private static Diagnostics in(Document document, String subject, Diagnostics diagnostics) {
    return document == null
        ? diagnostics.about(subject, (path, offset, length) -> Optional.empty())
        : document.file().in(diagnostics, subject, document.node());
  }
}

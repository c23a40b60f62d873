package io.wexrun.project;

import io.wexrun.core.diagnose.Diagnostics;
import java.util.HashMap;
import java.util.Map;
import java.util.Optional;
import org.snakeyaml.engine.v2.nodes.Node;

/** Where the parts of a definition stand in files. Empty for definitions made in Java. */
final class Sources {
  private record Document(YamlFile file, Node node) {}

  private final Map<String, Document> pipelines = new HashMap<>();
  private Document workspace;

  void workspace(YamlFile file, Node node) {
    workspace = new Document(file, node);
  }

  /** Whether {@code wexrun.yaml} could be read at all, so that it makes sense to check more. */
  boolean hasWorkspace() {
    return workspace != null;
  }

  /** Notes where a pipeline stands; false if one of that name stands elsewhere. */
  boolean pipeline(String name, YamlFile file, Node node) {
    return pipelines.putIfAbsent(name, new Document(file, node)) == null;
  }

  /** A collector that finds the places of the workspace's own paths. */
  Diagnostics ofWorkspace(Diagnostics diagnostics) {
    return in(workspace, "workspace", diagnostics);
  }

  /** A collector that finds the places of a pipeline's paths. */
  Diagnostics ofPipeline(String name, Diagnostics diagnostics) {
    return in(pipelines.get(name), "pipeline " + name, diagnostics);
  }

  private static Diagnostics in(Document document, String subject, Diagnostics diagnostics) {
    return document == null
        ? diagnostics.about(subject, (path, offset, length) -> Optional.empty())
        : document.file().in(diagnostics, subject, document.node());
  }
}

package io.wexrun.project;

import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.pipeline.Table;
import java.util.Collections;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/**
 * What a workspace consists of, as data. Immutable; equal by value.
 *
 * @param name the workspace's name
 * @param stores by name
 * @param queues by name
 * @param tables by name
 * @param pipelines in the order of their files
 */
public record WorkspaceDefinition(
    String name,
    Map<String, Settings> stores,
    Map<String, QueueDefinition> queues,
    Map<String, Table> tables,
    List<Pipeline> pipelines) {
  /** Copies the collections, keeping their order. */
  public WorkspaceDefinition {
    stores = Collections.unmodifiableMap(new LinkedHashMap<>(stores));
    queues = Collections.unmodifiableMap(new LinkedHashMap<>(queues));
    tables = Collections.unmodifiableMap(new LinkedHashMap<>(tables));
    pipelines = List.copyOf(pipelines);
  }

  /** The pipeline of a name. */
  public Optional<Pipeline> pipeline(String pipelineName) {
    return pipelines.stream().filter(p -> p.name().equals(pipelineName)).findFirst();
  }
}

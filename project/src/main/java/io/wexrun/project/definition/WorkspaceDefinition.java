package io.wexrun.project.definition;

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
 * @param keys those that files are encrypted with, by name
 * @param encrypt the key of files for which nothing else is said
 * @param stores by name
 * @param targets by name: queues, and other targets that are no tables
 * @param tables by name
 * @param pipelines in the order of their files
 */
public record WorkspaceDefinition(
    String name,
    Map<String, Settings> keys,
    Optional<String> encrypt,
    Map<String, Settings> stores,
    Map<String, Settings> targets,
    Map<String, Table> tables,
    List<Pipeline> pipelines) {
  /** Copies the collections, keeping their order. */
  public WorkspaceDefinition {
    keys = Collections.unmodifiableMap(new LinkedHashMap<>(keys));
    stores = Collections.unmodifiableMap(new LinkedHashMap<>(stores));
    targets = Collections.unmodifiableMap(new LinkedHashMap<>(targets));
    tables = Collections.unmodifiableMap(new LinkedHashMap<>(tables));
    pipelines = List.copyOf(pipelines);
  }

  /** The same with some tables as they once were, managed as they are now. */
  public WorkspaceDefinition with(Map<String, Table> others) {
    Map<String, Table> all = new LinkedHashMap<>(tables);
    others.forEach(
        (table, as) -> {
          Table now = all.get(table);
          if (now != null) {
            all.put(table, as.managed(now.manage()));
          } else if (stores.containsKey(as.store()) && !targets.containsKey(table)) {
            all.put(table, as.managed(Table.Manage.NEVER)); // It is not defined any more.
          }
        });
    return new WorkspaceDefinition(name, keys, encrypt, stores, targets, all, pipelines);
  }

  /** The same with other pipelines. */
  public WorkspaceDefinition withPipelines(List<Pipeline> others) {
    return new WorkspaceDefinition(name, keys, encrypt, stores, targets, tables, others);
  }

  /** The pipeline of a name. */
  public Optional<Pipeline> pipeline(String pipelineName) {
    return pipelines.stream().filter(p -> p.name().equals(pipelineName)).findFirst();
  }

  /** The names of the targets of a kind, such as {@code queue}, in their order. */
  public List<String> targetsOf(String kind) {
    return targets.keySet().stream().filter(n -> targets.get(n).kind().equals(kind)).toList();
  }
}

package io.wexrun.project;

import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.pipeline.Table;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;

/** Collects the parts of a workspace. Not for several threads. */
public final class WorkspaceBuilder {
  private final Path folder;
  private final Map<String, Settings> stores = new LinkedHashMap<>();
  private final Map<String, QueueDefinition> queues = new LinkedHashMap<>();
  private final Map<String, Table> tables = new LinkedHashMap<>();
  private final List<Pipeline> pipelines = new ArrayList<>();

  WorkspaceBuilder(Path folder) {
    this.folder = folder;
  }

  /** Adds a store. */
  public WorkspaceBuilder store(String name, Settings settings) {
    stores.put(name, settings);
    return this;
  }

  /** Adds a queue that keeps everything. */
  public WorkspaceBuilder queue(String name, int partitions) {
    return queue(name, new QueueDefinition(partitions));
  }

  /** Adds a queue. */
  public WorkspaceBuilder queue(String name, QueueDefinition definition) {
    queues.put(name, definition);
    return this;
  }

  /** Adds a table. */
  public WorkspaceBuilder table(Table table) {
    tables.put(table.name(), table);
    return this;
  }

  /** Adds a pipeline. */
  public WorkspaceBuilder pipeline(Pipeline pipeline) {
    pipelines.add(pipeline);
    return this;
  }

  /** The workspace; its folder is made if it is not there. */
  public Workspace open() {
    Path whole = folder.toAbsolutePath().normalize();
    Holdings.makeFolder(whole);
    String name = String.valueOf(whole.getFileName());
    return Workspace.of(whole, new WorkspaceDefinition(name, stores, queues, tables, pipelines));
  }
}

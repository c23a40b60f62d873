package io.wexrun.project;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.pipeline.Table;
import io.wexrun.project.definition.WorkspaceDefinition;
import io.wexrun.queue.ends.QueueConnector;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/** Collects the parts of a workspace. Not for several threads. */
public final class WorkspaceBuilder {
  private final Path folder;
  private final Map<String, Settings> keys = new LinkedHashMap<>();
  private Optional<String> encrypt = Optional.empty();
  private final Map<String, Settings> stores = new LinkedHashMap<>();
  private final Map<String, Settings> targets = new LinkedHashMap<>();
  private final Map<String, Table> tables = new LinkedHashMap<>();
  private final List<Pipeline> pipelines = new ArrayList<>();

  WorkspaceBuilder(Path folder) {
    this.folder = folder;
  }

  /** Adds a key that files may be encrypted with: {@code Settings.of("env", VARIABLE)}. */
  public WorkspaceBuilder key(String name, Settings settings) {
    keys.put(name, settings);
    return this;
  }

  /** Encrypts new files with records with a key, where settings say nothing else. */
  public WorkspaceBuilder encrypt(String key) {
    encrypt = Optional.of(key);
    return this;
  }

  /** Adds a store. */
  public WorkspaceBuilder store(String name, Settings settings) {
    stores.put(name, settings);
    return this;
  }

  /** Adds a queue that keeps everything. */
  public WorkspaceBuilder queue(String name, int partitions) {
    return target(name, QueueConnector.partitions(partitions));
  }

  /** Adds a target that is not a table, such as a queue. */
  public WorkspaceBuilder target(String name, Settings settings) {
    targets.put(name, settings);
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

  /**
   * The workspace; its folder is made if it is not there.
   *
   * @throws OutsideException if it cannot be made
   */
  public Workspace open() {
    Path whole = folder.toAbsolutePath().normalize();
    try {
      Files.createDirectories(whole);
    } catch (IOException e) {
      throw new OutsideException("cannot make the folder " + whole + ": " + e.getMessage(), e);
    }
    String name = String.valueOf(whole.getFileName());
    return Workspace.of(
        whole, new WorkspaceDefinition(name, keys, encrypt, stores, targets, tables, pipelines));
  }
}

package io.wexrun.project.open;

import io.wexrun.core.connect.IntakeConnector;
import io.wexrun.core.connect.Site;
import io.wexrun.core.intake.KnownSource;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.secret.Keys;
import io.wexrun.core.tally.ReplaySource;
import io.wexrun.core.tally.TallyStore;
import io.wexrun.project.definition.WorkspaceDefinition;
import io.wexrun.state.EmbeddedState;
import io.wexrun.state.WorkspaceState;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.function.Function;
import java.util.stream.Stream;

/** A workspace as its connectors see it, with its state; both opened when first used. */
public final class WorkspaceSite implements Site, AutoCloseable {
  private static final String DATA = ".wexrun";

  private final Path folder;
  private volatile WorkspaceDefinition definition;
  private final Connectors connectors;
  private final Map<Class<?>, AutoCloseable> shared = new LinkedHashMap<>();
  private WorkspaceState state;

  /** The site of a workspace in a folder. */
  public WorkspaceSite(Path folder, WorkspaceDefinition definition, Connectors connectors) {
    this.folder = folder;
    this.definition = definition;
    this.connectors = connectors;
  }

  /** From now on the workspace is as its files say now. */
  public void redefine(WorkspaceDefinition other) {
    definition = other;
  }

  @Override
  public Path folder() {
    return folder;
  }

  @Override
  public Path data() {
    return folder.resolve(DATA);
  }

  @Override
  public Keys keys() {
    return new WorkspaceKeys(folder, definition.keys());
  }

  @Override
  public Optional<String> encrypt() {
    return definition.encrypt();
  }

  @Override
  public List<String> pipelines() {
    return definition.pipelines().stream().map(Pipeline::name).toList();
  }

  @Override
  public Map<String, Settings> targets() {
    return definition.targets();
  }

  @Override
  public Map<String, List<KnownSource>> readers(String target) {
    Map<String, List<KnownSource>> readers = new LinkedHashMap<>();
    for (Pipeline pipeline : definition.pipelines()) {
      IntakeConnector intake = connectors.intakes().get(pipeline.intake().kind());
      if (intake != null && intake.reads(pipeline.intake()).filter(target::equals).isPresent()) {
        readers.put(pipeline.name(), sources(pipeline.name()));
      }
    }
    return readers;
  }

  /** The state, made if it is not there. */
  public synchronized WorkspaceState state() {
    if (state == null) {
      state = EmbeddedState.open(data());
    }
    return state;
  }

  /** The state, but only if there is some already. */
  public synchronized Optional<WorkspaceState> stateIfAny() {
    if (state == null) {
      EmbeddedState.openIfAny(data()).ifPresent(found -> state = found);
    }
    return Optional.ofNullable(state);
  }

  /**
   * The source partitions that a pipeline has taken from by its intake, those too of which nothing
   * is accounted for yet: their names are taken. None if it never ran.
   */
  public List<KnownSource> sources(String pipeline) {
    Optional<TallyStore> tally = stateIfAny().map(WorkspaceState::tally);
    return Stream.concat(
            tally.map(t -> t.sources(pipeline)).orElse(List.of()).stream(),
            tally.map(t -> t.begun(pipeline)).orElse(List.of()).stream())
        .filter(source -> !ReplaySource.is(source.partition()))
        .toList();
  }

  /** The positions of a pipeline's tally; none if it never ran. */
  public Map<SourcePartition, Long> positions(String pipeline) {
    return stateIfAny().map(s -> s.tally().positions(pipeline)).orElse(Map.of());
  }

  @Override
  public <T extends AutoCloseable> T shared(Class<T> kind, Function<Site, T> open) {
    synchronized (shared) {
      AutoCloseable known = shared.get(kind);
      if (known == null) {
        known = open.apply(this);
        shared.put(kind, known);
      }
      return kind.cast(known);
    }
  }

  @Override
  public <T extends AutoCloseable> Optional<T> sharedIfAny(Class<T> kind) {
    synchronized (shared) {
      return Optional.ofNullable(shared.get(kind)).map(kind::cast);
    }
  }

  /** Closes what was shared and the state; they are opened again when they are used again. */
  @Override
  public void close() {
    List<AutoCloseable> open;
    synchronized (shared) {
      open = new ArrayList<>(shared.values());
      shared.clear();
    }
    synchronized (this) {
      if (state != null) {
        open.add(state);
        state = null;
      }
    }
    RuntimeException failure = null;
    for (AutoCloseable each : open) {
      try {
        each.close();
      } catch (RuntimeException e) {
        failure = failure == null ? e : failure;
      } catch (Exception e) {
        failure = failure == null ? new IllegalStateException(e) : failure;
      }
    }
    if (failure != null) {
      throw failure;
    }
  }
}

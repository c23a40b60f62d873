package io.wexrun.contract;

import io.wexrun.core.connect.Site;
import io.wexrun.core.intake.KnownSource;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.secret.EncryptionKey;
import io.wexrun.core.secret.Keys;
import java.nio.file.Path;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.function.Function;

/** A site that is only a folder, for the tests of connectors. */
public final class FolderSite implements Site, AutoCloseable {
  private final Path folder;
  private final Map<String, Settings> targets = new HashMap<>();
  private final Map<String, EncryptionKey> keys = new HashMap<>();
  private final Map<Class<?>, AutoCloseable> shared = new LinkedHashMap<>();

  /** A site whose data are in {@code .wexrun} of the folder. */
  public FolderSite(Path folder) {
    this.folder = folder;
  }

  /** This site with a target. */
  public FolderSite with(String name, Settings settings) {
    targets.put(name, settings);
    return this;
  }

  @Override
  public Path folder() {
    return folder;
  }

  @Override
  public Path data() {
    return folder.resolve(".wexrun");
  }

  /** This site with a key. */
  public FolderSite with(EncryptionKey key) {
    keys.put(key.id(), key);
    return this;
  }

  @Override
  public Keys keys() {
    return Keys.of(keys);
  }

  @Override
  public Optional<String> encrypt() {
    return Optional.empty();
  }

  @Override
  public List<String> pipelines() {
    return List.of();
  }

  @Override
  public Map<String, Settings> targets() {
    return Map.copyOf(targets);
  }

  @Override
  public Map<String, List<KnownSource>> readers(String target) {
    return Map.of();
  }

  @Override
  public synchronized <T extends AutoCloseable> T shared(Class<T> kind, Function<Site, T> open) {
    AutoCloseable known = shared.get(kind);
    if (known == null) {
      known = open.apply(this);
      shared.put(kind, known);
    }
    return kind.cast(known);
  }

  @Override
  public synchronized <T extends AutoCloseable> Optional<T> sharedIfAny(Class<T> kind) {
    return Optional.ofNullable(shared.get(kind)).map(kind::cast);
  }

  /** Closes what was shared. */
  @Override
  public synchronized void close() throws Exception {
    for (AutoCloseable each : shared.values()) {
      each.close();
    }
    shared.clear();
  }
}

package io.wexrun.core.connect;

import io.wexrun.core.intake.KnownSource;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.secret.Keys;
import java.nio.file.Path;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.function.Function;

/**
 * The workspace in which a connector is used: what it may know of it, and what several connectors
 * share in it. For several threads.
 */
public interface Site {
  /** The folder that relative names in settings start from. */
  Path folder();

  /** The folder in which connectors keep what is theirs; it need not be there yet. */
  Path data();

  /** The keys that are defined in it. */
  Keys keys();

  /** The key that new files with records are encrypted with, where settings say nothing else. */
  Optional<String> encrypt();

  /** The names of its pipelines. */
  List<String> pipelines();

  /** The targets that are neither tables nor dead letters, by name; queues among them. */
  Map<String, Settings> targets();

  /**
   * The pipelines that take from a target, with the source partitions that each has taken from, and
   * up to where it has accounted for them.
   */
  Map<String, List<KnownSource>> readers(String target);

  /**
   * Something that is open once in a workspace, whoever uses it. It is closed with the workspace,
   * and not by who gets it.
   *
   * @param kind what tells it from others; its own class
   * @param open opens it when it is asked for the first time
   */
  <T extends AutoCloseable> T shared(Class<T> kind, Function<Site, T> open);

  /** The same, if it was asked for before. */
  <T extends AutoCloseable> Optional<T> sharedIfAny(Class<T> kind);
}

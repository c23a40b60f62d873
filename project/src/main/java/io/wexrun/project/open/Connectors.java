package io.wexrun.project.open;

import io.wexrun.core.connect.ChannelConnector;
import io.wexrun.core.connect.ColumnsReader;
import io.wexrun.core.connect.IntakeConnector;
import io.wexrun.core.connect.ReferenceReader;
import io.wexrun.core.connect.StoreConnector;
import io.wexrun.core.connect.TargetConnector;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.shape.Steps;
import java.io.IOException;
import java.net.MalformedURLException;
import java.net.URL;
import java.net.URLClassLoader;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Collections;
import java.util.List;
import java.util.Map;
import java.util.ServiceConfigurationError;
import java.util.ServiceLoader;
import java.util.TreeMap;
import java.util.stream.Stream;
import java.util.zip.ZipEntry;
import java.util.zip.ZipException;
import java.util.zip.ZipFile;

/**
 * The kinds of intakes, stores, targets, channels and steps: on the class path, and in the
 * workspace's plugins.
 */
public final class Connectors {
  private static final String PLUGINS = "plugins";

  private final Map<String, IntakeConnector> intakes = new TreeMap<>();
  private final Map<String, StoreConnector> stores = new TreeMap<>();
  private final Map<String, TargetConnector> targets = new TreeMap<>();
  private final Map<String, ChannelConnector> channels = new TreeMap<>();
  private final List<ReferenceReader> references = new ArrayList<>();
  private final Map<String, ColumnsReader> columns = new TreeMap<>();
  private final Steps steps;

  /**
   * Finds what there is, with the jars in the folder's {@code plugins/}.
   *
   * @throws OutsideException if there is something that is not a jar, or a plugin does not load
   */
  public Connectors(Path folder) {
    Path plugins = folder.resolve(PLUGINS);
    ClassLoader loader = loader(plugins);
    try {
      ServiceLoader.load(IntakeConnector.class, loader).forEach(c -> intakes.put(c.kind(), c));
      ServiceLoader.load(StoreConnector.class, loader).forEach(c -> stores.put(c.kind(), c));
      ServiceLoader.load(TargetConnector.class, loader).forEach(c -> targets.put(c.kind(), c));
      ServiceLoader.load(ChannelConnector.class, loader).forEach(c -> channels.put(c.kind(), c));
      ServiceLoader.load(ReferenceReader.class, loader).forEach(references::add);
      ServiceLoader.load(ColumnsReader.class, loader).forEach(c -> columns.put(c.kind(), c));
      steps = Steps.with(loader);
    } catch (ServiceConfigurationError | LinkageError e) {
      throw OutsideException.lasting(
          "a plugin does not load: "
              + e.getMessage()
              + (e.getCause() == null ? "" : " (" + e.getCause() + ")")
              + ". It is in "
              + jars(plugins, String.valueOf(e.getMessage()))
              + "; mend or remove it");
    }
  }

  /** The plugins that name what a message is about; all of them if none does. */
  private static String jars(Path plugins, String message) {
    List<String> all = new ArrayList<>();
    List<String> named = new ArrayList<>();
    try (Stream<Path> entries = Files.list(plugins)) {
      for (Path jar : entries.filter(p -> p.toString().endsWith(".jar")).sorted().toList()) {
        all.add(jar.toString());
        if (names(jar, message)) {
          named.add(jar.toString());
        }
      }
    } catch (IOException e) {
      return plugins.toString();
    }
    return String.join(", ", named.isEmpty() ? all : named);
  }

  private static boolean names(Path jar, String message) throws IOException {
    try (ZipFile zip = new ZipFile(jar.toFile())) {
      for (ZipEntry entry : Collections.list(zip.entries())) {
        if (entry.getName().startsWith("META-INF/services/") && !entry.isDirectory()) {
          String services =
              new String(zip.getInputStream(entry).readAllBytes(), StandardCharsets.UTF_8);
          if (services
              .lines()
              .map(String::strip)
              .anyMatch(l -> !l.isEmpty() && message.contains(l))) {
            return true;
          }
        }
      }
    }
    return false;
  }

  /** Ours, or one below it that also sees the plugins; open as long as the process lives. */
  private static ClassLoader loader(Path plugins) {
    ClassLoader ours = Connectors.class.getClassLoader();
    if (!Files.isDirectory(plugins)) {
      return ours;
    }
    List<URL> jars = new ArrayList<>();
    try (Stream<Path> entries = Files.list(plugins)) {
      for (Path jar : entries.filter(p -> p.toString().endsWith(".jar")).sorted().toList()) {
        try {
          new ZipFile(jar.toFile()).close(); // A class loader would pass over what is not a jar.
          jars.add(jar.toUri().toURL());
        } catch (ZipException e) {
          throw new OutsideException(jar + " is not a jar: " + e.getMessage() + "; remove it", e);
        }
      }
    } catch (MalformedURLException e) {
      throw new IllegalStateException("a path is not a URL", e);
    } catch (IOException e) {
      throw new OutsideException("cannot look into " + plugins + ": " + e.getMessage(), e);
    }
    return new URLClassLoader("plugins", jars.toArray(URL[]::new), ours);
  }

  /** Kinds of intakes, by name. */
  public Map<String, IntakeConnector> intakes() {
    return intakes;
  }

  /** Kinds of stores, by name. */
  public Map<String, StoreConnector> stores() {
    return stores;
  }

  /** Kinds of targets that are no tables, by name. */
  public Map<String, TargetConnector> targets() {
    return targets;
  }

  /** Kinds of channels that outlive a run, by name. */
  public Map<String, ChannelConnector> channels() {
    return channels;
  }

  /** What reads files as reference tables. */
  public List<ReferenceReader> references() {
    return references;
  }

  /** What reads the columns of tables out of files, by kind. */
  public Map<String, ColumnsReader> columns() {
    return columns;
  }

  /** Kinds of steps. */
  public Steps steps() {
    return steps;
  }

  /** The sections of {@code wexrun.yaml} that are for targets of one kind, with the kinds. */
  public Map<String, String> sections() {
    Map<String, String> sections = new TreeMap<>();
    targets.forEach((kind, target) -> target.section().ifPresent(s -> sections.put(s.key(), kind)));
    return sections;
  }
}

package io.wexrun.cli.demo;

import io.wexrun.core.diagnose.OutsideException;
import java.io.BufferedOutputStream;
import java.io.IOException;
import java.io.InputStream;
import java.io.OutputStream;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.Optional;

/** Makes the demo's workspace in a folder. */
public final class DemoWorkspace {
  private static final double SPOILED = 0.015;
  private static final String DEFINITION = "wexrun.yaml";

  /** The store of the demo's tables, unless another one is named. */
  private static final String EMBEDDED = "{duckdb: warehouse.db}";

  private static final List<String> DEFINITIONS =
      List.of(
          DEFINITION,
          "pipelines/gates.yaml",
          "pipelines/vehicles.yaml",
          "pipelines/tickets.yaml",
          "pipelines/depots.yaml",
          "pipelines/substations.yaml",
          "reference/networks.csv",
          "schemas/substations.proto",
          "schemas/substations.desc",
          "cases/gate-load.yaml");

  /** A file of data. */
  private record Data(String file, Feed.Kind kind, long seed, int records) {}

  private static final List<Data> DATA =
      List.of(
          new Data("gates/gates-north.log", Feed.Kind.GATES, 41, 20_000),
          new Data("gates/gates-harbour.log", Feed.Kind.GATES, 42, 20_000),
          new Data("gates/gates-south.log", Feed.Kind.GATES, 43, 20_000),
          new Data("vehicles/vehicles.ndjson", Feed.Kind.VEHICLES, 51, 8_000),
          new Data("tickets/tickets-north.csv", Feed.Kind.TICKETS, 61, 3_000),
          new Data("tickets/tickets-south.csv", Feed.Kind.TICKETS, 62, 2_000),
          new Data("depots/depots.syslog", Feed.Kind.DEPOTS, 71, 4_000),
          new Data("power/substations.bin", Feed.Kind.SUBSTATIONS, 81, 3_000));

  private DemoWorkspace() {}

  /** How many records the data have, all files together. */
  public static long records() {
    return DATA.stream().mapToLong(Data::records).sum();
  }

  /** How many files of data there are. */
  public static int files() {
    return DATA.size();
  }

  /** Like {@link #make(Path, Optional)}, into the embedded database. */
  public static boolean make(Path folder) {
    return make(folder, Optional.empty());
  }

  /**
   * Writes what is not there yet: definitions and data.
   *
   * @param server the settings of the database server that tables go to, as they are written; empty
   *     for the embedded database
   * @return whether anything was written
   * @throws OutsideException if the folder cannot be written, or has a demo with another store
   */
  public static boolean make(Path folder, Optional<String> server) {
    boolean made = false;
    try {
      Path definition = folder.resolve(DEFINITION);
      if (Files.exists(definition) && isOther(Files.readString(definition), server)) {
        throw OutsideException.lasting(
            folder + " has a demo already that loads into another database: name another folder");
      }
      for (String name : DEFINITIONS) {
        Path file = folder.resolve(name);
        if (!Files.exists(file)) {
          Files.createDirectories(file.getParent());
          copyResource("/demo/" + name, file);
          if (server.isPresent() && name.equals(DEFINITION)) {
            String text = Files.readString(file);
            Files.writeString(file, text.replace(EMBEDDED, server.get()));
          }
          made = true;
        }
      }
      for (Data data : DATA) {
        Path file = folder.resolve("incoming").resolve(data.file());
        if (!Files.exists(file)) {
          Files.createDirectories(file.getParent());
          write(data, file);
          made = true;
        }
      }
    } catch (IOException e) {
      throw new OutsideException("cannot make the demo in " + folder + ": " + e.getMessage(), e);
    }
    return made;
  }

  /** Whether a definition that is there, perhaps edited, loads into another database. */
  private static boolean isOther(String definition, Optional<String> server) {
    return server
        .map(settings -> !definition.contains(settings))
        .orElse(definition.contains("{postgres:"));
  }

  private static void copyResource(String resource, Path file) throws IOException {
    try (InputStream in = DemoWorkspace.class.getResourceAsStream(resource)) {
      Files.copy(in, file);
    }
  }

  private static void write(Data data, Path file) throws IOException {
    Feed feed = data.kind().feed(data.seed(), SPOILED);
    Path unfinished = file.resolveSibling(file.getFileName() + ".part");
    try (OutputStream out = new BufferedOutputStream(Files.newOutputStream(unfinished), 1 << 16)) {
      feed.writeHeader(out);
      for (int i = 0; i < data.records(); i++) {
        feed.writeNext(out);
      }
    }
    Files.move(unfinished, file);
  }
}

package io.wexrun.cli.demo;

import io.wexrun.core.diagnose.OutsideException;
import java.io.BufferedOutputStream;
import java.io.IOException;
import java.io.InputStream;
import java.io.OutputStream;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.zip.GZIPOutputStream;

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
          "pipelines/doors.yaml",
          "pipelines/history.yaml",
          "pipelines/substations.yaml",
          "reference/networks.csv",
          "schemas/substations.proto",
          "schemas/substations.desc",
          "cases/gate-load.yaml");

  /** A file of data. */
  private record Data(String file, Feed.Kind kind, long seed, int records) {
    Data in(String folder) {
      return new Data(folder + file, kind, seed, records);
    }
  }

  private static final List<Data> DATA =
      List.of(
          new Data("gates/gates-north.log", Feed.Kind.GATES, 41, 20_000),
          new Data("gates/gates-harbour.log", Feed.Kind.GATES, 42, 20_000),
          new Data("gates/gates-south.log", Feed.Kind.GATES, 43, 20_000),
          new Data("vehicles/vehicles.ndjson", Feed.Kind.VEHICLES, 51, 8_000),
          new Data("tickets/tickets-north.csv", Feed.Kind.TICKETS, 61, 3_000),
          new Data("tickets/tickets-south.csv", Feed.Kind.TICKETS, 62, 2_000),
          new Data("depots/depots.syslog.1.gz", Feed.Kind.DEPOTS, 71, 2_000),
          new Data("depots/depots.syslog", Feed.Kind.DEPOTS, 72, 2_000),
          new Data("depots/controller.log", Feed.Kind.EVENTS, 73, 300),
          new Data("power/substations.bin", Feed.Kind.SUBSTATIONS, 81, 3_000));

  /** Days of gate lines that lie in an archive, by depot. */
  private static final List<String> DAYS = List.of("2026-04-30", "2026-05-01", "2026-05-02");

  private static final List<String> DEPOTS = List.of("harbour", "north", "south");
  private static final int ARCHIVED = 400;

  private DemoWorkspace() {}

  private static List<Data> data() {
    List<Data> all = new ArrayList<>();
    DATA.forEach(data -> all.add(data.in("incoming/")));
    for (String day : DAYS) {
      for (String depot : DEPOTS) {
        String name = "history/" + day + "/depot=" + depot + "/gates.log.gz";
        all.add(new Data(name, Feed.Kind.GATES, 100 + all.size(), ARCHIVED));
      }
    }
    return all;
  }

  /** How many records the data have, all files together. */
  public static long records() {
    return data().stream().mapToLong(Data::records).sum();
  }

  /** How many files of data there are. */
  public static int files() {
    return data().size();
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
      for (Data data : data()) {
        Path file = folder.resolve(data.file());
        Path taken = folder.resolve("taken").resolve(file.getFileName());
        if (!Files.exists(file) && !Files.exists(taken)) {
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
    boolean packed = data.file().endsWith(".gz");
    try (OutputStream plain = Files.newOutputStream(unfinished);
        OutputStream out =
            packed
                ? new GZIPOutputStream(plain, 1 << 16)
                : new BufferedOutputStream(plain, 1 << 16)) {
      feed.writeHeader(out);
      for (int i = 0; i < data.records(); i++) {
        feed.writeNext(out);
      }
    }
    Files.move(unfinished, file);
  }
}

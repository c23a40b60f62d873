package io.wexrun.network.delivery;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.identity.Identity;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.target.Refusal;
import io.wexrun.queue.disk.DiskFile;
import io.wexrun.queue.disk.RealDisk;
import java.io.IOException;
import java.net.URLDecoder;
import java.net.URLEncoder;
import java.nio.ByteBuffer;
import java.nio.channels.FileChannel;
import java.nio.channels.FileLock;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.TreeMap;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.locks.ReentrantLock;
import tools.jackson.core.JacksonException;
import tools.jackson.databind.JsonNode;
import tools.jackson.databind.json.JsonMapper;
import tools.jackson.databind.node.ArrayNode;
import tools.jackson.databind.node.ObjectNode;

/**
 * How far one pipeline has got with one table that is delivered, in a folder of its own: the other
 * side cannot be asked. It is written as a whole and exchanged in one step. For several threads.
 *
 * <pre>{@code
 * progress --> {"sources": {SOURCE: [POSITION, ROWS], ...},
 *               "refused": [[SOURCE, POSITION, ROW, WHY], ...],
 *               "aside": [PUT, DELIVERED, REFUSED, DONE]}
 * }</pre>
 */
final class Ledger {
  private static final String PROGRESS = "progress";
  private static final String LOCK = "lock";
  private static final String IDENTITY = "identity";
  private static final JsonMapper JSON = JsonMapper.builder().build();
  private static final RealDisk DISK = new RealDisk();

  /** File locks are a process's, so its threads need one of their own. */
  private static final Map<Path, ReentrantLock> HELD = new ConcurrentHashMap<>();

  private final Path folder;

  /**
   * How far a source partition has got.
   *
   * @param rows how many of its rows the other side has taken, over all time
   */
  record Reached(long position, long rows) {}

  /**
   * Rows that were put aside, over all time; those of {@code sources} include them.
   *
   * @param put how many were put aside
   * @param delivered how many of them the other side took later
   * @param refused how many of them the other side refused later
   * @param done the name of the post that was counted last as delivered or refused: a crash may
   *     have left its files; may be empty
   */
  record Aside(long put, long delivered, long refused, String done) {
    static final Aside NONE = new Aside(0, 0, 0, "");

    long waiting() {
      return put - delivered - refused;
    }

    Aside more(long rows) {
      return rows == 0 ? this : new Aside(put + rows, delivered, refused, done);
    }
  }

  /**
   * The content of the ledger.
   *
   * @param refused what may be handed over again
   * @param aside empty in a ledger of an earlier version, which did not count such rows
   */
  record Content(
      Map<SourcePartition, Reached> sources, List<Refusal> refused, Optional<Aside> aside) {
    /** Copies the collections. */
    Content {
      sources = Map.copyOf(sources);
      refused = List.copyOf(refused);
    }
  }

  /** The ledger in a folder, which need not be there. */
  Ledger(Path folder) {
    this.folder = folder;
  }

  /** A name as that of a folder. */
  static String named(String name) {
    String safe = URLEncoder.encode(name, StandardCharsets.UTF_8);
    return safe.startsWith(".") ? "%2E" + safe.substring(1) : safe;
  }

  /** The name of which a folder has its name. */
  static String unnamed(String folder) {
    return URLDecoder.decode(folder, StandardCharsets.UTF_8);
  }

  Path file(String name) {
    return folder.resolve(name);
  }

  /** Work that nobody disturbs. */
  @FunctionalInterface
  interface Work<T> {
    T done() throws IOException;
  }

  /** Does something while no other process or thread does, for the same pipeline and table. */
  <T> T alone(Work<T> work) throws IOException {
    DISK.makeFolder(folder);
    Path file = folder.resolve(LOCK);
    ReentrantLock threads =
        HELD.computeIfAbsent(file.toAbsolutePath().normalize(), f -> new ReentrantLock());
    threads.lock();
    try (FileChannel channel =
            FileChannel.open(file, StandardOpenOption.CREATE, StandardOpenOption.WRITE);
        FileLock lock = channel.lock()) {
      return work.done();
    } finally {
      threads.unlock();
    }
  }

  /** Reads it; nothing, if there is none. */
  Content read() throws IOException {
    Path file = folder.resolve(PROGRESS);
    Map<SourcePartition, Reached> sources = new TreeMap<>();
    List<Refusal> refused = new ArrayList<>();
    if (!Files.exists(file)) {
      return new Content(sources, refused, Optional.of(Aside.NONE));
    }
    Optional<Aside> aside;
    try {
      JsonNode json = JSON.readTree(Files.readAllBytes(file));
      json.required("sources")
          .properties()
          .forEach(
              e ->
                  sources.put(
                      new SourcePartition(e.getKey()),
                      new Reached(e.getValue().get(0).asLong(), e.getValue().get(1).asLong())));
      for (JsonNode one : json.required("refused")) {
        refused.add(
            new Refusal(
                new SourcePartition(one.get(0).asString()),
                one.get(1).asLong(),
                one.get(2).asInt(),
                one.get(3).asString()));
      }
      aside = Optional.of(json.path("aside")).filter(JsonNode::isArray).map(Ledger::aside);
    } catch (JacksonException e) {
      throw OutsideException.lasting(
          file
              + " is damaged. It says which rows were delivered: put it back from a backup, or"
              + " remove it, and rows that were delivered may be delivered again");
    }
    return new Content(sources, refused, aside);
  }

  private static Aside aside(JsonNode json) {
    return new Aside(
        json.required(0).asLong(),
        json.required(1).asLong(),
        json.required(2).asLong(),
        json.required(3).asString());
  }

  /** Writes it, so that it survives the loss of power. Called alone. */
  void write(Content content) throws IOException {
    ObjectNode json = JSON.createObjectNode();
    ObjectNode sources = json.putObject("sources");
    new TreeMap<>(content.sources())
        .forEach((source, at) -> sources.putArray(source.name()).add(at.position()).add(at.rows()));
    ArrayNode refused = json.putArray("refused");
    for (Refusal each : content.refused()) {
      ArrayNode one = refused.addArray().add(each.source().name());
      one.add(each.position()).add(each.row()).add(each.why());
    }
    content
        .aside()
        .ifPresent(
            aside ->
                json.putArray("aside")
                    .add(aside.put())
                    .add(aside.delivered())
                    .add(aside.refused())
                    .add(aside.done()));
    replace(folder.resolve(PROGRESS), json.toString());
  }

  private static void replace(Path file, String text) throws IOException {
    Path fresh = file.resolveSibling(file.getFileName() + ".new");
    Files.deleteIfExists(fresh);
    try (DiskFile out = DISK.create(fresh)) {
      out.write(0, ByteBuffer.wrap(text.getBytes(StandardCharsets.UTF_8)));
      out.sync();
    }
    DISK.rename(fresh, file);
  }

  /** Who a folder of ledgers is; it has it from its making. */
  static Identity identity(Path folder) throws IOException {
    return new Ledger(folder)
        .alone(
            () -> {
              Path file = folder.resolve(IDENTITY);
              if (!Files.exists(file)) {
                replace(file, Identity.fresh().text());
              }
              return new Identity(Files.readString(file));
            });
  }
}

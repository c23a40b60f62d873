package io.wexrun.files.folder;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.identity.Identity;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.channels.FileChannel;
import java.nio.channels.FileLock;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.nio.file.StandardOpenOption;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.TreeMap;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.locks.ReentrantLock;
import java.util.zip.CRC32C;
import tools.jackson.core.JacksonException;
import tools.jackson.databind.JsonNode;
import tools.jackson.databind.json.JsonMapper;
import tools.jackson.databind.node.ArrayNode;
import tools.jackson.databind.node.ObjectNode;

/**
 * What is committed to a table of files, in the order in which it was: how far each writer has got,
 * and under which names the files stand that were written beside. The last line may be torn by a
 * crash; then it was not committed.
 *
 * <pre>{@code
 * Log   --> Line(Head), Line(Entry)*
 * Line  --> the CRC-32C of the JSON text in 8 hexadecimal digits, " ", JSON text, LF
 * Head  --> {"table": ID, "columns": [[NAME, TYPE, REQUIRED], ...]}
 * Entry --> {"writer": NAME, "sources": {SOURCE: [POSITION, ROWS], ...}, "files": [[STAGED, FINAL], ...]}
 * }</pre>
 *
 * <p>POSITION is how far a source partition has got, ROWS how many of its rows were committed over
 * all time. STAGED is a name in the folder of staged files, FINAL one below the table's folder. One
 * process at a time holds the lock file and writes; any may read. For several threads.
 */
final class CommitLog {
  private static final String LOG = "commits";
  private static final String LOCK = "lock";
  private static final JsonMapper JSON = JsonMapper.builder().build();

  /** File locks are a process's, so its threads need one of their own. */
  private static final Map<Path, ReentrantLock> HELD = new ConcurrentHashMap<>();

  /**
   * How far a source partition has got.
   *
   * @param position up to where
   * @param rows how many rows of it were committed, over all time
   */
  record Reached(long position, long rows) {}

  /** A file that was staged under one name and stands under another. */
  record Placed(String staged, String name) {}

  /**
   * Everything that the log says.
   *
   * @param table who the table is
   * @param writers how far each source partition of each writer has got
   * @param files of the entries that were not summed up
   * @param bytes how long the log is, without a torn line
   * @param entries how many there are
   */
  record Content(
      Identity table,
      Schema schema,
      Map<String, Map<SourcePartition, Reached>> writers,
      List<Placed> files,
      long bytes,
      int entries) {
    /** The same with other columns. */
    Content with(Schema other) {
      return new Content(table, other, writers, files, bytes, entries);
    }

    /** How many rows all writers have written. */
    long rows() {
      return writers.values().stream()
          .flatMap(sources -> sources.values().stream())
          .mapToLong(Reached::rows)
          .sum();
    }

    Map<SourcePartition, Reached> of(String writer) {
      return writers.getOrDefault(writer, Map.of());
    }
  }

  private final Path folder;

  /** A log in a folder, which need not be there yet. */
  CommitLog(Path folder) {
    this.folder = folder;
  }

  private Path log() {
    return folder.resolve(LOG);
  }

  /** Work that nobody disturbs. */
  @FunctionalInterface
  interface Work<T> {
    T done() throws IOException;
  }

  /** Does something while no other process or thread writes. */
  <T> T alone(Work<T> work) throws IOException {
    Files.createDirectories(folder);
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

  /** Makes the log, if it is not there. Called alone. */
  void make(Schema schema) throws IOException {
    if (Files.exists(log())) {
      return;
    }
    ObjectNode head = JSON.createObjectNode().put("table", Identity.fresh().text());
    ArrayNode columns = head.putArray("columns");
    for (Column column : schema.columns()) {
      columns.addArray().add(column.name()).add(column.type().toString()).add(column.required());
    }
    replace(List.of(head));
  }

  private void replace(List<ObjectNode> lines) throws IOException {
    Path fresh = folder.resolve(LOG + ".new");
    StringBuilder text = new StringBuilder();
    lines.forEach(line -> text.append(line(line)));
    Files.writeString(fresh, text);
    force(fresh);
    Files.move(fresh, log(), StandardCopyOption.ATOMIC_MOVE, StandardCopyOption.REPLACE_EXISTING);
    force(folder);
  }

  private static String line(JsonNode json) {
    String text = json.toString();
    return crc(text) + " " + text + "\n";
  }

  private static String crc(String text) {
    CRC32C crc = new CRC32C();
    crc.update(text.getBytes(StandardCharsets.UTF_8));
    return String.format("%08x", crc.getValue());
  }

  /** Makes what was written to a file or a folder survive the loss of power. */
  static void force(Path path) throws IOException {
    boolean folder = Files.isDirectory(path);
    try (FileChannel channel =
        FileChannel.open(path, folder ? StandardOpenOption.READ : StandardOpenOption.WRITE)) {
      channel.force(true);
    }
  }

  /**
   * Reads the log.
   *
   * @return empty if there is none
   * @throws OutsideException if it is damaged
   */
  Optional<Content> read() throws IOException {
    if (!Files.exists(log())) {
      return Optional.empty();
    }
    byte[] data = Files.readAllBytes(log());
    List<JsonNode> lines = new ArrayList<>();
    int at = 0;
    while (at < data.length) {
      int end = at;
      while (end < data.length && data[end] != '\n') {
        end++;
      }
      Optional<JsonNode> line = line(new String(data, at, end - at, StandardCharsets.UTF_8));
      if (end == data.length || line.isEmpty()) {
        if (end < data.length - 1) {
          throw damaged("line " + (lines.size() + 1) + " is not what was written");
        }
        break; // Torn by a crash: it was not committed.
      }
      lines.add(line.get());
      at = end + 1;
    }
    if (lines.isEmpty()) {
      throw damaged("it has no head");
    }
    return Optional.of(content(lines, at));
  }

  private OutsideException damaged(String how) {
    return OutsideException.lasting(
        log()
            + " is damaged: "
            + how
            + ". It says what is in the table: put it back from a backup, with the table's files");
  }

  private static Optional<JsonNode> line(String text) {
    if (text.length() < 10 || !crc(text.substring(9)).equals(text.substring(0, 8))) {
      return Optional.empty();
    }
    try {
      return Optional.of(JSON.readTree(text.substring(9)));
    } catch (JacksonException e) {
      return Optional.empty();
    }
  }

  private static Content content(List<JsonNode> lines, long bytes) {
    JsonNode head = lines.get(0);
    Schema schema = Schema.EMPTY;
    for (JsonNode column : head.get("columns")) {
      Type type = Type.parse(column.get(1).asString()).orElseThrow();
      schema = schema.with(new Column(column.get(0).asString(), type, column.get(2).asBoolean()));
    }
    Map<String, Map<SourcePartition, Reached>> writers = new LinkedHashMap<>();
    List<Placed> files = new ArrayList<>();
    for (JsonNode entry : lines.subList(1, lines.size())) {
      Map<SourcePartition, Reached> sources =
          writers.computeIfAbsent(entry.get("writer").asString(), w -> new TreeMap<>());
      entry
          .get("sources")
          .properties()
          .forEach(
              source ->
                  sources.put(
                      new SourcePartition(source.getKey()),
                      new Reached(
                          source.getValue().get(0).asLong(), source.getValue().get(1).asLong())));
      entry
          .get("files")
          .forEach(file -> files.add(new Placed(file.get(0).asString(), file.get(1).asString())));
    }
    Identity table = new Identity(head.get("table").asString());
    return new Content(table, schema, writers, files, bytes, lines.size() - 1);
  }

  /** Adds an entry, so that it survives the loss of power. Called alone. */
  void append(
      Content before, String writer, Map<SourcePartition, Reached> reached, List<Placed> files)
      throws IOException {
    byte[] line = line(entry(writer, reached, files)).getBytes(StandardCharsets.UTF_8);
    try (FileChannel channel = FileChannel.open(log(), StandardOpenOption.WRITE)) {
      channel.truncate(before.bytes());
      channel.position(before.bytes());
      try {
        ByteBuffer bytes = ByteBuffer.wrap(line);
        while (bytes.hasRemaining()) {
          channel.write(bytes);
        }
        channel.force(true);
      } catch (IOException e) {
        channel.truncate(before.bytes());
        throw e;
      }
    }
  }

  private static ObjectNode entry(
      String writer, Map<SourcePartition, Reached> reached, List<Placed> files) {
    ObjectNode entry = JSON.createObjectNode().put("writer", writer);
    ObjectNode sources = entry.putObject("sources");
    new TreeMap<>(reached)
        .forEach((source, at) -> sources.putArray(source.name()).add(at.position()).add(at.rows()));
    ArrayNode placed = entry.putArray("files");
    files.forEach(file -> placed.addArray().add(file.staged()).add(file.name()));
    return entry;
  }

  /** Sums the entries up, one for each writer. Called alone, when all files are in their places. */
  void sumUp(Content content) throws IOException {
    List<ObjectNode> lines = new ArrayList<>();
    ObjectNode head = JSON.createObjectNode().put("table", content.table().text());
    ArrayNode columns = head.putArray("columns");
    for (Column column : content.schema().columns()) {
      columns.addArray().add(column.name()).add(column.type().toString()).add(column.required());
    }
    lines.add(head);
    content.writers().forEach((writer, reached) -> lines.add(entry(writer, reached, List.of())));
    replace(lines);
  }
}

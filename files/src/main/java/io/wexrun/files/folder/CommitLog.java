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
import java.nio.file.DirectoryStream;
import java.nio.file.Files;
import java.nio.file.NoSuchFileException;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.nio.file.StandardOpenOption;
import java.util.ArrayList;
import java.util.Collection;
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
 * Log      --> Line(Head), Line(Flush | Exchange)*
 * List     --> Line([File, ...])*
 * Line     --> the CRC-32C of the JSON text in 8 hexadecimal digits, " ", JSON text, LF
 * Head     --> {"table": ID, "columns": [[NAME, TYPE, REQUIRED], ...], "list": [LIST, COUNT]}
 * Flush    --> {"writer": NAME, "sources": {SOURCE: [POSITION, ROWS], ...}, "files": [[STAGED, File], ...]}
 * Exchange --> {"exchange": FOLDER, "staged": STAGED, "from": [File, ...], "to": [File, ...]}
 * File     --> NAME | [NAME, BYTES, CRC]
 * }</pre>
 *
 * <p>POSITION is how far a source partition has got, ROWS how many of its rows were committed over
 * all time. STAGED is a name in the folder of staged files; the File behind it and those of a list
 * stand below the table's folder, those of an exchange in FOLDER. BYTES and CRC are the length and
 * the CRC-32C of a file, which earlier versions did not note. LIST is the file beside the log with
 * the names of the COUNT files that were there when it was summed up. One process at a time holds
 * the lock file and writes; any may read. For several threads.
 */
final class CommitLog {
  private static final String LOG = "commits";
  private static final String LIST = "files-";
  private static final String LOCK = "lock";
  private static final JsonMapper JSON = JsonMapper.builder().build();

  /** File locks are a process's, so its threads need one of their own. */
  private static final Map<Path, ReentrantLock> HELD = new ConcurrentHashMap<>();

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
    replace(LOG, List.of(head(Identity.fresh(), schema)));
  }

  private static ObjectNode head(Identity table, Schema schema) {
    ObjectNode head = JSON.createObjectNode().put("table", table.text());
    ArrayNode columns = head.putArray("columns");
    for (Column column : schema.columns()) {
      columns.addArray().add(column.name()).add(column.type().toString()).add(column.required());
    }
    return head;
  }

  private void replace(String name, List<? extends JsonNode> lines) throws IOException {
    Path fresh = folder.resolve(name + ".new");
    StringBuilder text = new StringBuilder();
    lines.forEach(line -> text.append(line(line)));
    Files.writeString(fresh, text);
    force(fresh);
    Files.move(
        fresh,
        folder.resolve(name),
        StandardCopyOption.ATOMIC_MOVE,
        StandardCopyOption.REPLACE_EXISTING);
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
    while (true) {
      Lines lines = lines(LOG);
      if (lines.all().isEmpty()) {
        throw damaged(LOG, "it has no head");
      }
      JsonNode list = lines.all().get(0).get("list");
      if (list == null) {
        return Optional.of(content(lines, Map.of()));
      }
      Map<String, WrittenFile> listed = new TreeMap<>();
      try {
        for (JsonNode line : lines(list.get(0).asString()).all()) {
          files(line).forEach(file -> listed.put(file.name(), file));
        }
        if (listed.size() != list.get(1).asInt()) {
          throw damaged(list.get(0).asString(), "names are missing");
        }
        return Optional.of(content(lines, listed));
      } catch (NoSuchFileException e) {
        if (lines(LOG).all().get(0).equals(lines.all().get(0))) {
          throw damaged(list.get(0).asString(), "it is gone");
        } // Otherwise it was summed up meanwhile.
      }
    }
  }

  private record Lines(List<JsonNode> all, long bytes) {}

  private Lines lines(String name) throws IOException {
    byte[] data = Files.readAllBytes(folder.resolve(name));
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
          throw damaged(name, "line " + (lines.size() + 1) + " is not what was written");
        }
        break; // Torn by a crash: it was not committed.
      }
      lines.add(line.get());
      at = end + 1;
    }
    return new Lines(lines, at);
  }

  private OutsideException damaged(String name, String how) {
    return OutsideException.lasting(
        folder.resolve(name)
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

  private static Content content(Lines lines, Map<String, WrittenFile> listed) {
    JsonNode head = lines.all().get(0);
    Schema schema = Schema.EMPTY;
    for (JsonNode column : head.get("columns")) {
      Type type = Type.parse(column.get(1).asString()).orElseThrow();
      schema = schema.with(new Column(column.get(0).asString(), type, column.get(2).asBoolean()));
    }
    Map<String, Map<SourcePartition, Content.Reached>> writers = new LinkedHashMap<>();
    List<Content.Step> steps = new ArrayList<>();
    for (JsonNode entry : lines.all().subList(1, lines.all().size())) {
      if (entry.has("exchange")) {
        steps.add(
            new Content.Exchanged(
                entry.get("exchange").asString(),
                entry.get("staged").asString(),
                files(entry.get("from")),
                files(entry.get("to"))));
        continue;
      }
      Map<SourcePartition, Content.Reached> sources =
          writers.computeIfAbsent(entry.get("writer").asString(), w -> new TreeMap<>());
      for (var source : entry.get("sources").properties()) {
        JsonNode reached = source.getValue();
        sources.put(
            new SourcePartition(source.getKey()),
            new Content.Reached(reached.get(0).asLong(), reached.get(1).asLong()));
      }
      for (JsonNode file : entry.get("files")) {
        steps.add(new Content.Placed(file.get(0).asString(), file(file.get(1))));
      }
    }
    Identity table = new Identity(head.get("table").asString());
    int entries = lines.all().size() - 1;
    return new Content(table, schema, listed, writers, steps, lines.bytes(), entries);
  }

  private static List<WrittenFile> files(JsonNode array) {
    List<WrittenFile> files = new ArrayList<>();
    array.forEach(json -> files.add(file(json)));
    return files;
  }

  private static WrittenFile file(JsonNode json) {
    return json.isArray()
        ? new WrittenFile(
            json.get(0).asString(),
            Optional.of(new WrittenFile.Sum(json.get(1).asLong(), json.get(2).asString())))
        : new WrittenFile(json.asString(), Optional.empty());
  }

  private static void add(ArrayNode array, WrittenFile file) {
    file.sum()
        .ifPresentOrElse(
            sum -> array.addArray().add(file.name()).add(sum.bytes()).add(sum.crc()),
            () -> array.add(file.name()));
  }

  /** Adds an entry, so that it survives the loss of power. Called alone. */
  void append(
      Content before,
      String writer,
      Map<SourcePartition, Content.Reached> reached,
      List<Content.Placed> files)
      throws IOException {
    append(before, flush(writer, reached, files));
  }

  /** Adds that a folder was exchanged, as {@link #append} does. Called alone. */
  void append(Content before, Content.Exchanged exchanged) throws IOException {
    ObjectNode entry = JSON.createObjectNode().put("exchange", exchanged.folder());
    entry.put("staged", exchanged.staged());
    ArrayNode from = entry.putArray("from");
    exchanged.from().forEach(file -> add(from, file));
    ArrayNode to = entry.putArray("to");
    exchanged.to().forEach(file -> add(to, file));
    append(before, entry);
  }

  private void append(Content before, ObjectNode entry) throws IOException {
    byte[] line = line(entry).getBytes(StandardCharsets.UTF_8);
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

  private static ObjectNode flush(
      String writer, Map<SourcePartition, Content.Reached> reached, List<Content.Placed> files) {
    ObjectNode entry = JSON.createObjectNode().put("writer", writer);
    ObjectNode sources = entry.putObject("sources");
    new TreeMap<>(reached)
        .forEach((source, at) -> sources.putArray(source.name()).add(at.position()).add(at.rows()));
    ArrayNode placed = entry.putArray("files");
    files.forEach(each -> add(placed.addArray().add(each.staged()), each.file()));
    return entry;
  }

  /**
   * Sums the entries up: a list of all files, and an entry for each writer. Called alone, when all
   * files are in their places.
   *
   * @param files those that are there
   */
  void sumUp(Content content, Collection<WrittenFile> files) throws IOException {
    List<ArrayNode> names = new ArrayList<>();
    for (List<WrittenFile> some : inParts(List.copyOf(files))) {
      ArrayNode line = JSON.createArrayNode();
      some.forEach(file -> add(line, file));
      names.add(line);
    }
    String list = LIST + Identity.fresh();
    replace(list, names);
    List<ObjectNode> lines = new ArrayList<>();
    ObjectNode head = head(content.table(), content.schema());
    head.putArray("list").add(list).add(files.size());
    lines.add(head);
    content.writers().forEach((writer, reached) -> lines.add(flush(writer, reached, List.of())));
    replace(LOG, lines);
    try (DirectoryStream<Path> lists = Files.newDirectoryStream(folder, LIST + "*")) {
      for (Path other : lists) {
        if (!other.getFileName().toString().equals(list)) {
          Files.delete(other);
        }
      }
    }
  }

  private static List<List<WrittenFile>> inParts(List<WrittenFile> files) {
    List<List<WrittenFile>> parts = new ArrayList<>();
    for (int at = 0; at < files.size(); at += 1000) {
      parts.add(files.subList(at, Math.min(files.size(), at + 1000)));
    }
    return parts;
  }
}

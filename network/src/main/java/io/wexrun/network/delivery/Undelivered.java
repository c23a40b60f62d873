package io.wexrun.network.delivery;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.queue.disk.DiskFile;
import io.wexrun.queue.disk.RealDisk;
import java.io.ByteArrayInputStream;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.DateTimeException;
import java.time.Instant;
import java.time.ZoneOffset;
import java.time.format.DateTimeFormatter;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.TreeMap;
import java.util.zip.CRC32C;
import java.util.zip.GZIPInputStream;
import tools.jackson.core.JacksonException;
import tools.jackson.databind.JsonNode;
import tools.jackson.databind.json.JsonMapper;
import tools.jackson.databind.node.ArrayNode;
import tools.jackson.databind.node.ObjectNode;

/**
 * A folder with posts that were put aside. Each is two files: the body as it would be sent, and a
 * note that describes it. A body without a note is what a crash left, and does not count. Posts
 * that the receiver refused when they were sent again are in a folder {@code refused} inside.
 *
 * <pre>{@code
 * Body --> NAME ".rows." ("ndjson" | "json" | "csv") (".gz")?
 * Note --> NAME ".json"
 * {"store": NAME, "table": NAME, "pipeline": NAME, "id": TEXT, "body": FILE, "type": MEDIA_TYPE,
 *  "encoding": "gzip" | "", "rows": N, "since": INSTANT, "why": TEXT,
 *  "form": "ndjson" | "array" | "csv", "crc": CRC32C of the body, "before": N, "after": N,
 *  "sources": [[SOURCE, ROWS], ...], "positions": [N, ...], "ends": [N, ...],
 *  "refused": {ROW: WHY, ...}}
 * }</pre>
 *
 * {@code before} and {@code after} are the bytes of the uncompressed body around its rows; {@code
 * ends} counts from the first row. Notes of earlier versions have neither these nor what follows
 * {@code why}: such a post can only be sent as a whole.
 */
final class Undelivered {
  private static final JsonMapper JSON = JsonMapper.builder().build();
  private static final RealDisk DISK = new RealDisk();

  /** Why a post that cannot be cut is kept of which only some rows were refused. */
  static final String OTHERS_TAKEN = "the receiver took the other rows";

  private static final String REFUSED = "refused";
  private static final String NOTE = ".json";
  private static final String BODY = ".rows.";
  private static final DateTimeFormatter TIME =
      DateTimeFormatter.ofPattern("yyyyMMdd'T'HHmmssSSS").withZone(ZoneOffset.UTC);

  private final Path folder;

  /**
   * Where a post comes from.
   *
   * @param since when delivering began to fail
   * @param why it was put aside
   */
  record Head(String store, Body.Facts facts, Instant since, String why) {}

  /**
   * The body of a post.
   *
   * @param gzip whether {@code bytes} are compressed
   * @param before how many bytes of the uncompressed body precede its rows
   * @param after how many bytes of the uncompressed body follow its rows
   */
  record Content(Post post, Body.Form form, boolean gzip, byte[] bytes, int before, int after) {}

  /**
   * A post that is put aside.
   *
   * @param note the file that describes it
   * @param body the file with its body
   * @param refused why the receiver refused rows, by their number from 1; of posts that wait, empty
   * @param cut how it is cut into rows; empty if an earlier version put it aside
   */
  record Waiting(
      Path note,
      Path body,
      String store,
      String table,
      String pipeline,
      String id,
      String type,
      String encoding,
      int rows,
      Instant since,
      String why,
      Map<Integer, String> refused,
      Optional<Cut> cut) {
    /** Whether the receiver refused it when it was sent again. */
    boolean wasRefused() {
      return note.getParent().endsWith(REFUSED);
    }

    /** Its name in the folder: the same as long as it is there. */
    String name() {
      return (wasRefused() ? REFUSED + "/" : "") + note.getFileName();
    }

    /** How many of its rows the receiver does not have. */
    long undelivered() {
      return cut.isEmpty() && why.equals(OTHERS_TAKEN) ? refused.size() : rows;
    }
  }

  /** How the body of a post is cut into rows, and its checksum. */
  record Cut(
      String form,
      long crc,
      int before,
      int after,
      List<Post.Span> spans,
      long[] positions,
      int[] ends) {}

  Undelivered(Path folder) {
    this.folder = folder;
  }

  /** Puts a post aside, so that it survives the loss of power; once, however often. */
  void put(Head head, Content content) throws IOException {
    DISK.makeFolder(folder);
    String id = head.facts().id();
    for (String name : DISK.list(folder)) {
      if (isNote(name) && name.endsWith("-" + id + NOTE)) {
        return; // Put before a crash.
      }
    }
    String name = TIME.format(Instant.now()) + "-" + id;
    write(folder, name, head, content, Map.of());
  }

  private static boolean isNote(String name) {
    return name.endsWith(NOTE) && !name.endsWith(BODY + "json") && !name.startsWith(".");
  }

  private static void write(
      Path folder, String name, Head head, Content content, Map<Integer, String> refused)
      throws IOException {
    String body = name + BODY + content.form().ending() + (content.gzip() ? ".gz" : "");
    write(folder, body, content.bytes());
    ObjectNode json = JSON.createObjectNode().put("store", head.store());
    json.put("table", head.facts().table()).put("pipeline", head.facts().pipeline());
    json.put("id", head.facts().id()).put("body", body).put("type", content.form().type());
    json.put("encoding", content.gzip() ? "gzip" : "").put("rows", content.post().rows());
    json.put("since", head.since().toString()).put("why", head.why());
    json.put("form", content.form().toString()).put("crc", crc(content.bytes()));
    json.put("before", content.before()).put("after", content.after());
    ArrayNode sources = json.putArray("sources");
    for (Post.Span span : content.post().spans()) {
      sources.addArray().add(span.source().name()).add(span.rows());
    }
    Arrays.stream(content.post().positions()).forEach(json.putArray("positions")::add);
    Arrays.stream(content.post().ends()).forEach(json.putArray("ends")::add);
    if (!refused.isEmpty()) {
      ObjectNode reasons = json.putObject(REFUSED);
      refused.forEach((row, why) -> reasons.put(Integer.toString(row), why));
    }
    write(folder, name + NOTE, json.toString().getBytes(StandardCharsets.UTF_8));
  }

  private static void write(Path folder, String name, byte[] bytes) throws IOException {
    Path fresh = folder.resolve("." + name);
    Files.deleteIfExists(fresh);
    try (DiskFile file = DISK.create(fresh)) {
      file.write(0, ByteBuffer.wrap(bytes));
      file.sync();
    }
    DISK.rename(fresh, folder.resolve(name));
  }

  private static long crc(byte[] bytes) {
    CRC32C crc = new CRC32C();
    crc.update(bytes);
    return crc.getValue();
  }

  /** The posts of a store that wait, the oldest first. */
  List<Waiting> waiting(String store) throws IOException {
    return all(folder, store);
  }

  /** The posts of a store that were refused when they were sent again, the oldest first. */
  List<Waiting> refused(String store) throws IOException {
    return all(folder.resolve(REFUSED), store);
  }

  private static List<Waiting> all(Path folder, String store) throws IOException {
    List<Waiting> all = new ArrayList<>();
    for (String name : DISK.list(folder).stream().sorted().toList()) {
      if (isNote(name)) {
        Waiting each = read(folder.resolve(name));
        if (each.store().equals(store)) {
          all.add(each);
        }
      }
    }
    return all;
  }

  private static Waiting read(Path note) throws IOException {
    try {
      JsonNode json = JSON.readTree(Files.readAllBytes(note));
      Waiting waiting =
          new Waiting(
              note,
              note.resolveSibling(json.required("body").asString()),
              json.required("store").asString(),
              json.required("table").asString(),
              json.required("pipeline").asString(),
              json.required("id").asString(),
              json.required("type").asString(),
              json.required("encoding").asString(),
              json.required("rows").asInt(),
              Instant.parse(json.required("since").asString()),
              json.required("why").asString(),
              reasons(json.path(REFUSED)),
              json.has("ends") ? Optional.of(cut(json)) : Optional.empty());
      if (waiting.body().equals(note)) {
        throw OutsideException.lasting(
            note
                + " has taken the place of the rows that it describes: an earlier version of this"
                + " program wrote both under one name. The rows are not there. Move the file out of"
                + " the folder, and deliver its "
                + waiting.rows()
                + " rows again from their source");
      }
      return waiting;
    } catch (JacksonException | DateTimeException e) {
      throw OutsideException.lasting(
          note
              + " is damaged: it does not describe what was put aside. Restore it, or move it and"
              + " its body out of the folder");
    }
  }

  private static Map<Integer, String> reasons(JsonNode refused) {
    Map<Integer, String> reasons = new TreeMap<>();
    refused
        .properties()
        .forEach(e -> reasons.put(Integer.parseInt(e.getKey()), e.getValue().asString()));
    return reasons;
  }

  private static Cut cut(JsonNode json) {
    List<Post.Span> spans = new ArrayList<>();
    for (JsonNode span : json.required("sources")) {
      spans.add(new Post.Span(new SourcePartition(span.get(0).asString()), span.get(1).asInt()));
    }
    JsonNode positions = json.required("positions");
    JsonNode ends = json.required("ends");
    return new Cut(
        json.required("form").asString(),
        json.required("crc").asLong(),
        json.required("before").asInt(),
        json.required("after").asInt(),
        spans,
        positions.valueStream().mapToLong(JsonNode::asLong).toArray(),
        ends.valueStream().mapToInt(JsonNode::asInt).toArray());
  }

  /**
   * The body of a post as it would be sent.
   *
   * @throws OutsideException if it is not there, or is not what was put aside
   */
  byte[] body(Waiting waiting) throws IOException {
    if (!Files.exists(waiting.body())) {
      throw damaged(waiting, "is not there");
    }
    byte[] bytes = Files.readAllBytes(waiting.body());
    if (waiting.cut().isPresent() && waiting.cut().get().crc() != crc(bytes)) {
      throw damaged(waiting, "is damaged: its checksum is another one");
    }
    return bytes;
  }

  private static OutsideException damaged(Waiting waiting, String how) {
    return OutsideException.lasting(
        waiting.body()
            + " "
            + how
            + ". It holds "
            + waiting.rows()
            + " rows of table "
            + waiting.table()
            + " that wait for store "
            + waiting.store()
            + ": restore it, or move "
            + waiting.note()
            + " out of the folder, and deliver the rows again from their source");
  }

  /** The rows of a post that this version put aside. */
  Post post(Waiting waiting) throws IOException {
    Cut cut = waiting.cut().orElseThrow();
    byte[] plain = plain(waiting);
    int between = Body.Form.of(cut.form()).between().length();
    byte[] text = Arrays.copyOfRange(plain, cut.before(), plain.length - cut.after());
    return new Post(cut.spans(), cut.positions(), cut.ends(), between, text);
  }

  /** What precedes the rows of a post that this version put aside. */
  String header(Waiting waiting) throws IOException {
    int before = waiting.cut().orElseThrow().before();
    return new String(plain(waiting), 0, before, StandardCharsets.UTF_8);
  }

  private byte[] plain(Waiting waiting) throws IOException {
    byte[] bytes = body(waiting);
    return waiting.encoding().isEmpty()
        ? bytes
        : new GZIPInputStream(new ByteArrayInputStream(bytes)).readAllBytes();
  }

  /** The file in which it is noted what the receiver said of parts of a post. */
  Path decided(Waiting waiting) {
    return sibling(waiting.note(), ".decided");
  }

  private static Path sibling(Path note, String ending) {
    String name = note.getFileName().toString();
    return note.resolveSibling(name.substring(0, name.length() - NOTE.length()) + ending);
  }

  /** Removes a post: it was delivered, or is kept elsewhere. */
  void remove(Waiting waiting) throws IOException {
    DISK.delete(waiting.note());
    Files.deleteIfExists(waiting.body());
    Files.deleteIfExists(decided(waiting));
  }

  /**
   * Keeps rows that were refused, with the reasons, in place of the post that they are part of.
   *
   * @param reasons by the number of the row, from 1
   * @return the note
   */
  Path refuse(Waiting of, Head head, Content content, Map<Integer, String> reasons)
      throws IOException {
    Path away = folder.resolve(REFUSED);
    DISK.makeFolder(away);
    // The id is another one than that of the whole post, unless all rows are refused.
    String time = of.note().getFileName().toString().replaceFirst("-.*", "");
    String name = time + "-" + head.facts().id();
    write(away, name, head, content, reasons);
    return away.resolve(name + NOTE);
  }

  /** Keeps a whole post that an earlier version put aside, and that was refused. */
  Path refuseWhole(Waiting waiting, Map<Integer, String> reasons, String why) throws IOException {
    Path away = folder.resolve(REFUSED);
    DISK.makeFolder(away);
    ObjectNode json = (ObjectNode) JSON.readTree(Files.readAllBytes(waiting.note()));
    json.put("why", why);
    ObjectNode refused = json.putObject(REFUSED);
    reasons.forEach((row, reason) -> refused.put(Integer.toString(row), reason));
    byte[] body = Files.readAllBytes(waiting.body());
    write(away, waiting.body().getFileName().toString(), body);
    write(
        away,
        waiting.note().getFileName().toString(),
        json.toString().getBytes(StandardCharsets.UTF_8));
    return away.resolve(waiting.note().getFileName());
  }
}

package io.wexrun.network.delivery;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.queue.disk.DiskFile;
import io.wexrun.queue.disk.RealDisk;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Instant;
import java.time.ZoneOffset;
import java.time.format.DateTimeFormatter;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import tools.jackson.core.JacksonException;
import tools.jackson.databind.JsonNode;
import tools.jackson.databind.json.JsonMapper;
import tools.jackson.databind.node.ObjectNode;

/**
 * A folder with posts that were put aside: the body of each as it would be sent, and beside it a
 * file that says what it is. Files without the other one are left of a crash, and count for
 * nothing.
 *
 * <pre>{@code
 * {"store": NAME, "table": NAME, "pipeline": NAME, "id": TEXT, "body": FILE, "type": MEDIA_TYPE,
 *  "encoding": "gzip" | "", "rows": N, "since": INSTANT, "why": TEXT}
 * }</pre>
 */
final class Undelivered {
  private static final JsonMapper JSON = JsonMapper.builder().build();
  private static final RealDisk DISK = new RealDisk();
  private static final String REFUSED = "refused";
  private static final String FACTS = ".json";
  private static final DateTimeFormatter TIME =
      DateTimeFormatter.ofPattern("yyyyMMdd'T'HHmmssSSS").withZone(ZoneOffset.UTC);

  private final Path folder;

  /**
   * What a post is.
   *
   * @param since when delivering began to fail
   * @param why it was put aside
   */
  record Head(
      String store, Body.Facts facts, Body.Form form, boolean gzip, Instant since, String why) {}

  /**
   * A post that waits.
   *
   * @param file that says what it is
   * @param body the file with its body
   */
  record Waiting(
      Path file,
      Path body,
      String store,
      String table,
      String pipeline,
      String id,
      String type,
      String encoding,
      int rows,
      Instant since,
      String why) {}

  Undelivered(Path folder) {
    this.folder = folder;
  }

  /** Puts a post into the folder, so that it survives the loss of power; once, however often. */
  void put(Head head, byte[] body) throws IOException {
    DISK.makeFolder(folder);
    String id = head.facts().id();
    for (Waiting each : all(head.store())) {
      if (each.id().equals(id)) {
        return; // Put before a crash.
      }
    }
    String name = TIME.format(Instant.now()) + "-" + id;
    String bodyName = name + "." + head.form().ending() + (head.gzip() ? ".gz" : "");
    write(bodyName, body);
    ObjectNode json = JSON.createObjectNode().put("store", head.store());
    json.put("table", head.facts().table()).put("pipeline", head.facts().pipeline());
    json.put("id", id).put("body", bodyName).put("type", head.form().type());
    json.put("encoding", head.gzip() ? "gzip" : "").put("rows", head.facts().count());
    json.put("since", head.since().toString()).put("why", head.why());
    write(name + FACTS, json.toString().getBytes(StandardCharsets.UTF_8));
  }

  private void write(String name, byte[] bytes) throws IOException {
    Path fresh = folder.resolve("." + name);
    Files.deleteIfExists(fresh);
    try (DiskFile file = DISK.create(fresh)) {
      file.write(0, ByteBuffer.wrap(bytes));
      file.sync();
    }
    DISK.rename(fresh, folder.resolve(name));
  }

  /** The posts of a store that wait, the oldest first. */
  List<Waiting> all(String store) throws IOException {
    List<Waiting> all = new ArrayList<>();
    for (String name : DISK.list(folder)) {
      if (!name.endsWith(FACTS) || name.startsWith(".")) {
        continue;
      }
      Path file = folder.resolve(name);
      try {
        JsonNode json = JSON.readTree(Files.readAllBytes(file));
        Path body = folder.resolve(json.get("body").asString());
        if (json.get("store").asString().equals(store) && Files.exists(body)) {
          all.add(
              new Waiting(
                  file,
                  body,
                  store,
                  json.get("table").asString(),
                  json.get("pipeline").asString(),
                  json.get("id").asString(),
                  json.get("type").asString(),
                  json.get("encoding").asString(),
                  json.get("rows").asInt(),
                  Instant.parse(json.get("since").asString()),
                  json.get("why").asString()));
        }
      } catch (JacksonException | NullPointerException | java.time.DateTimeException e) {
        throw OutsideException.lasting(
            file + " does not say what was put aside: mend it, or move it out of the folder");
      }
    }
    return all;
  }

  /** It was delivered. */
  void remove(Waiting waiting) throws IOException {
    DISK.delete(waiting.file());
    DISK.delete(waiting.body());
  }

  /**
   * Rows of it are refused for good: it is moved into a folder of its own, with what was said.
   *
   * @param rows the refused rows, from 1, with why; empty if all are
   */
  Path refuse(Waiting waiting, Map<Integer, String> rows, String why) throws IOException {
    Path away = folder.resolve(REFUSED);
    DISK.makeFolder(away);
    ObjectNode json = (ObjectNode) JSON.readTree(Files.readAllBytes(waiting.file()));
    json.put("why", why);
    ObjectNode refused = json.putObject(REFUSED);
    rows.forEach((row, reason) -> refused.put(Integer.toString(row), reason));
    Path file = away.resolve(waiting.file().getFileName());
    Files.writeString(file, json.toString());
    Files.move(waiting.body(), away.resolve(waiting.body().getFileName()));
    DISK.delete(waiting.file());
    return file;
  }
}

package io.wexrun.network.delivery;

import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.TreeMap;
import tools.jackson.core.JacksonException;
import tools.jackson.databind.JsonNode;
import tools.jackson.databind.json.JsonMapper;
import tools.jackson.databind.node.ObjectNode;

/**
 * What became of the posts of a flush so far, in a file beside them: a line for each part of a post
 * on which something was decided. A line that is lost, or torn by a crash, only means that its rows
 * are sent once more, under the same id. For several threads.
 *
 * <pre>{@code
 * {"post": N, "from": ROW, "to": ROW, "is": "taken" | "aside" | "refused" | "unconfirmed",
 *  "why": TEXT, "id": TEXT, "since": MILLISECONDS}
 * }</pre>
 */
final class Decisions {
  private static final JsonMapper JSON = JsonMapper.builder().build();

  /** What may become of rows. */
  enum Fate {
    /** The other side has them. */
    TAKEN,
    /** They were put aside, to be sent again when somebody says so. */
    ASIDE,
    /** The other side will never take them. */
    REFUSED,
    /** The other side has them, and has not confirmed it yet. */
    UNCONFIRMED
  }

  /**
   * What became of rows.
   *
   * @param to the row behind the last one
   * @param why of refused rows
   * @param id of unconfirmed ones: where it is asked
   * @param since when unconfirmed ones were taken, in ms since the epoch; 0 for others
   */
  record Part(int from, int to, Fate fate, String why, String id, long since) {
    static Part of(int from, int to, Fate fate) {
      return new Part(from, to, fate, "", "", 0);
    }

    static Part refused(int from, int to, String why) {
      return new Part(from, to, Fate.REFUSED, why, "", 0);
    }
  }

  private final Path file;
  private final Map<Integer, TreeMap<Integer, Part>> parts = new HashMap<>();

  private Decisions(Path file) {
    this.file = file;
  }

  /** Reads what was decided; there may be no file. */
  static Decisions read(Path file) throws IOException {
    Decisions decisions = new Decisions(file);
    if (!Files.exists(file)) {
      return decisions;
    }
    for (String line : Files.readString(file).split("\n")) {
      try {
        JsonNode json = JSON.readTree(line);
        decisions.put(
            json.get("post").asInt(),
            new Part(
                json.get("from").asInt(),
                json.get("to").asInt(),
                Fate.valueOf(json.get("is").asString().toUpperCase(java.util.Locale.ROOT)),
                json.path("why").asString(""),
                json.path("id").asString(""),
                json.path("since").asLong(0)));
      } catch (JacksonException | IllegalArgumentException | NullPointerException e) {
        break; // Torn by a crash.
      }
    }
    return decisions;
  }

  private void put(int post, Part part) {
    parts.computeIfAbsent(post, p -> new TreeMap<>()).put(part.from(), part);
  }

  /** Notes what became of rows. */
  synchronized void add(int post, Part part) throws IOException {
    put(post, part);
    ObjectNode json = JSON.createObjectNode().put("post", post);
    json.put("from", part.from()).put("to", part.to());
    json.put("is", part.fate().name().toLowerCase(java.util.Locale.ROOT));
    if (!part.why().isEmpty()) {
      json.put("why", part.why());
    }
    if (!part.id().isEmpty()) {
      json.put("id", part.id()).put("since", part.since());
    }
    Files.write(
        file,
        (json + "\n").getBytes(StandardCharsets.UTF_8),
        StandardOpenOption.CREATE,
        StandardOpenOption.APPEND);
  }

  /** The parts of a post on which something was decided, in order. */
  synchronized List<Part> of(int post) {
    return List.copyOf(parts.getOrDefault(post, new TreeMap<>()).values());
  }

  /** The part of a post that waits for its confirmation and begins at a row. */
  synchronized Optional<Part> unconfirmed(int post, int from) {
    return Optional.ofNullable(parts.getOrDefault(post, new TreeMap<>()).get(from))
        .filter(part -> part.fate() == Fate.UNCONFIRMED);
  }

  /** The ranges of rows of a post that are still to be sent or confirmed, each with its end. */
  synchronized List<int[]> open(int post, int rows) {
    List<int[]> open = new ArrayList<>();
    int at = 0;
    for (Part part : of(post)) {
      if (part.from() > at) {
        open.add(new int[] {at, part.from()});
      }
      if (part.fate() == Fate.UNCONFIRMED) {
        open.add(new int[] {part.from(), part.to()});
      }
      at = part.to();
    }
    if (at < rows) {
      open.add(new int[] {at, rows});
    }
    return open;
  }
}

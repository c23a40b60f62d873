package io.wexrun.network.delivery;

import io.wexrun.core.intake.SourcePartition;
import io.wexrun.queue.disk.DiskFile;
import io.wexrun.queue.disk.RealDisk;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.charset.StandardCharsets;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.zip.CRC32C;
import tools.jackson.databind.JsonNode;
import tools.jackson.databind.json.JsonMapper;
import tools.jackson.databind.node.ObjectNode;

/**
 * The posts of a flush in a file, so that the same posts are sent after a crash. Written once, then
 * read by several threads.
 *
 * <pre>{@code
 * File  --> Chunk(Post)* Chunk(Head) OFFSET:i64
 * Chunk --> LENGTH:i32 CRC32C:i32 BYTES
 * Head  --> {"sources": {SOURCE: END, ...}, "posts": [OFFSET, ...]}
 * }</pre>
 *
 * <p>END is how far the flush brings a source partition. OFFSET is where a chunk begins; the last
 * one is that of the head.
 */
final class Outgoing implements AutoCloseable {
  private static final JsonMapper JSON = JsonMapper.builder().build();
  private static final int HEAD = 8;

  private final DiskFile file;
  private final Map<SourcePartition, Long> ends;
  private final List<Long> posts;

  private Outgoing(DiskFile file, Map<SourcePartition, Long> ends, List<Long> posts) {
    this.file = file;
    this.ends = ends;
    this.posts = posts;
  }

  /** Writes a file. */
  static final class Writer implements AutoCloseable {
    private final DiskFile file;
    private final ObjectNode head = JSON.createObjectNode();
    private final List<Long> posts = new ArrayList<>();
    private long at;

    /** A file that is not there yet. */
    Writer(Path path, Map<SourcePartition, Long> ends) throws IOException {
      file = new RealDisk().create(path);
      ObjectNode sources = head.putObject("sources");
      ends.forEach((source, end) -> sources.put(source.name(), end));
    }

    void add(Post post) throws IOException {
      posts.add(at);
      chunk(post.toBytes());
    }

    private void chunk(byte[] bytes) throws IOException {
      ByteBuffer chunk = ByteBuffer.allocate(HEAD + bytes.length);
      chunk.putInt(bytes.length).putInt(crc(bytes)).put(bytes).flip();
      file.write(at, chunk);
      at += HEAD + bytes.length;
    }

    /** Makes all of it durable. */
    void end() throws IOException {
      long place = at;
      posts.forEach(head.putArray("posts")::add);
      chunk(head.toString().getBytes(StandardCharsets.UTF_8));
      file.write(at, ByteBuffer.allocate(Long.BYTES).putLong(place).flip());
      file.sync();
    }

    @Override
    public void close() throws IOException {
      file.close();
    }
  }

  private static int crc(byte[] bytes) {
    CRC32C crc = new CRC32C();
    crc.update(bytes);
    return (int) crc.getValue();
  }

  /**
   * Opens a file.
   *
   * @throws IOException if it cannot be read, or is not what was written
   */
  static Outgoing open(Path path) throws IOException {
    DiskFile file = new RealDisk().open(path, false);
    try {
      ByteBuffer last = ByteBuffer.allocate(Long.BYTES);
      file.read(Math.max(0, file.size() - Long.BYTES), last);
      JsonNode head = JSON.readTree(chunk(file, last.flip().getLong()));
      Map<SourcePartition, Long> ends = new TreeMap<>();
      head.get("sources")
          .properties()
          .forEach(e -> ends.put(new SourcePartition(e.getKey()), e.getValue().asLong()));
      List<Long> posts = new ArrayList<>();
      head.get("posts").forEach(post -> posts.add(post.asLong()));
      return new Outgoing(file, ends, posts);
    } catch (IOException | RuntimeException e) {
      file.close();
      throw e instanceof IOException io ? io : new IOException("it is damaged", e);
    }
  }

  private static byte[] chunk(DiskFile file, long at) throws IOException {
    ByteBuffer head = ByteBuffer.allocate(HEAD);
    if (at < 0 || file.read(at, head) < HEAD) {
      throw new IOException("it is damaged");
    }
    int length = head.flip().getInt();
    if (length < 0 || at + HEAD + length > file.size()) {
      throw new IOException("it is damaged");
    }
    byte[] bytes = new byte[length];
    file.read(at + HEAD, ByteBuffer.wrap(bytes));
    if (crc(bytes) != head.getInt()) {
      throw new IOException("it is damaged: its checksum is another one");
    }
    return bytes;
  }

  /** How far the flush brings each source partition. */
  Map<SourcePartition, Long> ends() {
    return ends;
  }

  /** How many posts there are. */
  int posts() {
    return posts.size();
  }

  Post post(int number) throws IOException {
    return Post.of(chunk(file, posts.get(number)));
  }

  @Override
  public void close() throws IOException {
    file.close();
  }
}

package io.wexrun.core.dead;

import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.FilePlace;
import io.wexrun.core.intake.Former;
import io.wexrun.core.intake.Records;
import io.wexrun.core.intake.SourcePartition;
import java.nio.ByteBuffer;
import java.nio.charset.StandardCharsets;
import java.util.Arrays;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.Optional;

/**
 * Dead letters as a block, so that they are shaped again with all that they came with. They are
 * written down in the block's bytes, so that a block needs no more memory than it says. For one
 * thread.
 *
 * <pre>{@code
 * Letter --> position, taken, first position, written, line, deaths, died (8 bytes each),
 *            ordinal of the reason (1 byte), Text of the part, Bytes of the key,
 *            number of headers (4 bytes), (Text, Text)*, Bytes of the record
 * Text   --> Bytes, as UTF-8
 * Bytes  --> length (4 bytes; -1 for nothing), so many bytes
 * }</pre>
 */
public final class LetterBlock {
  private static final Reason[] REASONS = Reason.values();
  private static final int NUMBERS = 7 * Long.BYTES;

  private ByteBuffer written = ByteBuffer.allocate(1 << 12);
  private DeadLetter first;
  private int count;

  /** Whether there is no letter in it yet. */
  public boolean isEmpty() {
    return count == 0;
  }

  /** How many bytes it has. */
  public int bytes() {
    return written.position();
  }

  /**
   * Whether a letter can be in one block with those that are in it: it came from the same source,
   * with the same header, and each is for a whole record.
   */
  public boolean fits(DeadLetter letter) {
    if (isEmpty()) {
      return true;
    }
    DeadLetter.Original known = first.record();
    DeadLetter.Original other = letter.record();
    return letter.life().part().isEmpty()
        && first.life().part().isEmpty()
        && known.source().equals(other.source())
        && known.member().equals(other.member())
        && known.host().equals(other.host())
        && Arrays.equals(known.header(), other.header());
  }

  /**
   * Adds a letter that {@linkplain #fits fits}.
   *
   * @param position where it stands among the dead letters, behind those before
   */
  public void add(long position, DeadLetter letter) {
    first = isEmpty() ? letter : first;
    count++;
    DeadLetter.Original record = letter.record();
    room(NUMBERS + 1);
    written
        .putLong(position)
        .putLong(record.taken())
        .putLong(record.position())
        .putLong(record.written())
        .putLong(record.line())
        .putLong(letter.life().deaths())
        .putLong(letter.life().died())
        .put((byte) letter.reason().ordinal());
    put(letter.life().part().map(part -> utf8(part.toString())).orElse(null));
    put(record.key().orElse(null));
    room(Integer.BYTES);
    written.putInt(record.headers().size());
    record
        .headers()
        .forEach(
            (name, value) -> {
              put(utf8(name));
              put(utf8(value));
            });
    put(record.raw());
  }

  private static byte[] utf8(String text) {
    return text.getBytes(StandardCharsets.UTF_8);
  }

  private void put(byte[] bytes) {
    int length = bytes == null ? 0 : bytes.length;
    room(Integer.BYTES + length);
    written.putInt(bytes == null ? -1 : length);
    if (length > 0) {
      written.put(bytes);
    }
  }

  private void room(int bytes) {
    if (written.remaining() < bytes) {
      int more = Math.max(2 * written.capacity(), written.position() + bytes);
      written = ByteBuffer.allocate(more).put(written.flip());
    }
  }

  /**
   * The letters as a block; there is at least one.
   *
   * @param source what is replayed, as a source partition
   * @param from where the block before ended
   * @param end behind the last letter
   */
  public Block block(SourcePartition source, long from, long end) {
    byte[] data = Arrays.copyOf(written.array(), written.position());
    int letters = count;
    DeadLetter.Original known = first.record();
    String origin = known.source();
    FilePlace place = new FilePlace(known.member(), 0, known.host());
    return new Block(
        source,
        from,
        end,
        data,
        data.length,
        same -> records(data, letters, origin),
        known.header(),
        known.taken(),
        0,
        place);
  }

  private static Records records(byte[] data, int count, String origin) {
    Written written = new Written(data, new int[count]);
    int[] starts = new int[count];
    int[] ends = new int[count];
    long[] positions = new long[count];
    long[] taken = new long[count];
    ByteBuffer in = ByteBuffer.wrap(data);
    for (int i = 0; i < count; i++) {
      written.places[i] = in.position();
      positions[i] = in.getLong();
      taken[i] = in.getLong();
      skip(in, NUMBERS - 2 * Long.BYTES + 1);
      skip(in, in.getInt());
      skip(in, in.getInt());
      for (int left = 2 * in.getInt(); left > 0; left--) {
        skip(in, in.getInt());
      }
      int length = in.getInt();
      starts[i] = in.position();
      skip(in, length);
      ends[i] = in.position();
    }
    return Records.placed(data, starts, ends, count, positions)
        .with(taken, written)
        .replayed(origin, written::former);
  }

  private static void skip(ByteBuffer in, int bytes) {
    in.position(in.position() + Math.max(0, bytes));
  }

  /** What letters came with, and what they were. */
  private record Written(byte[] data, int[] places) implements Records.Envelopes {
    Former former(int record) {
      ByteBuffer in = ByteBuffer.wrap(data);
      in.position(places[record] + 2 * Long.BYTES);
      long position = in.getLong();
      long written = in.getLong();
      long line = in.getLong();
      long deaths = in.getLong();
      long died = in.getLong();
      String reason = REASONS[in.get()].code();
      Optional<Former.Part> part =
          bytes(in).map(text -> Former.Part.of(new String(text, StandardCharsets.UTF_8)));
      return new Former(position, written, line, deaths, died, reason, part);
    }

    private ByteBuffer behindNumbers(int record) {
      ByteBuffer in = ByteBuffer.wrap(data);
      in.position(places[record] + NUMBERS + 1);
      skip(in, in.getInt());
      return in;
    }

    private static Optional<byte[]> bytes(ByteBuffer in) {
      int length = in.getInt();
      if (length < 0) {
        return Optional.empty();
      }
      byte[] bytes = new byte[length];
      in.get(bytes);
      return Optional.of(bytes);
    }

    private static String text(ByteBuffer in) {
      return new String(bytes(in).orElseThrow(), StandardCharsets.UTF_8);
    }

    @Override
    public Optional<byte[]> key(int record) {
      return bytes(behindNumbers(record));
    }

    @Override
    public Map<String, String> headers(int record) {
      ByteBuffer in = behindNumbers(record);
      skip(in, in.getInt());
      int left = in.getInt();
      Map<String, String> headers = left == 0 ? Map.of() : new LinkedHashMap<>();
      for (; left > 0; left--) {
        String name = text(in);
        headers.put(name, text(in));
      }
      return headers;
    }
  }
}

package io.wexrun.core.framing;

import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Framing;
import io.wexrun.core.intake.Records;
import java.nio.ByteBuffer;
import java.nio.CharBuffer;
import java.nio.charset.Charset;
import java.nio.charset.CharsetDecoder;
import java.nio.charset.CoderResult;
import java.nio.charset.CodingErrorAction;
import java.nio.charset.StandardCharsets;
import java.util.Arrays;
import java.util.Optional;

/**
 * Text in another encoding: records are cut out of it as UTF-8; their positions are those of the
 * bytes as they came. A byte-order mark at the start of a block is no text. What is not text in the
 * encoding becomes bytes that are not UTF-8 either, so that the record dies of that.
 *
 * @param charset one with a {@link Newline}
 * @param inner how lines are cut; records begin where lines do
 */
public record Decoding(Charset charset, Framing inner) implements Framing {
  private static final String NAME = "decoding ";
  private static final byte WRONG = (byte) 0xFF;
  private static final char MARK = '\uFEFF';

  /** Bytes that are no text, and what was decoded before them. */
  private static final class Utf8 {
    byte[] bytes;
    int length;

    Utf8(int size) {
      bytes = new byte[size];
    }

    void add(CharBuffer chars) {
      if (chars.hasRemaining()) {
        ByteBuffer more = StandardCharsets.UTF_8.encode(chars);
        ensure(more.remaining());
        int count = more.remaining();
        more.get(bytes, length, count);
        length += count;
      }
    }

    void add(byte b) {
      ensure(1);
      bytes[length++] = b;
    }

    private void ensure(int more) {
      if (bytes.length - length < more) {
        bytes = Arrays.copyOf(bytes, Math.max(bytes.length * 2, length + more));
      }
    }
  }

  /** The framing that a {@link #form} names; empty if it names none of these. */
  static Optional<Framing> named(String form) {
    int end = form.indexOf(' ', NAME.length());
    if (!form.startsWith(NAME) || end < 0) {
      return Optional.empty();
    }
    Charset charset = Charset.forName(form.substring(NAME.length(), end));
    return Framings.named(form.substring(end + 1)).map(inner -> new Decoding(charset, inner));
  }

  @Override
  public String form() {
    return NAME + charset.name() + " " + inner.form();
  }

  /** Text as UTF-8. */
  public static byte[] utf8(Charset charset, byte[] data, int length) {
    Utf8 text = decode(charset, data, length);
    return Arrays.copyOf(text.bytes, text.length);
  }

  private static Utf8 decode(Charset charset, byte[] data, int length) {
    CharsetDecoder decoder =
        charset
            .newDecoder()
            .onMalformedInput(CodingErrorAction.REPORT)
            .onUnmappableCharacter(CodingErrorAction.REPORT);
    ByteBuffer in = ByteBuffer.wrap(data, 0, length);
    CharBuffer chars = CharBuffer.allocate(8192);
    Utf8 text = new Utf8(length + length / 8 + 16);
    boolean first = true;
    boolean more = true;
    while (more) {
      CoderResult result = decoder.decode(in, chars, true);
      // Half of a character of two units stays for the next round.
      boolean half =
          chars.position() > 1
              && Character.isHighSurrogate(chars.get(chars.position() - 1))
              && result.isOverflow();
      char kept = half ? chars.get(chars.position() - 1) : 0;
      chars.position(chars.position() - (half ? 1 : 0)).flip();
      if (first && chars.hasRemaining()) {
        first = false;
        if (chars.get(0) == MARK) {
          chars.get();
        }
      }
      text.add(chars);
      chars.clear();
      if (half) {
        chars.put(kept);
      }
      if (result.isError()) {
        for (int i = 0; i < result.length(); i++) {
          byte wrong = in.get();
          text.add(wrong < 0 ? wrong : WRONG);
        }
        decoder.reset();
      }
      more = !result.isUnderflow();
    }
    return text;
  }

  /** Ends of records are ends of lines, of which there are as many before as after. */
  @Override
  public int end(byte[] data, int known, int length) {
    Newline feeds = Newline.of(charset);
    int whole = feeds.lastEnd(data, length);
    if (whole == 0) {
      return 0;
    }
    Utf8 text = decode(charset, data, whole);
    int end = inner.end(text.bytes, 0, text.length);
    int lines = Newline.BYTE.count(text.bytes, 0, end);
    int at = 0;
    for (int line = 0; line < lines; line++) {
      at = feeds.after(data, at, whole);
    }
    return at;
  }

  @Override
  public Records cut(Block block) {
    Utf8 text = decode(charset, block.data(), block.length());
    Block decoded =
        new Block(block.source(), 0, text.length, text.bytes, text.length, inner, block.header());
    Records records = inner.cut(decoded);
    Newline feeds = Newline.of(charset);
    int[] starts = new int[records.count()];
    int[] ends = new int[records.count()];
    long[] positions = new long[records.count()];
    int at = 0;
    int raw = 0;
    // Invariant: as many lines end in text[0, at) as in data[0, raw), and both end with one.
    for (int record = 0; record < records.count(); record++) {
      starts[record] = records.start(record);
      ends[record] = records.end(record);
      for (int next = after(text, at); next >= 0 && next <= starts[record]; ) {
        at = next;
        raw = feeds.after(block.data(), raw, block.length());
        next = after(text, at);
      }
      positions[record] = block.first() + raw;
    }
    return Records.placed(text.bytes, starts, ends, records.count(), positions).asLines();
  }

  private static int after(Utf8 text, int from) {
    return Newline.BYTE.after(text.bytes, from, text.length);
  }
}

package io.wexrun.files.content;

import io.wexrun.core.framing.Newline;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.charset.Charset;
import java.nio.charset.StandardCharsets;
import java.util.Locale;
import java.util.Optional;

/**
 * How the text of a file is written.
 *
 * @param marked whether it begins with a byte-order mark
 */
record Text(Charset charset, boolean marked, Newline newline) {
  private static final int MARK = 4;
  private static final Charset UTF_32LE = Charset.forName("UTF-32LE");
  private static final Charset UTF_32BE = Charset.forName("UTF-32BE");

  /** Bytes that are no text. */
  static final Text BYTES = new Text(StandardCharsets.UTF_8, false, Newline.BYTE);

  /** Whether it is UTF-8 from its first byte on. */
  boolean isPlain() {
    return charset.equals(StandardCharsets.UTF_8) && !marked;
  }

  private static Text of(Charset charset, boolean marked) {
    return new Text(charset, marked, Newline.of(charset));
  }

  /**
   * How the text is written that begins at a place.
   *
   * @param whole whether all of it is there
   * @return empty as long as there is too little of it to tell
   */
  static Optional<Text> at(Content content, long place, Reading reading, boolean whole)
      throws IOException {
    if (!reading.text()) {
      return Optional.of(BYTES);
    }
    ByteBuffer begin = ByteBuffer.allocate(MARK);
    int found = content.read(begin, place);
    byte[] bytes = begin.array();
    if (!whole && (found == 0 || found < MARK && mayBeMark(bytes[0]))) {
      return Optional.empty();
    }
    return Optional.of(of(bytes, reading.declared()));
  }

  private static boolean mayBeMark(byte first) {
    return first == (byte) 0xEF || first == (byte) 0xFE || first == (byte) 0xFF || first == 0;
  }

  private static Text of(byte[] begin, Optional<Charset> declared) {
    Optional<Charset> marked = marked(begin);
    if (declared.isEmpty()) {
      return of(marked.orElse(StandardCharsets.UTF_8), marked.isPresent());
    }
    String name = declared.get().name().toUpperCase(Locale.ROOT);
    boolean same = marked.isPresent() && marked.get().name().startsWith(name);
    if (name.equals("UTF-16") || name.equals("UTF-32")) {
      // RFC 2781: without a mark, the most significant byte comes first.
      Charset big = name.equals("UTF-16") ? StandardCharsets.UTF_16BE : UTF_32BE;
      return of(same ? marked.get() : big, same);
    }
    return of(declared.get(), same);
  }

  private static Optional<Charset> marked(byte[] b) {
    if (b[0] == (byte) 0xEF && b[1] == (byte) 0xBB && b[2] == (byte) 0xBF) {
      return Optional.of(StandardCharsets.UTF_8);
    } else if (b[0] == (byte) 0xFF && b[1] == (byte) 0xFE) {
      return Optional.of(b[2] == 0 && b[3] == 0 ? UTF_32LE : StandardCharsets.UTF_16LE);
    } else if (b[0] == (byte) 0xFE && b[1] == (byte) 0xFF) {
      return Optional.of(StandardCharsets.UTF_16BE);
    } else if (b[0] == 0 && b[1] == 0 && b[2] == (byte) 0xFE && b[3] == (byte) 0xFF) {
      return Optional.of(UTF_32BE);
    }
    return Optional.empty();
  }
}

package io.wexrun.cli;

import io.wexrun.core.diagnose.Shown;
import java.io.FilterOutputStream;
import java.io.IOException;
import java.io.OutputStream;
import java.nio.charset.StandardCharsets;
import java.util.UUID;

/**
 * What is told to people, on a terminal or in a pipe that may end in one: bytes in UTF-8, in which
 * characters are shown that would steer the terminal or hide what is there. Those are controls but
 * for line feed and tab, the controls of U+0080 to U+009F, format characters such as those for the
 * direction of text, line separators, and bytes that are not UTF-8. The command's own sequences
 * begin with {@link #ESCAPE}, which no data can hold, since nobody knows it before the process
 * starts.
 */
final class SafeStream extends FilterOutputStream {
  /** Stands for ESC in the command's own sequences. */
  static final String ESCAPE = "\uFDD0" + UUID.randomUUID();

  private static final byte[] MARK = ESCAPE.getBytes(StandardCharsets.UTF_8);

  private final byte[] character = new byte[4];
  private int length;
  private int wanted;

  /** How many bytes of the mark were just written. */
  private int marked;

  SafeStream(OutputStream out) {
    super(out);
  }

  @Override
  public void write(byte[] bytes, int from, int count) throws IOException {
    for (int i = from; i < from + count; i++) {
      write(bytes[i]);
    }
  }

  @Override
  public void write(int value) throws IOException {
    byte next = (byte) value;
    if (length == 0 && next == MARK[marked]) {
      if (++marked == MARK.length) {
        marked = 0;
        out.write(0x1B);
      }
      return;
    }
    if (marked > 0) {
      int held = marked;
      marked = 0;
      for (int i = 0; i < held; i++) {
        take(MARK[i]);
      }
    }
    take(next);
  }

  private void take(byte next) throws IOException {
    if (length == 0) {
      wanted = wanted(next);
      if (wanted == 0) {
        show(next & 0xFF);
        return;
      }
    } else if ((next & 0xC0) != 0x80) {
      showHeld();
      take(next);
      return;
    }
    character[length++] = next;
    if (length == wanted) {
      pass();
    }
  }

  /** How many bytes a character has that begins with this one; 0 if none does. */
  private static int wanted(byte first) {
    int value = first & 0xFF;
    return value < 0x80
        ? 1
        : value < 0xC2 ? 0 : value < 0xE0 ? 2 : value < 0xF0 ? 3 : value < 0xF5 ? 4 : 0;
  }

  private void pass() throws IOException {
    String text = new String(character, 0, length, StandardCharsets.UTF_8);
    int code = text.codePointAt(0);
    if (text.codePointCount(0, text.length()) != 1
        || code == 0xFFFD && character[0] != (byte) 0xEF) {
      showHeld();
    } else if (Shown.steers(code)) {
      length = 0;
      show(code);
    } else {
      out.write(character, 0, length);
      length = 0;
    }
  }

  private void showHeld() throws IOException {
    int held = length;
    length = 0;
    for (int i = 0; i < held; i++) {
      show(character[i] & 0xFF);
    }
  }

  private void show(int code) throws IOException {
    out.write(Shown.written(code).getBytes(StandardCharsets.US_ASCII));
  }

  @Override
  public void flush() throws IOException {
    int held = marked;
    marked = 0;
    for (int i = 0; i < held; i++) {
      take(MARK[i]);
    }
    out.flush();
  }
}

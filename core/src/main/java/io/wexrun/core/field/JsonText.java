package io.wexrun.core.field;

import io.wexrun.core.batch.TextVector;

/** Writes a JSON object of text members (RFC 8259), from UTF-8 bytes. For one thread. */
public final class JsonText {
  private final ByteBuilder out = new ByteBuilder();

  public void clear() {
    out.clear();
  }

  public boolean isEmpty() {
    return out.length() == 0;
  }

  /** Adds a member with a text. */
  public void member(byte[] key, int keyFrom, int keyTo, byte[] value, int from, int to) {
    begin(key, keyFrom, keyTo);
    quoted(value, from, to);
  }

  /** Adds a member with an object that is written already. */
  public void member(byte[] key, int keyFrom, int keyTo, JsonText object) {
    begin(key, keyFrom, keyTo);
    if (object.isEmpty()) {
      out.add('{');
    }
    out.add(object.out.bytes(), 0, object.out.length());
    out.add('}');
  }

  private void begin(byte[] key, int from, int to) {
    out.add(isEmpty() ? '{' : ',');
    quoted(key, from, to);
    out.add(':');
  }

  private void quoted(byte[] text, int from, int to) {
    out.add('"');
    for (int at = from; at < to; at++) {
      byte b = text[at];
      if (b == '"' || b == '\\') {
        out.add('\\');
        out.add(b);
      } else if (b >= 0 && b < 0x20) {
        out.add("\\u00" + Integer.toHexString(0x100 | b).substring(1));
      } else {
        out.add(b);
      }
    }
    out.add('"');
  }

  /** Adds the object as a value. */
  public void appendTo(TextVector vector) {
    out.add(isEmpty() ? '{' : '}');
    if (out.length() == 1) {
      out.add('}');
    }
    vector.append(out.bytes(), 0, out.length());
  }
}

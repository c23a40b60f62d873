package io.wexrun.core.look;

/** Tells texts in which each character is one byte from UTF-8. */
public final class SingleBytes {
  /** The encoding that is most likely then. */
  public static final String ENCODING = "windows-1252";

  private SingleBytes() {}

  /**
   * Whether bytes are text, but more of what is not ASCII in it is no UTF-8 than is; a text in
   * UTF-8 in which some bytes are spoiled stays what it is.
   */
  public static boolean in(byte[] bytes) {
    long well = 0;
    long spoiled = 0;
    for (int i = 0; i < bytes.length; i++) {
      int value = bytes[i] & 0xff;
      if (value == 0) {
        return false;
      }
      if (value < 0x80) {
        continue;
      }
      int more = value >= 0xf0 ? 3 : value >= 0xe0 ? 2 : value >= 0xc2 ? 1 : 0;
      boolean whole = more > 0 && value <= 0xf4;
      for (int next = 1; next <= more && whole; next++) {
        whole = i + next < bytes.length && (bytes[i + next] & 0xc0) == 0x80;
      }
      if (whole) {
        well++;
        i += more;
      } else {
        spoiled++;
      }
    }
    return spoiled > well;
  }
}

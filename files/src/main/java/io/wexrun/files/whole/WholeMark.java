package io.wexrun.files.whole;

import io.wexrun.core.identity.Identity;
import io.wexrun.files.content.Content;
import io.wexrun.files.content.Seen;
import io.wexrun.files.content.Unpacking;
import java.io.IOException;
import java.io.InputStream;
import java.io.UncheckedIOException;
import java.nio.ByteBuffer;
import java.nio.file.Files;
import java.nio.file.Path;
import java.security.MessageDigest;
import java.security.NoSuchAlgorithmException;
import java.util.HexFormat;
import java.util.Optional;
import java.util.OptionalLong;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import java.util.zip.CRC32C;

/**
 * By what a file that is taken whole is known again.
 *
 * <pre>{@code
 * Mark    --> "whole ", Key, " ", Size, " ", Time, " ", First, " ", Content, " ", End
 * Key     --> device and number, or "none" where files have none
 * Size    --> how long it is, in bytes
 * Time    --> when it was changed last, in milliseconds since 1970-01-01T00:00:00Z
 * First   --> how many of the first bytes of what is in it, ":", their CRC-32C
 * Content --> the SHA-256 of its bytes, or "-" if that was not asked for
 * End     --> where what is in it ends, or "-" as long as that is not known
 * }</pre>
 *
 * @param end where what is in it ends; negative if that is not known
 */
record WholeMark(
    String key, long size, long time, int first, long firstCrc, String content, long end) {
  private static final Pattern TEXT =
      Pattern.compile("whole (\\S+) (\\d+) (-?\\d+) (\\d+):([0-9a-f]+) ([0-9a-f]+|-) (\\d+|-)");
  private static final int MOST_FIRST = 1024;
  private static final int BUFFER = 1 << 16;
  private static final String NONE = "-";

  /**
   * The mark of a file.
   *
   * @param digest whether it is known again by all its bytes, too
   */
  static WholeMark of(Seen seen, Unpacking unpacking, boolean digest) throws IOException {
    try (Content file = Content.open(seen.path(), unpacking)) {
      int first = (int) Math.min(MOST_FIRST, file.size(0));
      return new WholeMark(
          seen.key(),
          seen.size(),
          seen.modified().toMillis(),
          first,
          crc(file, first),
          digest ? sha256(seen.path()) : NONE,
          -1);
    }
  }

  private static long crc(Content file, int first) throws IOException {
    ByteBuffer bytes = ByteBuffer.allocate(first);
    file.read(bytes, 0);
    CRC32C crc = new CRC32C();
    crc.update(bytes.flip());
    return crc.getValue();
  }

  private static String sha256(Path path) throws IOException {
    MessageDigest digest;
    try {
      digest = MessageDigest.getInstance("SHA-256");
    } catch (NoSuchAlgorithmException e) {
      throw new UncheckedIOException(new IOException("every Java platform has SHA-256", e));
    }
    byte[] buffer = new byte[BUFFER];
    try (InputStream in = Files.newInputStream(path)) {
      for (int n = in.read(buffer); n >= 0; n = in.read(buffer)) {
        digest.update(buffer, 0, n);
      }
    }
    return HexFormat.of().formatHex(digest.digest());
  }

  /** The mark that an identity holds; empty if it holds none. */
  static Optional<WholeMark> of(Identity identity) {
    Matcher text = TEXT.matcher(identity.text());
    if (!text.matches()) {
      return Optional.empty();
    }
    return Optional.of(
        new WholeMark(
            text.group(1),
            Long.parseLong(text.group(2)),
            Long.parseLong(text.group(3)),
            Integer.parseInt(text.group(4)),
            Long.parseLong(text.group(5), 16),
            text.group(6),
            text.group(7).equals(NONE) ? -1 : Long.parseLong(text.group(7))));
  }

  Identity identity() {
    return new Identity(
        "whole "
            + key
            + " "
            + size
            + " "
            + time
            + " "
            + first
            + ":"
            + Long.toHexString(firstCrc)
            + " "
            + content
            + " "
            + (end < 0 ? NONE : String.valueOf(end)));
  }

  WholeMark endsAt(long place) {
    return new WholeMark(key, size, time, first, firstCrc, content, place);
  }

  /** Where what is in it ends, if that is known. */
  OptionalLong known() {
    return end < 0 ? OptionalLong.empty() : OptionalLong.of(end);
  }

  /** Whether a file is as it was when the mark was made. */
  boolean sameAs(Seen seen) {
    return key.equals(seen.key()) && unchangedIn(seen);
  }

  /** Whether a file has the size and the time of this one, whatever its number. */
  boolean unchangedIn(Seen seen) {
    return size == seen.size() && time == seen.modified().toMillis();
  }

  /** Whether what is in a file begins like this one. */
  boolean beginsLike(Seen seen, Unpacking unpacking) throws IOException {
    try (Content file = Content.open(seen.path(), unpacking)) {
      return file.size(0) >= first && crc(file, first) == firstCrc;
    }
  }

  /** Whether it is known to have the same bytes. */
  boolean sameContent(WholeMark other) {
    return !content.equals(NONE) && content.equals(other.content);
  }
}

package io.wexrun.files;

import io.wexrun.core.identity.Identity;
import io.wexrun.files.content.Content;
import io.wexrun.files.content.Seen;
import io.wexrun.files.content.Unpacking;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.file.Path;
import java.util.Collection;
import java.util.List;
import java.util.Optional;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import java.util.zip.CRC32C;

/**
 * By what a file is known again, whatever its name: its device and number, which a new file may get
 * from one that is gone, and checksums of its first bytes and of the last ones that were read.
 *
 * <pre>{@code
 * Mark  --> Key, " ", First, " ", Last, " ", Size, [" by ", Dating], [" cut ", Cuts], [" gone"]
 * Key   --> device and number, or "none" where files have none
 * First --> how many of the first bytes, ":", their CRC-32C
 * Last  --> up to where the file was read, ":", the CRC-32C of the bytes before that, at most 256
 * Size  --> how long the file was when it was last looked at
 * Cuts  --> Place, {",", Place}
 * Place --> where a record ends that was taken though it had no end, because nothing followed it
 * }</pre>
 *
 * @param dating by when its bytes had been written
 * @param cuts where records end whatever follows them, in order
 * @param gone whether it was told that the file is not there any more
 */
record FileMark(
    String key,
    int first,
    long firstCrc,
    long end,
    long endCrc,
    long size,
    Dating dating,
    List<Long> cuts,
    boolean gone) {
  private static final int MOST_FIRST = 1024;
  private static final int MOST_LAST = 256;
  private static final Pattern TEXT =
      Pattern.compile(
          "(\\S+) (\\d+):([0-9a-f]+) (\\d+):([0-9a-f]+) (\\d+)(?: by (\\S+))?(?: cut (\\S+))?("
              + " gone)?");

  /** The mark of a file as it is now. */
  static FileMark of(Seen seen, Content file, long read, Dating dating) throws IOException {
    long size = file.size(read); // It may have been cut since it was seen.
    int first = (int) Math.min(MOST_FIRST, size);
    long firstCrc = crc(file, 0, first);
    long endCrc = crc(file, last(read), read);
    return new FileMark(seen.key(), first, firstCrc, read, endCrc, size, dating, List.of(), false);
  }

  private static long last(long end) {
    return Math.max(0, end - MOST_LAST);
  }

  /** The mark that an identity holds; empty if it holds none. */
  static Optional<FileMark> of(Identity identity) {
    Matcher text = TEXT.matcher(identity.text());
    if (!text.matches()) {
      return Optional.empty();
    }
    return Optional.of(
        new FileMark(
            text.group(1),
            Integer.parseInt(text.group(2)),
            Long.parseLong(text.group(3), 16),
            Long.parseLong(text.group(4)),
            Long.parseLong(text.group(5), 16),
            Long.parseLong(text.group(6)),
            Dating.of(text.group(7)),
            text.group(8) == null
                ? List.of()
                : Stream.of(text.group(8).split(",")).map(Long::parseLong).toList(),
            text.group(9) != null));
  }

  Identity identity() {
    return new Identity(
        key
            + " "
            + first
            + ":"
            + Long.toHexString(firstCrc)
            + " "
            + end
            + ":"
            + Long.toHexString(endCrc)
            + " "
            + size
            + (dating.isEmpty() ? "" : " by " + dating)
            + (cuts.isEmpty()
                ? ""
                : " cut " + cuts.stream().map(String::valueOf).collect(Collectors.joining(",")))
            + (gone ? " gone" : ""));
  }

  /** The same mark of a file that is gone, or there again. */
  FileMark gone(boolean now) {
    return new FileMark(key, first, firstCrc, end, endCrc, size, dating, cuts, now);
  }

  /** The same mark with other cuts. */
  FileMark with(Collection<Long> others) {
    List<Long> all = List.copyOf(others);
    return new FileMark(key, first, firstCrc, end, endCrc, size, dating, all, gone);
  }

  /** Whether the bytes that were read of this file stand in another one, or in this one still. */
  boolean standsIn(Content file) throws IOException {
    return crc(file, 0, first) == firstCrc
        && file.size(end) >= Math.max(end, first)
        && crc(file, last(end), end) == endCrc;
  }

  /**
   * Whether one file holds all bytes of another from its start on, as far as samples tell; of one
   * that is compressed, as far as it can be unpacked by now.
   */
  static boolean isBeginOf(Path shorter, Path longer, Unpacking unpacking) throws IOException {
    try (Content one = Content.open(shorter, unpacking);
        Content other = Content.open(longer, unpacking)) {
      long both = Math.min(MOST_FIRST, Math.min(one.size(0), other.size(0)));
      if (crc(one, 0, both) != crc(other, 0, both)) {
        return false; // Seen before all of it is unpacked.
      }
      long size = one.size(Long.MAX_VALUE);
      return size <= other.size(size) && crc(one, last(size), size) == crc(other, last(size), size);
    }
  }

  /** The checksum of {@code [from, to)}; of what there is if the file ends before. */
  private static long crc(Content file, long from, long to) throws IOException {
    ByteBuffer bytes = ByteBuffer.allocate((int) (to - from));
    file.read(bytes, from);
    CRC32C crc = new CRC32C();
    crc.update(bytes.flip());
    return crc.getValue();
  }
}

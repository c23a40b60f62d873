package io.wexrun.files.content;

import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.framing.Decoding;
import io.wexrun.core.pipeline.Settings;
import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Optional;

/**
 * The first bytes of files as an intake would read them: unpacked, and as UTF-8.
 *
 * @param bytes whole lines, unless there is none
 * @param packed whether a file was compressed
 * @param more whether there is more than was read
 * @param broken which file cannot be unpacked to where it was read, and why; empty if all can
 */
public record Sample(byte[] bytes, boolean packed, boolean more, Optional<String> broken) {
  /**
   * Reads the first bytes of files, one behind the other.
   *
   * @param encoding the name of that of text without a byte-order mark; empty for UTF-8
   * @param most how many bytes at most
   * @throws io.wexrun.core.diagnose.MistakesException if there is no such encoding
   */
  public static Sample of(List<Path> files, String encoding, int most) throws IOException {
    Settings settings = Settings.of("files", "sample");
    settings = encoding.isEmpty() ? settings : settings.with("encoding", encoding);
    Diagnostics diagnostics = Diagnostics.of("--encoding");
    Reading reading = ReadingSettings.check(settings, KeyPath.ROOT, diagnostics);
    diagnostics.orThrow();
    ByteArrayOutputStream all = new ByteArrayOutputStream();
    boolean packed = false;
    boolean more = false;
    Optional<String> broken = Optional.empty();
    for (Path file : files) {
      try (Content content = Content.open(file, reading.unpacking())) {
        packed |= content.packed();
        int room = most - all.size();
        boolean parts = files.size() == 1 && !content.packed() && content.size(0) > 2L * most;
        more |= read(content, reading, parts ? room / 2 : room, all);
        if (parts && Text.at(content, 0, reading, true).orElseThrow().isPlain()) {
          long size = content.size(0);
          cut(all);
          further(content, size / 2, room / 4, all);
          further(content, size - room / 4, room / 4, all);
        }
        String name = file.getFileName() + " cannot be unpacked to its end: ";
        broken = broken.or(() -> content.broken().map(why -> name + why));
      }
    }
    byte[] bytes = all.toByteArray();
    return new Sample(more || broken.isPresent() ? wholeLines(bytes) : bytes, packed, more, broken);
  }

  /**
   * Reads the first bytes of a file, unpacked, which need not be text.
   *
   * @param most how many at most
   */
  public static Sample ofBytes(Path file, int most) throws IOException {
    Reading reading =
        ReadingSettings.check(
            Settings.of("files", "sample"), KeyPath.ROOT, Diagnostics.of("sample"));
    try (Content content = Content.open(file, reading.unpacking())) {
      byte[] bytes = new byte[(int) Math.min(most, Math.max(content.size(most), 0))];
      int found = content.read(ByteBuffer.wrap(bytes), 0);
      boolean more = content.size(found) > found;
      return new Sample(Arrays.copyOf(bytes, found), content.packed(), more, content.broken());
    }
  }

  /** The files of a folder that a pattern below it would show, by name. */
  public static List<Path> filesOf(Path folder) {
    return new ArrayList<>(new Pattern(folder.toAbsolutePath(), "**/*", false).matches());
  }

  private static boolean read(
      Content content, Reading reading, int most, ByteArrayOutputStream into) throws IOException {
    long at = 0;
    long end = into.size() + (long) most;
    while (into.size() < end) {
      long size = content.size(at);
      if (size <= at) {
        return false;
      }
      // Each file of an archive is written in its own way.
      Text text = Text.at(content, content.partStart(at), reading, true).orElseThrow();
      long part = content.partEnd(at);
      int length = (int) Math.min(Math.min(part, size) - at, end - into.size());
      byte[] bytes = new byte[length];
      int found = content.read(ByteBuffer.wrap(bytes), at);
      // A character is not cut where it was only read so far.
      boolean ends = at + found >= part || content.size(at + found) <= at + found;
      int lines = text.newline().lastEnd(bytes, found);
      int whole = ends || lines == 0 ? found : lines;
      boolean plain = text.isPlain();
      into.writeBytes(
          plain ? Arrays.copyOf(bytes, whole) : Decoding.utf8(text.charset(), bytes, whole));
      at += whole;
      if (at >= part && at < content.size(at)) {
        into.write('\n'); // The next file of the archive.
      }
      if (whole < found && into.size() + (long) found - whole >= end) {
        return true;
      }
    }
    return content.size(at) > at;
  }

  /** Only whole lines stay. */
  private static void cut(ByteArrayOutputStream all) {
    byte[] whole = wholeLines(all.toByteArray());
    all.reset();
    all.writeBytes(whole);
  }

  /** Lines from further on in a file; the first and the last one may be cut, and are left out. */
  private static void further(Content content, long at, int most, ByteArrayOutputStream into)
      throws IOException {
    byte[] bytes = new byte[most];
    int found = content.read(ByteBuffer.wrap(bytes), at);
    int from = 0;
    while (from < found && bytes[from] != '\n') {
      from++;
    }
    int to = found;
    while (to > from && bytes[to - 1] != '\n') {
      to--;
    }
    if (to > from) {
      into.write(bytes, from + 1, to - from - 1);
    }
  }

  private static byte[] wholeLines(byte[] bytes) {
    int end = bytes.length;
    while (end > 1 && bytes[end - 1] != '\n') {
      end--; // A line that the sample cuts would look spoiled.
    }
    return Arrays.copyOf(bytes, end > 1 ? end : bytes.length);
  }
}

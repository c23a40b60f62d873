package io.wexrun.files;

import java.io.IOException;
import java.io.InputStream;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.Arrays;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.Optional;

/** Tells compressed files by their first bytes: their lines are not those of a log. */
final class Packed {
  private static final Map<String, byte[]> BEGINS = new LinkedHashMap<>();

  static {
    BEGINS.put("gzip", new byte[] {0x1F, (byte) 0x8B});
    BEGINS.put("zstd", new byte[] {0x28, (byte) 0xB5, 0x2F, (byte) 0xFD});
    BEGINS.put("bzip2", new byte[] {'B', 'Z', 'h'});
    BEGINS.put("xz", new byte[] {(byte) 0xFD, '7', 'z', 'X', 'Z', 0});
    BEGINS.put("zip", new byte[] {'P', 'K', 3, 4});
  }

  private Packed() {}

  /** How a file is compressed; empty if it is not. */
  static Optional<String> how(Path path) throws IOException {
    byte[] begin;
    try (InputStream in = Files.newInputStream(path)) {
      begin = in.readNBytes(6);
    }
    return BEGINS.entrySet().stream()
        .filter(
            each ->
                begin.length >= each.getValue().length
                    && Arrays.equals(Arrays.copyOf(begin, each.getValue().length), each.getValue()))
        .map(Map.Entry::getKey)
        .findFirst();
  }
}

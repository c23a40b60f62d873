package io.wexrun.files;

import static org.assertj.core.api.Assertions.assertThat;

import com.github.luben.zstd.Zstd;
import com.github.luben.zstd.ZstdOutputStream;
import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.io.OutputStream;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.stream.Collectors;
import java.util.stream.IntStream;
import java.util.zip.GZIPOutputStream;
import org.apache.commons.compress.compressors.bzip2.BZip2CompressorOutputStream;
import org.apache.commons.compress.compressors.xz.XZCompressorOutputStream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.junit.jupiter.params.provider.ValueSource;

/** Compressed files: those that were rotated while they were followed, and others. */
class CompressedTest {
  @TempDir private Path folder;

  private Path at(String name) {
    return folder.resolve(name);
  }

  private void append(String name, String text) throws IOException {
    Files.writeString(at(name), text, StandardOpenOption.CREATE, StandardOpenOption.APPEND);
  }

  private static byte[] packed(String how, String text) throws IOException {
    byte[] plain = text.getBytes(StandardCharsets.UTF_8);
    ByteArrayOutputStream bytes = new ByteArrayOutputStream();
    if (how.equals("zstd")) {
      return Zstd.compress(plain);
    }
    try (OutputStream out =
        how.equals("gzip")
            ? new GZIPOutputStream(bytes)
            : how.equals("bzip2")
                ? new BZip2CompressorOutputStream(bytes)
                : new XZCompressorOutputStream(bytes, 0)) {
      out.write(plain);
    }
    return bytes.toByteArray();
  }

  private static List<String> lines(int from, int to) {
    return IntStream.range(from, to).mapToObj(i -> "line " + i * 7919L + " of many").toList();
  }

  private static String text(List<String> lines) {
    return lines.stream().map(line -> line + "\n").collect(Collectors.joining());
  }

  private void gzip(String name) throws IOException {
    Files.write(at(name + ".gz"), packed("gzip", Files.readString(at(name))));
    Files.delete(at(name));
  }

  private static void settle(Taking taking, boolean restarts) {
    if (restarts) {
      taking.once();
    } else {
      taking.drain();
    }
  }

  @ParameterizedTest
  @CsvSource({"gzip,300000", "zstd,300000", "bzip2,20000", "xz,20000"})
  void whatIsInACompressedFileIsTakenOnce(String how, int count) throws IOException {
    List<String> all = lines(0, count);
    Files.write(at("a.packed"), packed(how, text(all.subList(0, count / 2))));
    Files.write(
        at("a.packed"),
        packed(how, text(all.subList(count / 2, count))),
        StandardOpenOption.APPEND);
    Taking taking = Taking.of(folder, "*");
    assertThat(taking.once()).isEqualTo(all);
    assertThat(taking.once()).isEmpty();
    taking.killed();
    assertThat(taking.drain()).as("again, from the start").isEqualTo(all);
    assertThat(taking.notices).isEmpty();
  }

  @ParameterizedTest
  @CsvSource({"*.log,true", "*.log,false", "*.log*,true", "*.log*,false"})
  void aFileThatIsCompressedAfterItWasRotatedGoesOn(String pattern, boolean restarts)
      throws IOException {
    Taking taking = Taking.of(folder, pattern);
    List<String> all = new ArrayList<>();
    for (int round = 0; round < 4; round++) {
      List<String> lines = lines(round * 1000, round * 1000 + 1000);
      all.addAll(lines);
      append("a.log", text(lines.subList(0, 600)));
      settle(taking, restarts);
      append("a.log", text(lines.subList(600, 1000)));
      for (int old = round; old > 0; old--) {
        Files.move(at("a.log." + old + ".gz"), at("a.log." + (old + 1) + ".gz"));
      }
      Files.move(at("a.log"), at("a.log.1"));
      gzip("a.log.1");
    }
    settle(taking, restarts);
    assertThat(taking.taken).containsExactlyInAnyOrderElementsOf(all);
    assertThat(taking.notices).isEmpty();
    settle(taking, true);
    assertThat(taking.taken).hasSameSizeAs(all);
  }

  /** As others see it while it is compressed: both are there, the new one in parts. */
  @ParameterizedTest
  @ValueSource(booleans = {true, false})
  void aFileThatIsBeingCompressedIsNotTakenTwice(boolean restarts) throws IOException {
    Taking taking = Taking.of(folder, "*.log*");
    List<String> all = lines(0, 5000);
    append("a.log.1", text(all));
    settle(taking, restarts);
    byte[] whole = packed("gzip", text(all));
    for (int part : List.of(0, 5, 12, whole.length / 2, whole.length - 3, whole.length)) {
      Files.write(at("a.log.1.gz"), Arrays.copyOf(whole, part));
      settle(taking, restarts);
    }
    Files.delete(at("a.log.1"));
    settle(taking, restarts);
    settle(taking, true);
    assertThat(taking.taken).isEqualTo(all);
    assertThat(taking.notices).isEmpty();
  }

  @Test
  void aCopyThatIsKeptBesideIsNotTaken() throws IOException {
    Taking taking = Taking.of(folder, "*");
    append("a.log", text(lines(0, 100)));
    Files.write(at("a.log.gz"), packed("gzip", text(lines(0, 100))));
    assertThat(taking.drain()).hasSize(100);
    append("a.log", text(lines(100, 101)));
    assertThat(taking.drain()).hasSize(1);
    assertThat(taking.once()).isEmpty();
  }

  @ParameterizedTest
  @CsvSource({"gzip,300000", "zstd,300000", "bzip2,80000", "xz,20000"})
  void ofAFileThatWasCutShortTheRestIsTakenWhenItIsWhole(String how, int count) throws IOException {
    List<String> all = lines(0, count);
    byte[] whole = packed(how, text(all));
    Files.write(at("a.packed"), Arrays.copyOf(whole, whole.length * 3 / 4));
    Taking taking = Taking.of(folder, "*");
    List<String> first = taking.once();
    assertThat(first).isEqualTo(all.subList(0, first.size()));
    assertThat(taking.notices)
        .anyMatch(n -> n.startsWith("a.packed cannot be unpacked behind byte "));
    taking.once();
    Files.write(at("a.packed"), whole);
    taking.once();
    assertThat(taking.taken).isEqualTo(all);
  }

  @Test
  void recordsMayBeLongerThanWhatIsUnpackedAtOnce() throws IOException {
    String line = "x".repeat(5_000_000);
    Files.write(at("a.gz"), packed("gzip", line + "\nshort\n" + line + "\n"));
    assertThat(Taking.of(folder, "*").once()).containsExactly(line, "short", line);
  }

  @Test
  void whatUnpacksWithoutEndIsEnded() throws IOException {
    byte[] zeros = new byte[1 << 20];
    try (OutputStream out = new ZstdOutputStream(Files.newOutputStream(at("bomb")))) {
      for (int i = 0; i < 300; i++) {
        out.write(zeros);
      }
    }
    Taking taking = Taking.of(folder, "*");
    taking.drain();
    assertThat(taking.notices)
        .anyMatch(n -> n.contains("it unpacks to more than 1000 times its size"));
  }
}

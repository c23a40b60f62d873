package io.wexrun.files;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.contract.FolderSite;
import io.wexrun.core.diagnose.Diagnostic;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.pipeline.Settings;
import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.io.OutputStream;
import java.nio.charset.Charset;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.SplittableRandom;
import java.util.zip.GZIPOutputStream;
import java.util.zip.ZipEntry;
import java.util.zip.ZipOutputStream;
import org.apache.commons.compress.archivers.tar.TarArchiveEntry;
import org.apache.commons.compress.archivers.tar.TarArchiveOutputStream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.junit.jupiter.params.provider.ValueSource;

/** Text as it is written in life: encodings, headers, comments, archives. */
class TextFilesTest {
  @TempDir private Path folder;

  private Path at(String name) {
    return folder.resolve(name);
  }

  private void append(String name, byte[] bytes) throws IOException {
    Files.write(at(name), bytes, StandardOpenOption.CREATE, StandardOpenOption.APPEND);
  }

  private void append(String name, String text) throws IOException {
    append(name, text.getBytes(StandardCharsets.UTF_8));
  }

  private Taking taking(String pattern, Map<String, Object> settings) {
    Settings all = FilesIntake.matching(pattern).with("line-numbers", true);
    for (Map.Entry<String, Object> each : settings.entrySet()) {
      all = all.with(each.getKey(), each.getValue());
    }
    return new Taking(folder, all);
  }

  @Test
  void commentsAndFootersAreNoRecords() throws IOException {
    append("a.log", "title\n----\n# by the depot\n1\n2 # not\n\n#3\n4\nTotal: 3 rows\n");
    Map<String, Object> skip =
        Map.of("first", 2L, "begins", List.of("#"), "matches", "Total: \\d+ rows");
    Taking taking = taking("a.log", Map.of("skip", skip));
    assertThat(taking.drain()).containsExactly("1", "2 # not", "", "4");
    assertThat(taking.places).containsEntry("1", "/4/").containsEntry("4", "/8/");
    append("a.log", "# only this\n");
    assertThat(taking.drain()).isEmpty();
    append("a.log", "5\n");
    assertThat(taking.once()).containsExactly("5");
  }

  @Test
  void commentsAroundAnEventAreNotOfIt() throws IOException {
    append("a.log", "# begin\n1 a\n at x\n# in it\n at y\n# behind\n# more\n2 b\n");
    Map<String, Object> events =
        Map.of("framing", Map.of("begins", "\\d"), "skip", Map.of("begins", "#"));
    assertThat(taking("a.log", events).drain())
        .containsExactly("1 a\n at x\n# in it\n at y", "2 b");
  }

  /** The header that holds is that of the last line which names columns, wherever one goes on. */
  @Test
  void linesThatNameColumnsMayComeAgainInTheMiddle() throws IOException {
    Map<String, Object> fields =
        Map.of("header", Map.of("begins", "#Fields:"), "skip", Map.of("begins", "#"));
    append("a.log", "#Software: gate\n#Fields: time gate\n1 a\n2 b\n");
    Taking taking = taking("a.log", fields);
    taking.once();
    append("a.log", "3 c\n#Fields: time gate\n4 d\n#Date: x\n#Fields: gate time\r\ne 5\n");
    taking.once();
    append("a.log", "f 6\n");
    taking.once();
    assertThat(taking.taken).containsExactly("1 a", "2 b", "3 c", "4 d", "e 5", "f 6");
    assertThat(taking.places)
        .containsEntry("1 a", "time gate/3/")
        .containsEntry("3 c", "time gate/5/")
        .containsEntry("4 d", "time gate/7/")
        .containsEntry("e 5", "gate time/10/")
        .containsEntry("f 6", "gate time/11/");
    taking.killed();
    taking.drain();
    assertThat(taking.taken).containsExactly("1 a", "2 b", "3 c", "4 d", "e 5", "f 6");
    assertThat(taking.places).containsEntry("f 6", "gate time/11/");
  }

  @Test
  void aHeaderStandsBehindATitleAndComments() throws IOException {
    append("a.csv", "Tickets of a day\n#made by hand\nid,gate\n1,n\n2,s\n");
    Map<String, Object> settings =
        Map.of("header", true, "skip", Map.of("first", 1L, "begins", "#"), "framing", "csv");
    Taking taking = taking("a.csv", settings);
    taking.once();
    append("a.csv", "3,w\n");
    taking.once();
    assertThat(taking.places)
        .containsEntry("1,n", "id,gate/4/")
        .containsEntry("3,w", "id,gate/6/")
        .hasSize(3);
  }

  @ParameterizedTest
  @CsvSource({
    "UTF-16LE, true, ''",
    "UTF-16BE, true, ''",
    "UTF-32LE, true, ''",
    "UTF-8, true, ''",
    "UTF-16LE, true, UTF-16",
    "UTF-16BE, false, UTF-16",
    "UTF-16LE, false, utf-16le",
    "ISO-8859-1, false, latin1",
    "windows-1252, false, windows-1252",
    "Shift_JIS, false, Shift_JIS"
  })
  void textInOtherEncodings(String name, boolean marked, String declared) throws IOException {
    Charset charset = Charset.forName(name);
    String word = name.equals("Shift_JIS") ? "路面" : "Zürich";
    Map<String, Object> settings =
        declared.isEmpty() ? Map.of("header", true) : Map.of("header", true, "encoding", declared);
    append(
        "a.csv",
        ((marked ? "\uFEFF" : "") + "id," + word + "\n1," + word + "\r\n").getBytes(charset));
    Taking taking = taking("a.csv", settings);
    taking.once();
    byte[] more = ("2," + word + "\nhalf a line\n").getBytes(charset);
    append("a.csv", Arrays.copyOf(more, more.length - 3));
    taking.once();
    append("a.csv", Arrays.copyOfRange(more, more.length - 3, more.length));
    taking.once();
    taking.restart();
    assertThat(taking.taken).containsExactly("1," + word, "2," + word, "half a line");
    assertThat(taking.places).containsEntry("2," + word, "id," + word + "/3/");
    taking.killed();
    taking.drain();
    assertThat(taking.taken).containsExactly("1," + word, "2," + word, "half a line");
  }

  /** Text of all planes, in blocks that are cut anywhere, is what it was. */
  @ParameterizedTest
  @ValueSource(strings = {"UTF-16", "UTF-16LE", "GB18030"})
  void longTextInAnotherEncoding(String name) throws IOException {
    long seed = new SplittableRandom().nextLong();
    SplittableRandom dice = new SplittableRandom(seed);
    List<String> lines = new ArrayList<>();
    StringBuilder text = new StringBuilder();
    while (text.length() < 1_500_000) {
      StringBuilder line = new StringBuilder();
      for (int i = dice.nextInt(200); i > 0; i--) {
        line.appendCodePoint(
            dice.nextInt(4) == 0 ? 0x1F600 + dice.nextInt(60) : 'a' + dice.nextInt(900));
      }
      lines.add(line.toString());
      text.append(line).append('\n');
    }
    append("a.log", text.toString().getBytes(Charset.forName(name)));
    assertThat(taking("a.log", Map.of("encoding", name)).drain())
        .as("seed %d", seed)
        .isEqualTo(lines);
  }

  @Test
  void whatIsNotTextInTheEncodingIsNotMadeUp() throws IOException {
    append("a.log", new byte[] {'a', (byte) 0x81, 'b', '\n', 'c', '\n'});
    Taking taking = taking("a.log", Map.of("encoding", "windows-1252"));
    assertThat(taking.drain()).hasSize(2).last().isEqualTo("c");
    assertThat(taking.taken.get(0)).as("read as UTF-8, which it is not").isEqualTo("a\uFFFDb");
  }

  private static byte[] zip(String... members) throws IOException {
    ByteArrayOutputStream bytes = new ByteArrayOutputStream();
    try (ZipOutputStream zip = new ZipOutputStream(bytes)) {
      for (int i = 0; i < members.length; i += 2) {
        zip.putNextEntry(new ZipEntry(members[i]));
        zip.write(members[i + 1].getBytes(StandardCharsets.UTF_8));
      }
    }
    return bytes.toByteArray();
  }

  private static byte[] tar(String... members) throws IOException {
    ByteArrayOutputStream bytes = new ByteArrayOutputStream();
    try (TarArchiveOutputStream tar = new TarArchiveOutputStream(bytes)) {
      for (int i = 0; i < members.length; i += 2) {
        byte[] content = members[i + 1].getBytes(StandardCharsets.UTF_8);
        content = members[i].endsWith(".gz") ? gzip(content) : content;
        TarArchiveEntry entry = new TarArchiveEntry(members[i]);
        entry.setSize(content.length);
        tar.putArchiveEntry(entry);
        tar.write(content);
        tar.closeArchiveEntry();
      }
    }
    return bytes.toByteArray();
  }

  private static byte[] gzip(byte[] content) throws IOException {
    ByteArrayOutputStream bytes = new ByteArrayOutputStream();
    try (OutputStream out = new GZIPOutputStream(bytes)) {
      out.write(content);
    }
    return bytes.toByteArray();
  }

  private static final String[] MEMBERS = {
    "north/a.csv",
    "id,gate\n1,n\n2,n",
    "empty.csv",
    "",
    "__MACOSX/x.csv",
    "no\n",
    "south/b.csv",
    "gate,id\ns,3\n",
    "notes.txt",
    "gate,id\nx,4\n"
  };

  @ParameterizedTest
  @ValueSource(strings = {"zip", "tar", "tar.gz"})
  void filesOfAnArchiveHaveEachTheirHeader(String how) throws IOException {
    byte[] bytes = how.equals("zip") ? zip(MEMBERS) : tar(MEMBERS);
    append("all." + how, how.equals("tar.gz") ? gzip(bytes) : bytes);
    Taking taking = taking("all.*", Map.of("header", true, "members", "[a-b].csv"));
    assertThat(taking.once()).containsExactly("1,n", "2,n", "s,3");
    assertThat(taking.places)
        .containsEntry("2,n", "id,gate/3/north/a.csv")
        .containsEntry("s,3", "gate,id/2/south/b.csv");
    assertThat(taking.once()).isEmpty();
    taking.killed();
    assertThat(taking.drain()).containsExactly("1,n", "2,n", "s,3");
    Taking all = taking("all.*", Map.of("header", true));
    assertThat(all.drain()).containsExactly("1,n", "2,n", "s,3", "x,4");
    assertThat(all.notices).isEmpty();
  }

  @Test
  void aCompressedFileInAnArchiveIsUnpackedToo() throws IOException {
    append("all.tar", tar("a.log", "1\n", "b.log.gz", "2\n3"));
    assertThat(taking("all.tar", Map.of()).drain()).containsExactly("1", "2", "3");
  }

  /** An archive is copied into the folder while it is looked at. */
  @ParameterizedTest
  @ValueSource(strings = {"zip", "tar.gz"})
  void anArchiveThatIsNotWholeYetIsTakenWhenItIs(String how) throws IOException {
    byte[] bytes = how.equals("zip") ? zip(MEMBERS) : gzip(tar(MEMBERS));
    append("all." + how, Arrays.copyOf(bytes, bytes.length / 2));
    Taking taking = taking("all.*", Map.of("header", true));
    taking.once();
    assertThat(taking.notices).hasSize(1).first().asString().contains("cannot be unpacked behind");
    append("all." + how, Arrays.copyOfRange(bytes, bytes.length / 2, bytes.length));
    taking.once();
    assertThat(taking.taken).containsExactly("1,n", "2,n", "s,3", "x,4");
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "encoding | latin-99 | there is no encoding 'latin-99'",
        "encoding | IBM037 | 'IBM037' cannot be read: lines do not end with a line feed",
        "skip | # | it is not a map of first, begins, matches",
        "header | maybe | 'maybe' is neither true nor false",
        "files | [x | '[x' is not a pattern",
        "except | {a | '{a' is not a pattern",
        "members | [ | '[' is not a pattern",
        "line-numbers | 7 | '7' is neither true nor false"
      })
  void whatIsWrongIsFoundBeforeTheRun(String key, String value, String told) throws IOException {
    append("a.log", "1\n");
    Diagnostics diagnostics = Diagnostics.of("p");
    Settings settings = FilesIntake.matching("a.log").with(key, value);
    new FilesConnector().check(settings, new FolderSite(folder), KeyPath.ROOT, diagnostics);
    assertThat(diagnostics.all()).extracting(Diagnostic::message).hasSize(1);
    assertThat(diagnostics.all().get(0).message()).startsWith(told);
  }
}

package io.wexrun.cli;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.core.diagnose.Shown;
import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import net.jqwik.api.ForAll;
import net.jqwik.api.Property;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

class SafeStreamTest {
  private static String seen(byte[] bytes) throws IOException {
    ByteArrayOutputStream out = new ByteArrayOutputStream();
    try (SafeStream stream = new SafeStream(out)) {
      stream.write(bytes);
    }
    return out.toString(StandardCharsets.UTF_8);
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "plain, tab\there    | plain, tab\there",
        "Zürich 🚋 \uFFFD    | Zürich 🚋 \uFFFD",
        "a\u001b[2Jb         | a\\x1b[2Jb",
        "a\u009b2Jb          | a\\x9b2Jb",
        "a\rb                | a\\x0db",
        "\u202Eabc           | \\u202eabc",
        "a\u200Bb\u2066c     | a\\u200bb\\u2066c",
        "a\u2028b\u007F      | a\\u2028b\\x7f",
      })
  void whatWouldSteerIsWrittenOut(String text, String expected) throws IOException {
    assertThat(seen(text.getBytes(StandardCharsets.UTF_8))).isEqualTo(expected);
  }

  @ParameterizedTest
  @CsvSource({
    "C3, \\xc3",
    "C328, \\xc3(",
    "E28228, \\xe2\\x82(",
    "FF41, \\xffA",
    "EDA080, \\xed\\xa0\\x80"
  })
  void bytesThatAreNotUtf8AreWrittenOut(String hex, String expected) throws IOException {
    byte[] bytes = java.util.HexFormat.of().parseHex(hex + "20");
    assertThat(seen(bytes)).isEqualTo(expected + " ");
  }

  @Property(tries = 2000)
  void nothingButOwnSequencesComesThrough(@ForAll byte[] bytes) throws IOException {
    String seen = seen(bytes);
    assertThat(seen.codePoints().filter(Shown::steers)).isEmpty();
  }

  @Property(tries = 500)
  void whatIsPlainIsLeftAloneHoweverItIsCut(@ForAll String text, @ForAll byte cut)
      throws IOException {
    StringBuilder plain = new StringBuilder();
    text.codePoints()
        .filter(code -> !Shown.steers(code) && Character.isDefined(code))
        .forEach(plain::appendCodePoint);
    byte[] bytes = plain.toString().getBytes(StandardCharsets.UTF_8);
    int at = bytes.length == 0 ? 0 : Math.abs(cut) % bytes.length;
    ByteArrayOutputStream out = new ByteArrayOutputStream();
    try (SafeStream stream = new SafeStream(out)) {
      stream.write(bytes, 0, at);
      stream.write(bytes, at, bytes.length - at);
    }
    assertThat(out.toString(StandardCharsets.UTF_8)).isEqualTo(plain.toString());
  }

  @ParameterizedTest
  @CsvSource({"[31m", "[2A", "[K"})
  void theCommandsOwnSequencesAreLetThrough(String sequence) throws IOException {
    String text = "a" + SafeStream.ESCAPE + sequence + "b";
    assertThat(seen(text.getBytes(StandardCharsets.UTF_8))).isEqualTo("a\u001b" + sequence + "b");
    assertThat(seen("\uFDD0x".getBytes(StandardCharsets.UTF_8))).isEqualTo("\uFDD0x");
  }
}

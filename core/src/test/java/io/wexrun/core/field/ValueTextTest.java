package io.wexrun.core.field;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.core.pattern.Utf8;
import io.wexrun.core.schema.Instants;
import java.math.BigDecimal;
import java.nio.ByteBuffer;
import java.nio.charset.CharacterCodingException;
import java.nio.charset.StandardCharsets;
import java.time.Instant;
import java.time.LocalDate;
import java.time.OffsetDateTime;
import java.time.ZoneId;
import java.time.ZoneOffset;
import java.time.format.DateTimeFormatter;
import net.jqwik.api.Arbitraries;
import net.jqwik.api.Arbitrary;
import net.jqwik.api.Combinators;
import net.jqwik.api.ForAll;
import net.jqwik.api.Property;
import net.jqwik.api.Provide;
import net.jqwik.api.constraints.IntRange;
import net.jqwik.api.constraints.LongRange;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.junit.jupiter.params.provider.ValueSource;

/** Numbers, times and UTF-8 read as the Java library reads them. */
class ValueTextTest {
  private static byte[] ascii(String text) {
    return text.getBytes(StandardCharsets.UTF_8);
  }

  private static long whole(String text) {
    return Numbers.whole(ascii(text), 0, ascii(text).length);
  }

  private static double real(String text) {
    return Numbers.real(ascii(text), 0, ascii(text).length);
  }

  private static long instant(String text, Zone zone) {
    return Times.instant(ascii(text), 0, ascii(text).length, zone);
  }

  @Property
  void everyLongIsRead(@ForAll long value) {
    assertThat(whole(Long.toString(value))).isEqualTo(value);
  }

  @ParameterizedTest
  @ValueSource(
      strings = {
        "",
        "-",
        "+",
        "1x",
        " 1",
        "9223372036854775808",
        "99999999999999999999",
        "1.0",
        "--1"
      })
  void whatIsNoWholeNumberIsNone(String text) {
    assertThat(whole(text)).isEqualTo(Numbers.NONE);
  }

  @Property
  void everyDoubleIsReadExactly(@ForAll double value) {
    assertThat(real(Double.toString(value))).isEqualTo(value);
  }

  @Property
  void everyShortDecimalIsReadExactly(
      @ForAll @LongRange(min = -999_999_999_999_999L, max = 999_999_999_999_999L) long digits,
      @ForAll @IntRange(min = 0, max = 15) int scale) {
    String text = BigDecimal.valueOf(digits, scale).toPlainString();
    assertThat(real(text)).isEqualTo(Double.parseDouble(text));
    int precision = Math.min(18, 15 + scale);
    if (scale <= 3) {
      assertThat(Numbers.decimal(ascii(text), 0, text.length(), precision, scale))
          .isEqualTo(digits);
    }
  }

  @ParameterizedTest
  @ValueSource(strings = {"", ".", "-", "1e", "NaN", "Infinity", "0x1p3", "1d", "1..2", "1,5"})
  void whatIsNoNumberIsNone(String text) {
    assertThat(real(text)).isNaN();
  }

  @ParameterizedTest
  @CsvSource({
    "12.34, 5, 2, 1234", "12.3, 5, 2, 1230", "-0.5, 5, 2, -50", "0, 5, 2, 0", "999.99, 5, 2, 99999",
    "1000.00, 5, 2, NONE", "1.234, 5, 2, NONE", "1., 5, 2, NONE", "abc, 5, 2, NONE", ".5, 5, 2, 50"
  })
  void decimalsHaveAtMostTheirDigits(String text, int precision, int scale, String unscaled) {
    long expected = unscaled.equals("NONE") ? Numbers.NONE : Long.parseLong(unscaled);
    assertThat(Numbers.decimal(ascii(text), 0, text.length(), precision, scale))
        .isEqualTo(expected);
  }

  @Provide
  Arbitrary<OffsetDateTime> times() {
    Arbitrary<Long> seconds =
        Arbitraries.longs()
            .between(
                Instant.parse("0001-01-01T00:00:00Z").getEpochSecond(),
                Instant.parse("9998-12-31T00:00:00Z").getEpochSecond());
    Arbitrary<Integer> micros = Arbitraries.integers().between(0, 999_999);
    Arbitrary<Integer> minutes = Arbitraries.integers().between(-18 * 60, 18 * 60);
    return Combinators.combine(seconds, micros, minutes)
        .as(
            (s, us, m) ->
                Instant.ofEpochSecond(s, us * 1000L).atOffset(ZoneOffset.ofTotalSeconds(m * 60)));
  }

  @Property
  void instantsAreReadAsIso8601(@ForAll("times") OffsetDateTime time) {
    long expected = Instants.micros(time.toInstant());
    assertThat(Instants.instant(expected)).isEqualTo(time.toInstant());
    String text = time.format(DateTimeFormatter.ISO_OFFSET_DATE_TIME);
    assertThat(instant(text, null)).isEqualTo(expected);
    assertThat(instant(text.replace('T', ' ').replace('.', ','), null)).isEqualTo(expected);
  }

  @Property
  void localTimesTakeTheirZone(@ForAll("times") OffsetDateTime time) {
    ZoneId berlin = ZoneId.of("Europe/Berlin");
    String local = time.toLocalDateTime().toString();
    long expected = Instants.micros(time.toLocalDateTime().atZone(berlin).toInstant());
    // In an hour that a clock change skips, the library moves the clock; logs do not have such
    // times.
    if (berlin.getRules().getValidOffsets(time.toLocalDateTime()).size() == 1) {
      assertThat(instant(local, new Zone(berlin))).isEqualTo(expected);
    }
  }

  @ParameterizedTest
  @ValueSource(
      strings = {
        "",
        "2026",
        "2026-13-03T06:14:09Z",
        "2026-02-29T00:00:00Z",
        "2026-05-03T24:00:00Z",
        "2026-05-03T06:60:00Z",
        "2026-05-03T06:14:61Z",
        "2026-05-03T06:14:09",
        "2026-05-03T06:14:09.Z",
        "2026-05-03T06:14:09+0",
        "2026-05-03T06:14:09+19:00",
        "2026-05-03X06:14:09Z",
        "2026-05-03T06:14:09Zjunk",
        "2026/05/03T06:14:09Z",
        "2026-05-03T6:14:09Z",
        "0000-00-00T00:00Z"
      })
  void whatIsNoInstantIsNone(String text) {
    assertThat(instant(text, null)).isEqualTo(Numbers.NONE);
  }

  @Test
  void shortFormsOfInstantsAreRead() {
    long expected = Instant.parse("2026-05-03T06:14:00Z").toEpochMilli() * 1000;
    assertThat(instant("2026-05-03T06:14Z", null)).isEqualTo(expected);
    assertThat(instant("2026-05-03T08:14:00+02", null)).isEqualTo(expected);
    assertThat(instant("2026-05-03 08:14:00+0200", null)).isEqualTo(expected);
    assertThat(instant("2026-05-03T06:14:00.000000999Z", null)).isEqualTo(expected);
  }

  @Property
  void everyDayIsRead(@ForAll @IntRange(min = 0, max = 3_652_058) int day) {
    LocalDate date = LocalDate.of(0, 1, 1).plusDays(day);
    byte[] text = ascii(date.toString());
    assertThat(Times.date(text, 0, text.length)).isEqualTo(date.toEpochDay());
  }

  @Property(tries = 5000)
  void utf8IsJudgedAsTheDecoderJudgesIt(@ForAll("nearUtf8") byte[] data) {
    boolean valid;
    try {
      StandardCharsets.UTF_8.newDecoder().decode(ByteBuffer.wrap(data));
      valid = true;
    } catch (CharacterCodingException e) {
      valid = false;
    }
    assertThat(Utf8.firstFault(data, 0, data.length) < 0).isEqualTo(valid);
  }

  @Provide
  Arbitrary<byte[]> nearUtf8() {
    Arbitrary<Byte> edges =
        Arbitraries.of(
                0x00, 0x41, 0x7F, 0x80, 0x8F, 0x90, 0x9F, 0xA0, 0xBF, 0xC0, 0xC1, 0xC2, 0xDF, 0xE0,
                0xED, 0xEF, 0xF0, 0xF4, 0xF5, 0xFF)
            .map(Integer::byteValue);
    return edges.array(byte[].class).ofMaxSize(6);
  }
}

package io.wexrun.core.look;

import static org.assertj.core.api.Assertions.assertThat;

import java.nio.charset.StandardCharsets;
import java.util.List;
import java.util.stream.Collectors;
import java.util.stream.IntStream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

class LookerTest {
  private static Look look(String... lines) {
    return Looker.at((String.join("\n", lines) + "\n").getBytes(StandardCharsets.UTF_8));
  }

  private static String[] many(String format, Object[]... values) {
    return IntStream.range(0, 60)
        .mapToObj(i -> String.format(format, values[i % values.length]))
        .toArray(String[]::new);
  }

  private static List<String> templates(Look look) {
    return look.templates().stream().map(Look.Template::text).toList();
  }

  private static List<String> fields(Look look) {
    return look.fields().stream().map(f -> f.name() + ": " + f.written()).toList();
  }

  @Test
  void constantWordsBecomeTextAndOthersTypedFields() {
    Look look =
        look(
            many(
                "2026-05-03 06:14:%02d [%s] gate/%d opened after %d ms user=%s \"%s\"",
                new Object[] {1, "INFO", 7, 40, "ada", "x y"},
                new Object[] {2, "WARN", 8, 41, "bob", ""},
                new Object[] {3, "INFO", 9, 42, "cyd", "z"}));
    assertThat(templates(look))
        .containsExactly(
            "{time:timestamp @UTC} [{level}] {word}/{word_2:int} opened after {duration_ms:int} ms"
                + " user={user} \"{note?}\"",
            "{message}");
    assertThat(look.fits()).isEqualTo(60);
  }

  @Test
  void messagesOfDifferentTextGetTemplatesOfTheirOwn() {
    String[] lines =
        IntStream.range(0, 90)
            .mapToObj(
                i ->
                    i % 3 == 0
                        ? "12:00:0" + i % 10 + " door " + i + " opened by driver"
                        : "12:00:0" + i % 10 + " pump " + i + " stopped after alarm")
            .toArray(String[]::new);
    Look look = look(lines);
    assertThat(templates(look))
        .containsExactlyInAnyOrder(
            "{clock} pump {pump:int} stopped after alarm",
            "{clock} door {door:int} opened by driver",
            "{message}");
    assertThat(look.templates().stream().mapToLong(Look.Template::lines).sum()).isEqualTo(90);
  }

  @Test
  void freeTextIsTakenWholeBehindWhatAllLinesShare() {
    String[] lines =
        IntStream.range(0, 200)
            .mapToObj(
                i ->
                    "2026-05-03T06:14:09Z INFO "
                        + IntStream.range(0, 2 + i % 17)
                            .mapToObj(k -> "w" + (i * 31 + k * 7) % 101)
                            .collect(Collectors.joining(" ")))
            .toArray(String[]::new);
    assertThat(templates(look(lines)))
        .containsExactly("{time:timestamp} {level:level} {message}", "{message}");
  }

  @Test
  void jsonMembersAreFoundWithTheirPathsAndTypes() {
    Look look =
        look(
            "{\"id\": \"007\", \"ts\": 1777777200321, \"p\": {\"lat\": 1.5, \"ok\": true}, \"l\":"
                + " [1]}",
            "{\"id\": \"008\", \"ts\": 1777777200322, \"p\": {\"lat\": 2}, \"x y\": null}",
            "{broken");
    assertThat(look.format()).isEqualTo(Look.Format.JSON);
    assertThat(fields(look))
        .containsExactly(
            "id: text",
            "ts: timestamp 'epoch ms'",
            "p_lat: double from $.p.lat",
            "p_ok: bool from $.p.ok",
            "l: json",
            "x_y: text from $['x y']");
    assertThat(look.fits()).isEqualTo(2);
    assertThat(look.misfits()).extracting(Look.Misfit::text).containsExactly("{broken");
    assertThat(look.misfits().get(0).why()).startsWith("a member begins with its name");
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '~',
      quoteCharacter = '`',
      value = {
        "Sale No.;When;Paid~1;03.05.2026 04:30:26;~2;04.05.2026 04:30:26;card~sale_no: int? from"
            + " Sale No.|When: timestamp? 'dd.MM.yyyy HH:mm:ss' @UTC|Paid: text?",
        "1,2026-05-03,x~2,2026-05-04,y~3,2026-05-05,\"z,z\"~c1: int?|c2: date?|c3: text",
        "a=1 b.c=\"x y\"~a=2 b.c=z~a=3~a: int?|b_c: text from b.c",
      })
  void otherFormatsAreRecognised(String one, String two, String three, String fields) {
    Look look = look(one, two, three);
    assertThat(String.join("|", fields(look))).isEqualTo(fields);
    assertThat(look.fits()).isEqualTo(look.records());
  }

  @Test
  void syslogIsReadByItsOwnStep() {
    Look look = look("<13>May  3 06:00:00 depot pointsd[1]: x", "<13>1 - h a p m - y");
    assertThat(look.format()).isEqualTo(Look.Format.SYSLOG);
    assertThat(look.oldSyslog()).isTrue();
    assertThat(look.fits()).isEqualTo(2);
    assertThat(Draft.columns(look)).containsEntry("time", "timestamp").hasSize(9);
  }

  @Test
  void anythingAtAllGetsSomeTemplate() {
    assertThat(templates(look("x"))).isNotEmpty();
    assertThat(look("{{", "a {b} c", "\"", "= = =").fits()).isEqualTo(4);
    assertThat(look("", " ").records()).isZero();
  }

  @Test
  void whatIsTheSameInTheSampleMayDifferTomorrow() {
    String[] lines =
        IntStream.range(0, 40)
            .mapToObj(
                i ->
                    "May  3 06:14:"
                        + String.format("%02d", i)
                        + " depot-1 pointsd[311]: point "
                        + (i % 7 == 0 ? "is stuck" : "thrown after " + i + " s"))
            .toArray(String[]::new);
    Look look = look(lines);
    assertThat(templates(look).get(0))
        .startsWith(
            "{time:timestamp 'MMM [ ]d HH:mm:ss' @UTC} {host:token} {process:token}[{pid:int}]: ");
    assertThat(look.notes())
        .contains("times tell no zone, and are taken for UTC: write another one behind the @");
  }

  @Test
  void dayAndMonthAreToldApartByWhatIsInTheSample() {
    assertThat(templates(look("03/05/2026 06:00:00 a b", "13/05/2026 06:00:00 b c")).get(0))
        .startsWith("{time:timestamp 'd/M/yyyy HH:mm:ss' @UTC}");
    assertThat(templates(look("05/03/2026 06:00:00 a b", "05/13/2026 06:00:00 b c")).get(0))
        .startsWith("{time:timestamp 'M/d/yyyy HH:mm:ss' @UTC}");
    Look unclear = look("05/03/2026 06:00:00 a b", "05/03/2026 06:00:01 b c");
    assertThat(unclear.notes().get(0)).contains("would fit", "as well");
  }

  @Test
  void fieldsOfSeveralTemplatesAreOfOneType() {
    String[] lines =
        IntStream.range(0, 60)
            .mapToObj(
                i ->
                    "2026-05-03T06:14:09Z "
                        + (i % 2 == 0 ? "[car " + i + "] moved" : "[car " + (i / 2.0) + "x] stood"))
            .toArray(String[]::new);
    Look look = look(lines);
    assertThat(look.fits()).isEqualTo(60);
    assertThat(Draft.columns(look)).containsEntry("time", "timestamp");
  }

  @Test
  void lineEndsInQuotesMakeTheFramingThatOfSeparatedValues() {
    Look look =
        look(
            "no,text,price",
            "1,\"a\nb\",2.5",
            "2,plain,3.5",
            "3,\"c \"\"d\"\"\",4",
            "4,\"e\nf\ng\",5");
    assertThat(look.format()).isEqualTo(Look.Format.CSV);
    assertThat(look.intake()).containsEntry("framing", "csv");
    assertThat(look.records()).isEqualTo(4);
    assertThat(look.fits()).isEqualTo(4);
    assertThat(Draft.columns(look)).containsEntry("no", "int").containsEntry("price", "double");
  }

  @Test
  void textsInWhichCharactersAreSingleBytesAreToldFromSpoiledOnes() {
    assertThat(SingleBytes.in("Brücke\nStraße".getBytes(StandardCharsets.ISO_8859_1))).isTrue();
    assertThat(SingleBytes.in("Brücke\nStraße".getBytes(StandardCharsets.UTF_8))).isFalse();
    assertThat(SingleBytes.in("plain".getBytes(StandardCharsets.UTF_8))).isFalse();
    byte[] spoiled = "Brücke, Straße, Tür".getBytes(StandardCharsets.UTF_8);
    spoiled[2] = (byte) 0xff;
    spoiled[3] = 'x';
    assertThat(SingleBytes.in(spoiled)).isFalse();
  }
}

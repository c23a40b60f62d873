package io.wexrun.core.dead;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Former;
import io.wexrun.core.intake.Records;
import io.wexrun.core.intake.SourcePartition;
import java.nio.charset.StandardCharsets;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

class DeadLetterTest {
  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      quoteCharacter = '^',
      value = {
        "\"fast\" is not an int | \"…\" is not an int",
        "\"a \\\"b\\\" c\" is not an int | \"…\" is not an int",
        "byte 106 is 0xE9 | byte # is #",
        "no \" card=\" after 'event' | no \"…\" after 'event'",
        "'card_2' is empty | 'card_2' is empty",
        "field 5 at byte 39 does not end | field # at byte # does not end",
        "-1.5e3 is below 0, in \"x | # is below #, in \"…\"",
        "at 2026-05-03T04:00:00.125+02:00, not before | at #, not before",
        "a0eebc99-9c0b-4ef8-bb6d-6bb9bd380a11 is twice there | # is twice there",
        "nothing to make equal | nothing to make equal",
      })
  void whatDiffersFromRecordToRecordIsMadeEqual(String detail, String pattern) {
    DeadLetter.Death death = new DeadLetter.Death(Reason.BAD_VALUE, "shape[0]", "f", detail, "");
    assertThat(death.pattern()).isEqualTo(pattern);
  }

  @Test
  void aRecordIsABlockWithAllThatItCameWith() {
    byte[] raw = "7 ok".getBytes(StandardCharsets.UTF_8);
    byte[] header = "n state".getBytes(StandardCharsets.UTF_8);
    byte[] key = {1, 2};
    DeadLetter.Original original =
        new DeadLetter.Original(
            raw,
            "q/3",
            41,
            header,
            1000,
            500,
            12,
            "a/b.log",
            "depot-1",
            Optional.of(key),
            Map.of("from", "gate-7"));
    DeadLetter.Death death = new DeadLetter.Death(Reason.NO_MATCH, "shape[0]", "", "", "v1");
    DeadLetter.Life life = new DeadLetter.Life(2, 700, Optional.of(new Former.Part("t", 3)));
    Block block = new DeadLetter(original, death, life).block();
    assertThat(block.source().name()).isEqualTo("q/3");
    assertThat(block.first()).isEqualTo(41);
    Records records = block.records();
    assertThat(records.count()).isEqualTo(1);
    assertThat(records.position(0)).isEqualTo(41);
    assertThat(records.bytes(0)).isEqualTo(raw);
    assertThat(records.header()).isEqualTo(header);
    assertThat(records.taken(0)).isEqualTo(1000);
    assertThat(records.key(0)).contains(key);
    assertThat(records.headers(0)).containsEntry("from", "gate-7");
    assertThat(records.written(0)).isEqualTo(500);
    assertThat(records.line(0)).isEqualTo(12);
    assertThat(records.member()).isEqualTo("a/b.log");
    assertThat(records.host()).isEqualTo("depot-1");
    assertThat(records.former(0))
        .isEqualTo(new Former(41, 500, 12, 2, 700, "no-match", life.part()));
  }

  @Test
  void lettersOfOneSourceAreABlockWithPositionsOfTheirOwn() {
    LetterBlock letters = new LetterBlock();
    DeadLetter one = letter("a.log", 70, Optional.empty());
    assertThat(letters.fits(one)).isTrue();
    letters.add(5, one);
    assertThat(letters.fits(letter("b.log", 1, Optional.empty()))).isFalse();
    assertThat(letters.fits(letter("a.log", 1, Optional.of(new Former.Part("t", 0))))).isFalse();
    letters.add(8, letter("a.log", 30, Optional.empty()));
    Records records = letters.block(new SourcePartition("replay://1/0"), 2, 9).records();
    assertThat(records.count()).isEqualTo(2);
    assertThat(records.source()).isEqualTo("a.log");
    assertThat(List.of(records.position(0), records.position(1))).containsExactly(5L, 8L);
    assertThat(List.of(records.firstPosition(0), records.firstPosition(1)))
        .containsExactly(70L, 30L);
    assertThat(records.since(6).former(0).position()).isEqualTo(30);
    assertThat(records.bytes(1)).isEqualTo("at 30".getBytes(StandardCharsets.UTF_8));
  }

  /** What waits in a channel is bounded by the bytes of blocks, so all of it must be in them. */
  @Test
  void whatALetterCameWithIsInTheBytesOfItsBlock() {
    byte[] raw = {};
    Map<String, String> headers = Map.of("from", "gate-7".repeat(100));
    Optional<byte[]> key = Optional.of(new byte[500]);
    DeadLetter.Original original =
        new DeadLetter.Original(raw, "q/0", 1, raw, 0, 0, 0, "", "", key, headers);
    DeadLetter plain = letter("q/0", 1, Optional.empty());
    LetterBlock letters = new LetterBlock();
    for (int i = 0; i < 1000; i++) {
      letters.add(i, new DeadLetter(original, plain.death(), plain.life()));
    }
    assertThat(letters.bytes()).isBetween(1000 * 1100, 1000 * 1200);
    Block block = letters.block(new SourcePartition("replay://1/0"), 0, 1000);
    assertThat(block.length()).isEqualTo(letters.bytes()).isEqualTo(block.data().length);
    assertThat(block.records().headers(999)).isEqualTo(headers);
    assertThat(block.records().key(500).orElseThrow()).hasSize(500);
  }

  private static DeadLetter letter(String source, long position, Optional<Former.Part> part) {
    byte[] raw = ("at " + position).getBytes(StandardCharsets.UTF_8);
    return new DeadLetter(
        new DeadLetter.Original(raw, source, position),
        new DeadLetter.Death(Reason.NO_MATCH, "shape[0]", "", "", "v1"),
        new DeadLetter.Life(1, 700, part));
  }
}

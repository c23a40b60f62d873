package io.wexrun.core.dead;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Records;
import java.nio.charset.StandardCharsets;
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
            raw, "q/3", 41, header, 1000, Optional.of(key), Map.of("from", "gate-7"));
    Block block = original.block();
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
  }
}

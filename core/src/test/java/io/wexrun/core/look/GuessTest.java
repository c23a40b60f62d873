package io.wexrun.core.look;

import static org.assertj.core.api.Assertions.assertThat;

import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

class GuessTest {
  private static String spec(String name, String... values) {
    Guess guess = new Guess();
    for (String value : values) {
      guess.add(value.equals("''") ? "" : value);
    }
    return guess.look(name, "", true).spec();
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      quoteCharacter = '`',
      value = {
        "n    | 1;2;-3                       | int",
        "n    | 1;9876543210                 | long",
        "n    | 1;2.5                        | double",
        "n    | 007;008                      | text",
        "n    | 0;0.5                        | double",
        "n    | true;false                   | bool",
        "n    | 2026-05-03;2026-05-04        | date",
        "n    | 03.05.2026;04.05.2026        | date 'dd.MM.yyyy'",
        "n    | 2026-05-03T06:14:09Z         | timestamp",
        "n    | 2026-05-03 06:14:09          | timestamp @UTC",
        "n    | 03/May/2026:06:14:09 +0200   | timestamp 'dd/MMM/yyyy:HH:mm:ss Z'",
        "n    | 0e3b1c1a-9f6d-4a70-8a39-2f8d0a0a7a11 | uuid",
        "time | 1777777200321;1777777200322  | timestamp 'epoch ms'",
        "at   | 1777777200.5                 | timestamp 'epoch'",
        "n    | 1777777200321                | long",
        "n    | a;1                          | text",
        "n    | 1;'';-                       | int?",
        "n    | '';x                         | text?",
        "n    | -                            | text?",
      })
  void theNarrowestTypeOfTheValuesIsTaken(String name, String values, String spec) {
    assertThat(spec(name, values.split(";"))).isEqualTo(spec);
  }

  @Test
  void fewSpoiledValuesDoNotMatter() {
    Guess guess = new Guess();
    for (int i = 0; i < 98; i++) {
      guess.add("" + i);
    }
    guess.add("fast");
    FieldLook look = guess.look("ms", "", true);
    assertThat(look.spec()).isEqualTo("int");
    assertThat(look.type()).isEqualTo("int");
    assertThat(look.present()).isEqualTo(99);
    assertThat(look.distinct()).isEqualTo(99);
    assertThat(look.examples()).containsExactly("0", "1", "2");
  }

  @Test
  void namesAreNamesAndUnique() {
    FieldNames names = new FieldNames();
    assertThat(names.unique("gate")).isEqualTo("gate");
    assertThat(names.unique("gate")).isEqualTo("gate_2");
    assertThat(names.unique("Sale No.")).isEqualTo("sale_no");
    assertThat(names.unique("1st")).isEqualTo("f1st");
    assertThat(names.unique("☃")).isEqualTo("f");
  }
}

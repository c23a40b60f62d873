package io.wexrun.core.expression;

import static io.wexrun.core.expression.ExpressionTest.never;
import static org.assertj.core.api.Assertions.assertThat;

import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;

class ContradictionTest {
  @ParameterizedTest
  @ValueSource(
      strings = {
        "false",
        "1 > 2",
        "1 / 0 > 1",
        "i > 5 && i < 3",
        "i > 5 && b && 5 >= i",
        "x >= 2.5 && x < 2.5",
        "s == 'a' && s == 'b'",
        "s in ['a', 'b'] && s == 'c'",
        "i == 5 && i != 5",
        "i in [1, 2] && i > 2",
        "(s == 'a' && s == 'b') || (i > 5 && i < 3)",
        "b && (s == 'a' && (i == 1 && 'b' == s))"
      })
  void conditionsThatNoRecordFulfilsAreTold(String condition) {
    assertThat(never(condition)).isTrue();
  }

  @ParameterizedTest
  @ValueSource(
      strings = {
        "true",
        "i > 3 && i < 5",
        "i >= 5 && i <= 5",
        "s == 'a' || s == 'b'",
        "s in ['a', 'b'] && s != 'a'",
        "i == 5 && j == 6",
        "s == 'a' && t == 'b'",
        "s == 'a' && s.size() > 5",
        "(s == 'a' && s == 'b') || b"
      })
  void othersAreNot(String condition) {
    assertThat(never(condition)).isFalse();
  }
}

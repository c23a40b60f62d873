package io.wexrun.files;

import static org.assertj.core.api.Assertions.assertThat;

import java.nio.file.Path;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

class GenerationTest {
  @ParameterizedTest
  @CsvSource({
    "a.log.1, a.log.2, true",
    "a.log.2, a.log.1, false",
    "a.log.9, a.log.10.gz, true",
    "a.log.10.gz, a.log.9, false",
    "a.log.1, a.log.1.gz, false",
    "a.log-20261126, a.log-20261125.gz, true",
    "a.log-20261125, a.log-20261126, false",
    "a-20261201.log, a-20261130.log.zst, true",
    "a.log.2026-11-26T10:00, a.log.2026-11-26T09:00, true",
    "a.log.1, a.log-20261125, false",
  })
  void theYoungerOneIsToldByItsName(Path one, Path other, boolean after) {
    Path original = Path.of("a.log");
    Generation its = Generation.of(one, original).orElseThrow();
    assertThat(its.after(Generation.of(other, original).orElseThrow())).isEqualTo(after);
  }

  @ParameterizedTest
  @CsvSource({
    "a.log",
    "a.log.bak",
    "a.log.1.bak",
    "b.log.1",
    "a.logger.1",
    "x/a.log.1",
    "a.log.gz"
  })
  void whatIsNamedOtherwiseIsNone(Path name) {
    assertThat(Generation.of(name, Path.of("a.log"))).isEmpty();
  }

  @ParameterizedTest
  @CsvSource({
    "a.log, a.log",
    "a.log.3.gz, a.log",
    "a.log-20261125.xz, a.log",
    "a-20261125.log, a.log",
    "gates-2.log, gates-2.log",
    "7, 7",
  })
  void theNameBeforeIsFoundAgain(Path name, Path family) {
    assertThat(Generation.family(name)).isEqualTo(family);
  }
}

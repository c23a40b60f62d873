package io.wexrun.cli;

import io.wexrun.core.dead.Reason;
import io.wexrun.project.facts.DeadFilter;
import io.wexrun.project.facts.KeptLetter;
import java.time.DateTimeException;
import java.time.Instant;
import java.time.LocalDate;
import java.time.LocalDateTime;
import java.time.OffsetDateTime;
import java.time.ZoneOffset;
import java.util.List;
import java.util.Optional;
import java.util.stream.Collectors;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Option;
import picocli.CommandLine.ParameterException;
import picocli.CommandLine.Spec;

/** Which dead letters are wanted. */
final class DeadFilterOption {
  @Spec(Spec.Target.MIXEE)
  private CommandSpec spec;

  @Option(names = "--reason", paramLabel = "REASON", description = "Only those with this reason.")
  private String reason;

  @Option(
      names = "--step",
      paramLabel = "STEP",
      description =
          "Only those of this step, such as 'shape[0].template', or refused by this table.")
  private String step;

  @Option(
      names = "--field",
      paramLabel = "FIELD",
      description = "Only those with this field at fault.")
  private String field;

  @Option(
      names = "--source",
      paramLabel = "SOURCE",
      description = "Only those from this source partition, such as a file's name.")
  private String source;

  @Option(
      names = "--text",
      paramLabel = "TEXT",
      description = "Only those whose record has this in it.")
  private String text;

  @Option(
      names = "--since",
      paramLabel = "TIME",
      description =
          "Only those that died then or later: 2026-05-03, or 2026-05-03T04:00:00, in UTC.")
  private String since;

  @Option(names = "--until", paramLabel = "TIME", description = "Only those that died before.")
  private String until;

  @Option(
      names = "--letter",
      paramLabel = "LETTER",
      description = "Only this letter, such as 0@12; may be repeated.")
  private List<String> letters = List.of();

  /** The filter that was said. */
  DeadFilter filter() {
    Optional<Reason> wanted = Optional.ofNullable(reason).flatMap(Reason::of);
    if (reason != null && wanted.isEmpty()) {
      throw new ParameterException(
          spec.commandLine(),
          "there is no reason '"
              + reason
              + "'; the reasons are "
              + String.join(", ", List.of(Reason.values()).stream().map(Reason::code).toList()));
    }
    return new DeadFilter(
        wanted,
        Optional.ofNullable(step),
        Optional.ofNullable(field),
        Optional.ofNullable(source),
        Optional.ofNullable(text),
        time("--since", since),
        time("--until", until),
        letters.stream().map(this::place).collect(Collectors.toSet()));
  }

  private KeptLetter.Place place(String written) {
    return KeptLetter.Place.of(written)
        .orElseThrow(
            () ->
                new ParameterException(
                    spec.commandLine(),
                    "'" + written + "' is not a letter: they are named like 0@12"));
  }

  private Optional<Instant> time(String option, String written) {
    if (written == null) {
      return Optional.empty();
    }
    try {
      if (written.matches("\\d{4}-\\d{2}-\\d{2}")) {
        return Optional.of(LocalDate.parse(written).atStartOfDay(ZoneOffset.UTC).toInstant());
      }
      return Optional.of(
          written.matches(".*(Z|[+-]\\d{2}:?\\d{2})")
              ? OffsetDateTime.parse(written).toInstant()
              : LocalDateTime.parse(written).toInstant(ZoneOffset.UTC));
    } catch (DateTimeException e) {
      throw new ParameterException(
          spec.commandLine(),
          option + " is a time such as 2026-05-03 or 2026-05-03T04:00:00, not '" + written + "'");
    }
  }
}

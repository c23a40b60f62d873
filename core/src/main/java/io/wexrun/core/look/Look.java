package io.wexrun.core.look;

import io.wexrun.core.pipeline.StepDefinition;
import java.util.Collections;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/**
 * What a sample of records is, as far as can be seen.
 *
 * @param format how the records are written
 * @param records how many were looked at
 * @param fits how many of them the format's steps can read
 * @param fields the fields, in order
 * @param templates for lines: the templates that were found, the most frequent first
 * @param separator for CSV
 * @param header for CSV: whether the first line names the columns
 * @param oldSyslog for syslog: whether some messages lack year and zone
 * @param misfits some records that cannot be read
 * @param intake what an intake of such files has to know beside their names, as settings write it;
 *     without {@code header: true}
 * @param given the step that reads the records, if it was told and not found out
 * @param further steps behind the one that reads the records
 * @param unshaped some of the lines that only the last template takes
 * @param notes what a person should look at, as sentences without a full stop
 */
public record Look(
    Format format,
    long records,
    long fits,
    List<FieldLook> fields,
    List<Template> templates,
    char separator,
    boolean header,
    boolean oldSyslog,
    List<Misfit> misfits,
    Map<String, Object> intake,
    Optional<StepDefinition> given,
    List<StepDefinition> further,
    List<String> unshaped,
    List<String> notes) {
  /** Copies the settings, keeping their order. */
  public Look {
    further = List.copyOf(further);
    notes = List.copyOf(notes);
    intake = Collections.unmodifiableMap(new LinkedHashMap<>(intake));
  }

  /** A look at data of which an intake need know nothing more. */
  public Look(
      Format format,
      long records,
      long fits,
      List<FieldLook> fields,
      List<Template> templates,
      char separator,
      boolean header,
      boolean oldSyslog,
      List<Misfit> misfits) {
    this(
        format,
        records,
        fits,
        fields,
        templates,
        separator,
        header,
        oldSyslog,
        misfits,
        Map.of(),
        Optional.empty(),
        List.of(),
        List.of(),
        List.of());
  }

  /** The same with settings of an intake. */
  Look with(Map<String, Object> settings) {
    return with(settings, given);
  }

  /** The same with settings of an intake, and the step that was told. */
  Look with(Map<String, Object> settings, Optional<StepDefinition> step) {
    return new Look(
        format, records, fits, fields, templates, separator, header, oldSyslog, misfits, settings,
        step, further, unshaped, notes);
  }

  /**
   * The same with what was counted in all of the sample.
   *
   * @param scaled whether its fields were seen only in some of it
   */
  Look counted(long all, long fitting, List<Template> taken, boolean scaled) {
    double more = scaled ? (double) all / Math.max(1, records) : 1;
    List<FieldLook> seen =
        fields.stream()
            .map(
                f ->
                    new FieldLook(
                        f.name(),
                        f.spec(),
                        f.from(),
                        Math.round(f.present() * more),
                        f.distinct(),
                        f.examples()))
            .toList();
    return new Look(
        format, all, fitting, seen, taken, separator, header, oldSyslog, misfits, intake, given,
        further, unshaped, notes);
  }

  /** The same with other fields. */
  Look with(List<FieldLook> others) {
    return new Look(
        format, records, fits, others, templates, separator, header, oldSyslog, misfits, intake,
        given, further, unshaped, notes);
  }

  /** The same with steps behind, and with notes. */
  Look with(List<StepDefinition> steps, List<String> told) {
    return new Look(
        format, records, fits, fields, templates, separator, header, oldSyslog, misfits, intake,
        given, steps, unshaped, told);
  }

  /** The patterns that the steps name. */
  public Map<String, String> patterns() {
    Map<String, String> patterns = new LinkedHashMap<>();
    Map<String, String> all =
        Map.of(Rendering.TOKEN, Rendering.TOKEN_PATTERN, Rendering.LEVEL, Rendering.LEVEL_PATTERN);
    all.forEach(
        (name, pattern) -> {
          if (templates.stream().anyMatch(t -> t.text().contains(":" + name + "}"))) {
            patterns.put(name, pattern);
          }
        });
    return patterns;
  }

  /** How records are written. */
  public enum Format {
    /** Text lines, read by templates. */
    LINES,
    /** A JSON object on each line. */
    JSON,
    /** Separated values. */
    CSV,
    /** Keys and values. */
    PAIRS,
    /** Syslog messages. */
    SYSLOG,
    /** Messages in a binary format, each with its length before it. */
    MESSAGES
  }

  /**
   * A record that cannot be read.
   *
   * @param why the detail that its dead letter would have
   */
  public record Misfit(String text, String why) {}

  /**
   * A template of lines.
   *
   * @param text as a step writes it
   * @param lines how many lines it takes, those before it having had the first choice
   */
  public record Template(String text, long lines) {
    /** Whether it takes any line. */
    public boolean any() {
      return text.equals(LineTemplates.ANY);
    }
  }
}

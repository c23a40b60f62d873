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
    Optional<StepDefinition> given) {
  /** Copies the settings, keeping their order. */
  public Look {
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
        Optional.empty());
  }

  /** The same with settings of an intake. */
  Look with(Map<String, Object> settings) {
    return with(settings, given);
  }

  /** The same with settings of an intake, and the step that was told. */
  Look with(Map<String, Object> settings, Optional<StepDefinition> step) {
    return new Look(
        format, records, fits, fields, templates, separator, header, oldSyslog, misfits, settings,
        step);
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
  public record Template(String text, long lines) {}
}

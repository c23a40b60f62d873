package io.wexrun.core.look;

import java.util.List;

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
    List<Misfit> misfits) {

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
    SYSLOG
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

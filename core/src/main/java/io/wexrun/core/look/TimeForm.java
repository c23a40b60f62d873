package io.wexrun.core.look;

import io.wexrun.core.field.FieldSpec;
import io.wexrun.core.schema.Instants;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.SortedSet;
import java.util.TreeSet;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import java.util.stream.Collectors;

/**
 * A form in which times are written.
 *
 * @param pattern what they look like, also in RE2
 * @param formats the formats that may read them, in the letters of {@code DateTimeFormatter}; empty
 *     for ISO 8601. Where a fraction may stand, the format has {@code %}
 * @param zoned whether they tell their zone
 */
record TimeForm(String pattern, Pattern compiled, List<String> formats, boolean zoned) {
  private static final String CLOCK = "\\d{1,2}:\\d\\d:\\d\\d";
  private static final String FRACTION = "(?:[.,]\\d{1,9})?";
  private static final String MONTH = "(?:Jan|Feb|Mar|Apr|May|Jun|Jul|Aug|Sep|Oct|Nov|Dec)";
  private static final String DAY = "(?:Mon|Tue|Wed|Thu|Fri|Sat|Sun)";
  private static final String ABBREVIATION = "[A-Z]{3,4}";
  private static final String OFFSET = "[+-]\\d{4}";

  private static final String BESIDE = ".:/_-";

  /** The more exact ones first. */
  static final List<TimeForm> ALL =
      List.of(
          zoned(
              "\\d{4}-\\d\\d-\\d\\d[T ]\\d\\d:\\d\\d:\\d\\d"
                  + FRACTION
                  + "(?:Z|[+-]\\d\\d(?::?\\d\\d)?)\\b"),
          zoned(
              "\\d{4}-\\d\\d-\\d\\d " + CLOCK + FRACTION + " " + OFFSET, "yyyy-MM-dd HH:mm:ss% Z"),
          zoned(
              "\\d{4}-\\d\\d-\\d\\d " + CLOCK + FRACTION + " [+-]\\d\\d:\\d\\d",
              "yyyy-MM-dd HH:mm:ss% XXX"),
          zoned(
              "\\d{4}-\\d\\d-\\d\\d "
                  + CLOCK
                  + FRACTION
                  + " (?:UTC|GMT|CEST|CET|EST|EDT|CST"
                  + "|CDT|MST|MDT|PST|PDT|BST|JST|IST|MSK)\\b",
              "yyyy-MM-dd HH:mm:ss% z"),
          local("\\d{4}-\\d\\d-\\d\\d[T ]\\d\\d:\\d\\d:\\d\\d" + FRACTION),
          local("\\d{4}-\\d\\d-\\d\\d_\\d\\d:\\d\\d:\\d\\d" + FRACTION, "yyyy-MM-dd_HH:mm:ss%"),
          local(
              "\\d{4}-\\d\\d-\\d\\d +\\d{1,2}:\\d\\d:\\d\\d" + FRACTION,
              "yyyy-MM-dd[ ][ ]H:mm:ss%"),
          local("\\d{4}-\\d\\d-\\d\\d \\d\\d:\\d\\d(?!:)"),
          zoned(
              "\\d{1,2}/" + MONTH + "/\\d{4}:" + CLOCK + FRACTION + " " + OFFSET,
              "d/MMM/yyyy:HH:mm:ss% Z"),
          local(
              "\\d{1,2}/" + MONTH + "/\\d{4}[: ]" + CLOCK + FRACTION,
              "d/MMM/yyyy:HH:mm:ss%",
              "d/MMM/yyyy HH:mm:ss%"),
          zoned(
              DAY + ", +\\d{1,2} " + MONTH + " \\d{4} " + CLOCK + " " + OFFSET,
              "EEE, [ ]d MMM yyyy HH:mm:ss Z"),
          zoned(
              DAY + ", +\\d{1,2} " + MONTH + " \\d{4} " + CLOCK + " " + ABBREVIATION,
              "EEE, [ ]d MMM yyyy HH:mm:ss z"),
          zoned(
              DAY + " " + MONTH + " +\\d{1,2} " + CLOCK + " " + ABBREVIATION + " \\d{4}",
              "EEE MMM [ ]d HH:mm:ss z yyyy"),
          zoned(
              DAY + " +\\d{1,2} " + MONTH + " \\d{4} " + CLOCK + " " + ABBREVIATION,
              "EEE [ ]d MMM yyyy HH:mm:ss z"),
          zoned(
              DAY + " " + MONTH + " +\\d{1,2} " + CLOCK + " \\d{4} " + OFFSET,
              "EEE MMM [ ]d HH:mm:ss yyyy Z"),
          local(
              DAY + " " + MONTH + " +\\d{1,2} " + CLOCK + FRACTION + " \\d{4}",
              "EEE MMM [ ]d HH:mm:ss% yyyy"),
          local(
              MONTH + " +\\d{1,2},? \\d{4},? " + CLOCK + FRACTION + " [AP]M",
              "MMM [ ]d, yyyy h:mm:ss% a",
              "MMM [ ]d, yyyy, h:mm:ss% a",
              "MMM [ ]d yyyy h:mm:ss% a"),
          local(
              MONTH + " +\\d{1,2},? \\d{4},? " + CLOCK + FRACTION,
              "MMM [ ]d, yyyy HH:mm:ss%",
              "MMM [ ]d yyyy HH:mm:ss%",
              "MMM [ ]d, yyyy, HH:mm:ss%"),
          local(MONTH + " +\\d{1,2} " + CLOCK + " \\d{4}", "MMM [ ]d HH:mm:ss yyyy"),
          local(DAY + " " + MONTH + " +\\d{1,2} " + CLOCK + FRACTION, "EEE MMM [ ]d HH:mm:ss%"),
          local(MONTH + " +\\d{1,2} " + CLOCK + FRACTION, "MMM [ ]d HH:mm:ss%"),
          local(
              "\\d{4}/\\d\\d/\\d\\d[ -]" + CLOCK + FRACTION,
              "yyyy/MM/dd HH:mm:ss%",
              "yyyy/MM/dd-HH:mm:ss%"),
          local(
              "\\d{1,2}-" + MONTH + "-\\d{4}[ :]" + CLOCK + FRACTION,
              "d-MMM-yyyy HH:mm:ss%",
              "d-MMM-yyyy:HH:mm:ss%"),
          zoned(
              "\\d{1,2} " + MONTH + " \\d{4} " + CLOCK + FRACTION + " " + OFFSET,
              "d MMM yyyy HH:mm:ss% Z"),
          local(
              "\\d{1,2} " + MONTH + " \\d{4},? " + CLOCK + FRACTION,
              "d MMM yyyy HH:mm:ss%",
              "d MMM yyyy, HH:mm:ss%"),
          local("\\d{1,2} " + MONTH + " " + CLOCK + FRACTION, "d MMM HH:mm:ss%"),
          local(
              "\\d\\d\\.\\d\\d\\.\\d{4},? \\d{1,2}:\\d\\d:\\d\\d" + FRACTION,
              "dd.MM.yyyy HH:mm:ss%",
              "dd.MM.yyyy, HH:mm:ss%",
              "dd.MM.yyyy H:mm:ss%"),
          local("\\d\\d\\.\\d\\d\\.\\d{4} \\d\\d:\\d\\d(?!:)", "dd.MM.yyyy HH:mm"),
          local(
              "\\d{1,2}/\\d{1,2}/\\d{4},? " + CLOCK + FRACTION + " [AP]M",
              "d/M/yyyy h:mm:ss% a",
              "M/d/yyyy h:mm:ss% a",
              "d/M/yyyy, h:mm:ss% a",
              "M/d/yyyy, h:mm:ss% a"),
          local(
              "\\d{1,2}/\\d{1,2}/\\d{4},?[ -]" + CLOCK + FRACTION,
              "d/M/yyyy HH:mm:ss%",
              "M/d/yyyy HH:mm:ss%",
              "d/M/yyyy-HH:mm:ss%",
              "M/d/yyyy-HH:mm:ss%",
              "d/M/yyyy, HH:mm:ss%",
              "M/d/yyyy, HH:mm:ss%"),
          local(
              "\\d\\d-\\d\\d-\\d{4} " + CLOCK + FRACTION,
              "dd-MM-yyyy HH:mm:ss%",
              "MM-dd-yyyy HH:mm:ss%"),
          local(
              "\\d\\d/\\d\\d/\\d\\d[ -]" + CLOCK + FRACTION,
              "yy/MM/dd HH:mm:ss%",
              "dd/MM/yy HH:mm:ss%",
              "MM/dd/yy HH:mm:ss%",
              "dd/MM/yy-HH:mm:ss%",
              "MM/dd/yy-HH:mm:ss%"),
          local(
              "\\d\\d-\\d\\d-\\d\\d " + CLOCK + FRACTION,
              "yy-MM-dd HH:mm:ss%",
              "dd-MM-yy HH:mm:ss%",
              "MM-dd-yy HH:mm:ss%"),
          local("\\d{8}[ -]" + CLOCK + FRACTION, "yyyyMMdd HH:mm:ss%", "yyyyMMdd-HH:mm:ss%"),
          local("\\d{8}-\\d{1,2}:\\d{1,2}:\\d{1,2}:\\d{1,3}", "yyyyMMdd-H:m:s:SSS"),
          zoned("\\d{8}T\\d{6}" + FRACTION + "Z", "yyyyMMdd'T'HHmmss%X"),
          local("\\d{8}T\\d{6}" + FRACTION, "yyyyMMdd'T'HHmmss%"),
          local("\\d{6} +\\d{1,2}:\\d\\d:\\d\\d", "yyMMdd [ ]H:mm:ss"),
          local("\\d\\d(?:0[1-9]|1[0-2])[0-3]\\d [0-2]\\d[0-5]\\d[0-5]\\d", "yyMMdd HHmmss"),
          local("(?:0[1-9]|1[0-2])\\d\\d \\d\\d:\\d\\d:\\d\\d\\.\\d{3,6}", "MMdd HH:mm:ss%"),
          local(
              "\\d\\d-\\d\\d \\d\\d:\\d\\d:\\d\\d" + FRACTION,
              "MM-dd HH:mm:ss%",
              "dd-MM HH:mm:ss%"),
          epoch("1[4-9]\\d{8}\\.\\d{1,9}", "epoch"),
          epoch("1[4-9]\\d{17}", "epoch ns"),
          epoch("1[4-9]\\d{14}", "epoch us"),
          epoch("1[4-9]\\d{11}", "epoch ms"),
          epoch("1[4-9]\\d{8}", "epoch"));

  private static TimeForm zoned(String pattern, String... formats) {
    return of(pattern, List.of(formats), true);
  }

  private static TimeForm local(String pattern, String... formats) {
    return of(pattern, List.of(formats), false);
  }

  private static TimeForm epoch(String pattern, String format) {
    return of(pattern, List.of(format), true);
  }

  private static TimeForm of(String pattern, List<String> formats, boolean zoned) {
    Pattern compiled = Pattern.compile(pattern + "(?![A-Za-z0-9])");
    return new TimeForm(pattern, compiled, formats, zoned);
  }

  /** Whether it is a number since 1970, which any number may be. */
  boolean isEpoch() {
    return !formats.isEmpty() && formats.get(0).startsWith("epoch");
  }

  /** Finds a time of this form in a text, from a place on and before another. */
  Optional<int[]> find(String text, int from, int to) {
    Matcher matcher = compiled.matcher(text).region(from, Math.min(text.length(), to));
    matcher.useTransparentBounds(true);
    while (matcher.find()) {
      if (isAlone(text, matcher.start())) {
        return Optional.of(new int[] {matcher.start(), matcher.end()});
      }
    }
    return Optional.empty();
  }

  /** No letter or digit stands in front, but for one letter that tells a level. */
  private boolean isAlone(String text, int start) {
    if (start == 0) {
      return true;
    }
    char before = text.charAt(start - 1);
    boolean lettered = pattern.startsWith("(?:0[1-9]") && start == 1;
    return BESIDE.indexOf(before) < 0 && (lettered || !Character.isLetterOrDigit(before));
  }

  /** How times are read that are all of this form; empty if no format takes most of them. */
  Optional<Reading> read(List<String> times) {
    if (formats.isEmpty()) {
      return Optional.of(new Reading("timestamp" + (zoned ? "" : " @UTC"), List.of()));
    }
    List<String> fitting = new ArrayList<>();
    Map<String, Long> fits = new LinkedHashMap<>();
    for (String format : formats) {
      String written =
          "timestamp '"
              + withFractions(format, times).replace("'", "''")
              + "'"
              + (zoned ? "" : " @UTC");
      FieldSpec spec = new FieldSpec(written);
      long count = times.stream().filter(spec::takes).count();
      if (count == times.size()) {
        fitting.add(written);
      }
      fits.put(written, count);
    }
    if (fitting.isEmpty()) {
      return fits.entrySet().stream()
          .max(Comparator.comparing(Map.Entry::getValue))
          .filter(best -> best.getValue() >= times.size() * 0.95)
          .map(best -> new Reading(best.getKey(), List.of()));
    }
    String best = closest(fitting, times);
    List<String> others = fitting.stream().filter(each -> !each.equals(best)).toList();
    return Optional.of(new Reading(best, others));
  }

  /**
   * Of formats that all fit, the one by which the times lie closest together: a log of a day has
   * one day, and not one of each month.
   */
  private static String closest(List<String> fitting, List<String> times) {
    String best = fitting.get(0);
    long least = Long.MAX_VALUE;
    for (String each : fitting) {
      FieldSpec spec = new FieldSpec(each);
      long[] instants = times.stream().mapToLong(spec::micros).sorted().toArray();
      long span = instants[instants.length - 1] - instants[0];
      long future = Math.max(0, instants[instants.length - 1] - now());
      if (span + future < least) {
        least = span + future;
        best = each;
      }
    }
    return best;
  }

  private static long now() {
    return Instants.micros(Instant.now().plusSeconds(86_400));
  }

  /** The format with the fractions that the times have. */
  private static String withFractions(String format, List<String> times) {
    if (format.indexOf('%') < 0) {
      return format;
    }
    SortedSet<Integer> widths = new TreeSet<>(Comparator.reverseOrder());
    char point = '.';
    boolean none = false;
    Pattern fraction = Pattern.compile(":\\d\\d([.,])(\\d{1,9})|\\d{6}([.,])(\\d{1,9})");
    for (String time : times) {
      Matcher matcher = fraction.matcher(time);
      if (matcher.find()) {
        boolean first = matcher.group(1) != null;
        point = matcher.group(first ? 1 : 3).charAt(0);
        widths.add(matcher.group(first ? 2 : 4).length());
      } else {
        none = true;
      }
    }
    char dot = point;
    boolean optional = none || widths.size() > 1;
    String all =
        widths.stream()
            .map(w -> (optional ? "[" : "") + dot + "S".repeat(w) + (optional ? "]" : ""))
            .collect(Collectors.joining());
    return format.replace("%", all);
  }

  /**
   * How times are read.
   *
   * @param spec the type with its format
   * @param others formats that would fit as well, and mean other times
   */
  record Reading(String spec, List<String> others) {}
}

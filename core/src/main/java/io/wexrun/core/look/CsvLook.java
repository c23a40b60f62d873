package io.wexrun.core.look;

import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.regex.Pattern;

/**
 * Lines that are separated values.
 *
 * @param columns how many
 * @param dashes whether a dash stands for a value that is absent
 */
record CsvLook(char separator, int columns, boolean header, boolean dashes) {
  private static final double MOST = 0.99;

  private static final Pattern TITLE =
      Pattern.compile("[\\p{L}_#%$@(][\\p{L}\\p{N}\\p{M} _.,:/()%#$@&'+*?-]{0,60}");

  /**
   * Whether the first value is more than one: a time, and something behind it that the separator
   * has nothing to do with.
   */
  private static boolean isMixed(List<String> lines, char separator) {
    List<TimeForm> forms = LineTemplates.forms(lines);
    return lines.stream()
            .filter(
                line -> {
                  String first = split(line, separator).get(0).strip();
                  return forms.stream()
                      .flatMap(form -> form.find(line, 0, 60).stream())
                      .anyMatch(
                          at -> at[0] < first.length() && !isAlone(line, at, first, separator));
                })
            .count()
        > lines.size() * (1 - MOST);
  }

  /** Whether a time is all of the first value; what follows a comma need not be its fraction. */
  private static boolean isAlone(String line, int[] at, String first, char separator) {
    int cut = line.indexOf(separator, at[0]);
    int end = cut < 0 ? at[1] : Math.min(at[1], cut);
    return at[0] <= 1
        && line.substring(0, at[0]).matches("[\"']?")
        && end - at[0] == first.replaceAll("[\"']", "").length();
  }

  /** The separator by which most lines have the same number of values, if there is one. */
  static Optional<CsvLook> of(List<String> lines) {
    CsvLook best = null;
    for (char separator : new char[] {',', ';', '\t', '|'}) {
      int columns = lines.isEmpty() ? 0 : split(lines.get(0), separator).size();
      long same = lines.stream().filter(l -> split(l, separator).size() == columns).count();
      boolean more = best == null || columns > best.columns;
      boolean fits = columns > 1 && same >= lines.size() * MOST && lines.size() > 1 && more;
      fits &= columns > 2 || separator != ',' || header(lines, separator);
      if (fits && (separator == '\t' || !isMixed(lines, separator))) {
        best = new CsvLook(separator, columns, header(lines, separator), false);
      }
    }
    return Optional.ofNullable(best);
  }

  /** A first line of distinct texts without numbers, above columns that have some. */
  private static boolean header(List<String> lines, char separator) {
    List<String> first = split(lines.get(0), separator);
    boolean texts = first.stream().allMatch(v -> TITLE.matcher(v.strip()).matches());
    boolean distinct = first.stream().distinct().count() == first.size();
    boolean numbersBelow =
        lines.stream()
            .skip(1)
            .limit(20)
            .anyMatch(l -> split(l, separator).stream().anyMatch(v -> v.matches("[-+]?\\d.*")));
    return texts && distinct && numbersBelow;
  }

  /** A name for a column without a title. */
  private static String untitled(Guess guess, int place) {
    if (guess.look("time", "", true).type().equals("timestamp")) {
      return "time";
    }
    boolean levels =
        !guess.distinct().isEmpty()
            && guess.distinct().stream()
                .allMatch(v -> v.length() > 1 && Kind.of(v.strip()) == Kind.LEVEL);
    return levels ? "level" : "c" + (place + 1);
  }

  /** Lines with those that follow as long as a quote is open. */
  static List<String> joined(List<String> lines) {
    List<String> joined = new ArrayList<>();
    boolean open = false;
    for (String line : lines) {
      if (open) {
        int last = joined.size() - 1;
        joined.set(last, joined.get(last) + "\n" + line);
      } else {
        joined.add(line);
      }
      open ^= line.chars().filter(c -> c == '"').count() % 2 != 0;
    }
    return joined;
  }

  /** The values of a line; quotes as in RFC 4180, but nothing is a mistake. */
  static List<String> split(String line, char separator) {
    List<String> values = new ArrayList<>();
    StringBuilder value = new StringBuilder();
    boolean quoted = false;
    for (int i = 0; i < line.length(); i++) {
      char c = line.charAt(i);
      if (c == '"' && quoted && i + 1 < line.length() && line.charAt(i + 1) == '"') {
        value.append(c);
        i++;
      } else if (c == '"') {
        quoted = !quoted;
      } else if (c == separator && !quoted) {
        values.add(value.toString());
        value.setLength(0);
      } else {
        value.append(c);
      }
    }
    values.add(value.toString());
    return values;
  }

  List<FieldLook> fields(List<String> lines) {
    List<Guess> guesses = new ArrayList<>();
    for (int i = 0; i < columns; i++) {
      guesses.add(new Guess());
    }
    for (String line : lines.subList(header ? 1 : 0, lines.size())) {
      List<String> values = split(line, separator);
      for (int i = 0; i < columns && values.size() == columns; i++) {
        if (!dashes || !values.get(i).equals("-")) {
          guesses.get(i).add(values.get(i));
        }
      }
    }
    List<String> titles = split(lines.get(0), separator);
    FieldNames names = new FieldNames();
    List<FieldLook> fields = new ArrayList<>();
    for (int i = 0; i < columns; i++) {
      String title = header ? titles.get(i).strip() : untitled(guesses.get(i), i);
      String name = names.unique(title);
      String place = name.equals(title) || !header ? "" : title;
      FieldLook field = guesses.get(i).look(name, place, true);
      // A value may be missing tomorrow.
      fields.add(dashes || !field.type().equals("text") ? field.optional() : field);
    }
    return fields;
  }
}

package io.wexrun.core.look;

import java.util.ArrayList;
import java.util.List;
import java.util.Optional;

/**
 * Lines that are separated values.
 *
 * @param columns how many
 * @param dashes whether a dash stands for a value that is absent
 */
record CsvLook(char separator, int columns, boolean header, boolean dashes) {
  private static final double MOST = 0.9;

  /** The separator by which most lines have the same number of values, if there is one. */
  static Optional<CsvLook> of(List<String> lines) {
    CsvLook best = null;
    for (char separator : new char[] {',', ';', '\t', '|'}) {
      int columns = lines.isEmpty() ? 0 : split(lines.get(0), separator).size();
      long same = lines.stream().filter(l -> split(l, separator).size() == columns).count();
      boolean more = best == null || columns > best.columns;
      if (columns > 1 && same >= lines.size() * MOST && lines.size() > 1 && more) {
        best = new CsvLook(separator, columns, header(lines, separator), false);
      }
    }
    return Optional.ofNullable(best);
  }

  /** A first line of distinct texts without numbers, above columns that have some. */
  private static boolean header(List<String> lines, char separator) {
    List<String> first = split(lines.get(0), separator);
    boolean texts = first.stream().noneMatch(v -> v.isEmpty() || v.matches("[-+]?[0-9.:]+.*"));
    boolean distinct = first.stream().distinct().count() == first.size();
    boolean numbersBelow =
        lines.stream()
            .skip(1)
            .limit(20)
            .anyMatch(l -> split(l, separator).stream().anyMatch(v -> v.matches("[-+]?\\d.*")));
    return texts && distinct && numbersBelow;
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
      String title = header ? titles.get(i).strip() : "c" + (i + 1);
      String name = names.unique(title);
      FieldLook field = guesses.get(i).look(name, name.equals(title) ? "" : title, true);
      fields.add(dashes ? field.optional() : field);
    }
    return fields;
  }
}

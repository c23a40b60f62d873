package io.wexrun.core.look;

import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.regex.Pattern;

/**
 * Lines of columns between which blanks stand, below a line with their names, as tools print them.
 */
final class Columns {
  private static final int LINES_ABOVE = 4;
  private static final int LEAST = 3;
  private static final double MOST = 0.8;
  private static final Pattern NAME = Pattern.compile("[A-Za-z%][\\w%/.:-]*");

  private final List<String> lines;

  Columns(List<String> lines) {
    this.lines = lines;
  }

  /** Templates of the lines; empty if they are no such table. */
  Optional<List<String>> templates() {
    for (int i = 0; i < Math.min(LINES_ABOVE, lines.size()); i++) {
      List<String> names = words(lines.get(i));
      if (names.size() < LEAST || !names.stream().allMatch(n -> NAME.matcher(n).matches())) {
        continue;
      }
      List<List<String>> rows =
          lines.subList(i + 1, lines.size()).stream()
              .map(Columns::words)
              .filter(words -> words.size() >= names.size() && !words.equals(names))
              .toList();
      boolean rest = rows.stream().anyMatch(row -> row.size() > names.size());
      long numbers =
          rows.stream().filter(r -> r.stream().anyMatch(v -> v.matches("[-\\d.]+"))).count();
      if (rows.size() >= LEAST
          && rows.size() >= (lines.size() - i) * MOST
          && numbers >= rows.size() * MOST) {
        String template = template(names, rows, rest);
        return Optional.of(List.of(" " + template, template));
      }
    }
    return Optional.empty();
  }

  private static List<String> words(String line) {
    return List.of(line.strip().split("\\s+"));
  }

  /**
   * The template.
   *
   * @param rest whether the last column may have blanks in it
   */
  private static String template(List<String> titles, List<List<String>> rows, boolean rest) {
    FieldNames names = new FieldNames();
    List<String> fields = new ArrayList<>();
    for (int i = 0; i < titles.size(); i++) {
      int at = i;
      Guess guess = new Guess();
      rows.forEach(row -> guess.add(row.get(at)));
      String title = titles.get(i).replace("%", "percent_");
      String name = names.unique(title.equals("percent_") ? "percent" : title);
      FieldLook look = guess.look(name, "", true);
      fields.add(
          look.spec().equals("text") || rest && i == titles.size() - 1
              ? "{" + name + "}"
              : "{" + name + ":" + look.spec() + "}");
    }
    return String.join(" ", fields).replace(":text?}", "?}");
  }
}

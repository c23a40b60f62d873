package io.wexrun.core.look;

import java.util.ArrayList;
import java.util.Comparator;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/**
 * Finds templates in lines: groups lines that have the same form, splits a group where one word
 * decides what several others are, and takes what never changes as text and the rest as fields.
 */
final class TemplateFinder {
  /** A word: with quotes in it, it goes on to the closing one. */
  private static final Pattern WORD =
      Pattern.compile("(?:[^\\s\"]|\"(?:[^\"\\\\]|\\\\.)*\")+|\\S+");

  private static final Pattern PAIR =
      Pattern.compile("([A-Za-z_][A-Za-z0-9_.-]*)=(.*)", Pattern.DOTALL);
  private static final Pattern QUOTED = Pattern.compile("\"((?:[^\"\\\\]|\\\\.)*)\"");
  private static final Pattern DATE =
      Pattern.compile("\\d{4}[-/]\\d\\d[-/]\\d\\d|\\d\\d\\.\\d\\d\\.\\d{4}");
  private static final Pattern CLOCK = Pattern.compile("\\d\\d:\\d\\d:\\d\\d\\S*");
  private static final Pattern PLAIN = Pattern.compile("[A-Za-z][A-Za-z'-]*[.,:;!]?");
  private static final Pattern LEVEL =
      Pattern.compile("(?i)trace|debug|info|notice|warn|warning|error|fatal|critical|severe");
  private static final Pattern ADDRESS =
      Pattern.compile(
          "\\d{1,3}(\\.\\d{1,3}){3}|[0-9a-fA-F:]*::[0-9a-fA-F:]*|[0-9a-fA-F]{1,4}(:[0-9a-fA-F]{1,4}){7}");

  private static final String OPENING = "[(<{'";
  private static final String CLOSING = "])>}',:;";
  private static final int MOST_TEMPLATES = 12;
  private static final int MOST_CHOICES = 40;
  private static final double SMALLEST = 0.01;
  private static final double COVERED = 0.9;

  private final List<List<String>> lines = new ArrayList<>();

  TemplateFinder(List<String> texts) {
    texts.forEach(text -> lines.add(words(text)));
  }

  private static List<String> words(String line) {
    List<String> words = new ArrayList<>();
    Matcher matcher = WORD.matcher(line);
    while (matcher.find()) {
      String word = matcher.group();
      int last = words.size() - 1;
      boolean clock =
          last >= 0 && DATE.matcher(words.get(last)).matches() && CLOCK.matcher(word).matches();
      if (clock) {
        words.set(last, words.get(last) + " " + word);
      } else {
        words.add(word);
      }
    }
    return words;
  }

  /** The templates, the most frequent first; at least one if there is a line. */
  List<String> find() {
    Map<List<String>, List<List<String>>> byForm = new LinkedHashMap<>();
    for (List<String> line : lines) {
      byForm.computeIfAbsent(form(line), f -> new ArrayList<>()).add(line);
    }
    List<List<List<String>>> groups = new ArrayList<>();
    byForm.values().forEach(group -> split(group, groups));
    groups.sort(Comparator.comparing((List<List<String>> g) -> g.size()).reversed());
    long least = Math.max(2, (long) (lines.size() * SMALLEST));
    List<List<List<String>>> large =
        groups.stream().filter(g -> g.size() >= least).limit(MOST_TEMPLATES).toList();
    long covered = large.stream().mapToLong(List::size).sum();
    if (large.isEmpty() || covered < lines.size() * COVERED) {
      return List.of(headAndRest());
    }
    return large.stream().map(g -> template(g, g.get(0).size())).distinct().toList();
  }

  /** What a line has in common with others: its keys and quotes, by place. */
  private static List<String> form(List<String> line) {
    return line.stream().map(TemplateFinder::form).toList();
  }

  private static String form(String word) {
    Matcher pair = PAIR.matcher(word);
    if (pair.matches()) {
      return pair.group(1) + "=" + (pair.group(2).startsWith("\"") ? "\"" : "");
    }
    return QUOTED.matcher(word).matches() ? "\"" : "";
  }

  /** Splits a group where one plain word decides at least two others. */
  private static void split(List<List<String>> group, List<List<List<String>>> into) {
    int width = group.get(0).size();
    List<Integer> plain = new ArrayList<>();
    for (int place = 0; place < width; place++) {
      int at = place;
      long matching = group.stream().filter(l -> PLAIN.matcher(l.get(at)).matches()).count();
      long distinct = group.stream().map(l -> l.get(at)).distinct().limit(MOST_CHOICES + 1).count();
      if (matching == group.size() && distinct > 1 && distinct <= MOST_CHOICES) {
        plain.add(place);
      }
    }
    int best = -1;
    int most = 1;
    for (int place : plain) {
      int decided = 0;
      for (int other : plain) {
        decided += other != place && decides(group, place, other) ? 1 : 0;
      }
      if (decided > most) {
        most = decided;
        best = place;
      }
    }
    if (best < 0) {
      into.add(group);
      return;
    }
    Map<String, List<List<String>>> parts = new LinkedHashMap<>();
    for (List<String> line : group) {
      parts.computeIfAbsent(line.get(best), w -> new ArrayList<>()).add(line);
    }
    parts.values().forEach(part -> split(part, into));
  }

  /** Whether the word at one place tells the word at another, in nearly every line. */
  private static boolean decides(List<List<String>> group, int place, int other) {
    Map<String, String> told = new HashMap<>();
    long wrong = 0;
    for (List<String> line : group) {
      String before = told.putIfAbsent(line.get(place), line.get(other));
      wrong += before != null && !before.equals(line.get(other)) ? 1 : 0;
    }
    return wrong <= group.size() * SMALLEST;
  }

  /** The words that nearly all lines begin with alike, and the rest as one field. */
  private String headAndRest() {
    int width = 0;
    List<List<String>> longer = lines;
    while (width < 6) {
      int place = width;
      List<List<String>> having = longer.stream().filter(l -> l.size() > place + 1).toList();
      if (having.size() < lines.size() * COVERED || !alike(having, place)) {
        break;
      }
      longer = having;
      width++;
    }
    return width == 0 ? "{message}" : template(longer, width) + " {message}";
  }

  private static boolean alike(List<List<String>> group, int place) {
    Guess guess = new Guess();
    group.forEach(line -> guess.add(line.get(place)));
    boolean bracketed =
        group.stream().allMatch(l -> l.get(place).startsWith("[") || l.get(place).endsWith(":"));
    return guess.isTime() || guess.distinct().size() <= 12 || bracketed;
  }

  /** The first {@code width} words of a group as a template. */
  private static String template(List<List<String>> group, int width) {
    FieldNames names = new FieldNames();
    StringBuilder text = new StringBuilder();
    for (int place = 0; place < width; place++) {
      int at = place;
      List<String> values = group.stream().map(line -> line.get(at)).toList();
      text.append(place == 0 ? "" : " ").append(word(values, names));
    }
    return text.toString();
  }

  private static String word(List<String> values, FieldNames names) {
    String first = values.get(0);
    boolean same = values.stream().allMatch(first::equals) && values.size() > 1;
    if (same && !isTime(first)) {
      Matcher pair = PAIR.matcher(first);
      return pair.matches() ? pairWord(values, names) : escaped(first);
    }
    if (PAIR.matcher(first).matches()) {
      return pairWord(values, names);
    }
    if (QUOTED.matcher(first).matches()) {
      return "\"" + field(inside(values, QUOTED, 1), "note", names) + "\"";
    }
    int head = common(values, OPENING, true);
    int tail = common(values, CLOSING, false);
    List<String> cores =
        values.stream()
            .map(
                v ->
                    v.substring(
                        Math.min(head, v.length()),
                        Math.max(Math.min(head, v.length()), v.length() - tail)))
            .toList();
    return escaped(first.substring(0, head))
        + parts(cores, names)
        + escaped(first.substring(first.length() - tail));
  }

  private static boolean isTime(String value) {
    Guess guess = new Guess();
    guess.add(value);
    return guess.isTime();
  }

  private static String pairWord(List<String> values, FieldNames names) {
    String key = values.get(0).substring(0, values.get(0).indexOf('='));
    List<String> inner = values.stream().map(v -> v.substring(key.length() + 1)).toList();
    if (inner.stream().allMatch(v -> QUOTED.matcher(v).matches())) {
      return key + "=\"" + field(inside(inner, QUOTED, 1), key, names) + "\"";
    }
    return key + "=" + field(inner, key, names);
  }

  private static List<String> inside(List<String> values, Pattern pattern, int group) {
    List<String> inside = new ArrayList<>();
    for (String value : values) {
      Matcher matcher = pattern.matcher(value);
      inside.add(matcher.matches() ? matcher.group(group) : value);
    }
    return inside;
  }

  /** A word, or its parts between slashes if all have as many. */
  private static String parts(List<String> values, FieldNames names) {
    int slashes = slashes(values.get(0));
    Guess guess = new Guess();
    values.forEach(guess::add);
    boolean same = slashes > 0 && slashes <= 3 && !values.get(0).startsWith("/");
    if (!same || guess.isTime() || values.stream().anyMatch(v -> slashes(v) != slashes)) {
      return field(values, "", names);
    }
    StringBuilder text = new StringBuilder();
    for (int part = 0; part <= slashes; part++) {
      int at = part;
      List<String> each = values.stream().map(v -> v.split("/", -1)[at]).toList();
      text.append(part == 0 ? "" : "/").append(field(each, "", names));
    }
    return text.toString();
  }

  private static int slashes(String text) {
    return (int) text.chars().filter(c -> c == '/').count();
  }

  /** How many characters at an end are the same punctuation in all values. */
  private static int common(List<String> values, String punctuation, boolean atStart) {
    String first = values.get(0);
    int length = 0;
    while (length < first.length() - 1) {
      int at = length;
      char c = first.charAt(atStart ? at : first.length() - 1 - at);
      boolean all =
          punctuation.indexOf(c) >= 0
              && values.stream()
                  .allMatch(
                      v ->
                          v.length() > at + 1 && v.charAt(atStart ? at : v.length() - 1 - at) == c);
      if (!all) {
        break;
      }
      length++;
    }
    return length;
  }

  private static String escaped(String text) {
    return text.replace("{", "{{").replace("}", "}}");
  }

  private static String field(List<String> values, String hint, FieldNames names) {
    Guess guess = new Guess();
    values.forEach(guess::add);
    FieldLook look = guess.look(hint, "", true);
    String base = hint;
    if (hint.isEmpty()) {
      base =
          guess.isTime()
              ? "time"
              : guess.distinct().stream().allMatch(v -> LEVEL.matcher(v).matches())
                  ? "level"
                  : guess.distinct().stream().allMatch(v -> ADDRESS.matcher(v).matches())
                      ? "address"
                      : "word";
    }
    String name = names.unique(base);
    String spec = look.spec();
    if (spec.equals("text")) {
      return "{" + name + "}";
    }
    return spec.startsWith("text?") ? "{" + name + "?}" : "{" + name + ":" + spec + "}";
  }
}

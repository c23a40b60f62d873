package io.wexrun.core.look;

import java.util.ArrayList;
import java.util.Comparator;
import java.util.HashMap;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.regex.MatchResult;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/**
 * Finds templates in lines. Lines that are all of a few forms get templates of their whole; those
 * of free text templates of what they begin with, and the rest is the message. A last template
 * takes whatever comes.
 */
final class LineTemplates {
  /** The last template. */
  static final String ANY = "{message}";

  /** So many lines are looked at, from all parts of the sample. */
  static final int LINES = 2000;

  /** So many tell in which forms their times are. */
  private static final int FORM_LINES = 300;

  private static final Pattern PAIR = Pattern.compile("[A-Za-z_][\\w.-]*=.*", Pattern.DOTALL);
  private static final Pattern PLAIN = Pattern.compile("[A-Za-z][A-Za-z'-]*[.,:;!]?");
  private static final Pattern FIELD =
      Pattern.compile("(?<!\\{)\\{([A-Za-z_]\\w*)(\\?)?(:(?:[^}']|'[^']*')*)?\\}");
  private static final List<String> WIDER = List.of("int", "long", "double");
  private static final Pattern GENERIC = Pattern.compile("\\{word(?:_\\d+)?\\??\\}");

  /** With more words of which nothing is known, a line is prose. */
  private static final int MOST_GENERIC = 3;

  private static final int MOST_TEMPLATES = 6;
  private static final int MOST_CHOICES = 40;
  private static final double SMALLEST = 0.01;
  private static final double COVERED = 0.95;
  private static final double PROSE = 0.8;

  /** A level, a name and a message with colons between them, as some scripts write them. */
  private static final Pattern COLONS =
      Pattern.compile("^(?:DEBUG|INFO|WARNING|ERROR|CRITICAL):[\\w.]+:(?!:)");

  private static final Pattern EXTENSIBLE = Pattern.compile("(?:^| )CEF:\\d+\\|");
  private static final String EVENT =
      "CEF:{version:int}|{vendor}|{product}|{product_version}|{signature}|{name}|{severity}"
          + "|{extension}";

  private static final String REQUEST = "\"{method} {path} {protocol}\"";

  private final List<String> texts;
  private final List<Words> lines = new ArrayList<>();
  private final List<TimeForm> forms;
  private final List<TimeForm.Reading> unsure = new ArrayList<>();

  LineTemplates(List<String> texts) {
    List<String> some = some(texts);
    this.texts = some;
    forms = forms(some);
    some.forEach(text -> lines.add(Words.of(text, forms)));
  }

  /** Lines from everywhere, if there are many. */
  static List<String> some(List<String> texts) {
    return some(texts, LINES);
  }

  private static List<String> some(List<String> texts, int most) {
    if (texts.size() <= most) {
      return texts;
    }
    List<String> some = new ArrayList<>();
    for (int i = 0; i < most; i++) {
      some.add(texts.get((int) ((long) i * texts.size() / most)));
    }
    return some;
  }

  /** The forms of times that lines have, the most frequent first. */
  static List<TimeForm> forms(List<String> all) {
    List<String> lines = some(all, FORM_LINES);
    Map<TimeForm, Integer> counts = new LinkedHashMap<>();
    for (String line : lines) {
      TimeForm best = null;
      int[] at = null;
      for (TimeForm form : TimeForm.ALL) {
        Optional<int[]> found = form.find(line, 0, form.isEpoch() ? 40 : 200);
        boolean sooner =
            found.isPresent()
                && (at == null
                    || found.get()[0] < at[0]
                    || found.get()[0] == at[0] && found.get()[1] > at[1]);
        if (sooner && !(form.isEpoch() && best != null)) {
          best = form;
          at = found.get();
        }
      }
      if (best != null) {
        counts.merge(best, 1, Integer::sum);
      }
    }
    int least = Math.max(1, (int) (lines.size() * SMALLEST));
    return counts.entrySet().stream()
        .filter(each -> each.getValue() >= least)
        .filter(each -> !each.getKey().isEpoch() || each.getValue() >= lines.size() * 0.5)
        .sorted(Map.Entry.<TimeForm, Integer>comparingByValue().reversed())
        .map(Map.Entry::getKey)
        .limit(4)
        .toList();
  }

  /** What a person should look at. */
  List<String> notes() {
    List<String> notes = new ArrayList<>();
    unsure.stream()
        .distinct()
        .forEach(
            reading ->
                notes.add(
                    "times are read as "
                        + reading.spec()
                        + ", and would fit "
                        + String.join(" and ", reading.others())
                        + " as well"));
    if (forms.stream().anyMatch(form -> !form.zoned())) {
      notes.add("times tell no zone, and are taken for UTC: write another one behind the @");
    }
    return notes;
  }

  /** Templates of what lines begin with; the last one takes any line. */
  List<String> heads() {
    return with(List.of());
  }

  /** The templates, in the order in which they are tried; the last one takes any line. */
  List<String> find() {
    for (Pattern known : List.of(COLONS, EXTENSIBLE)) {
      long some = texts.stream().filter(text -> known.matcher(text).find()).count();
      if (some >= texts.size() * COVERED) {
        return known == COLONS
            ? List.of("{level}:{logger}:{message}", ANY)
            : with(List.of(extensible()));
      }
    }
    Optional<List<String>> columns = new Columns(texts).templates();
    return columns.isPresent() ? with(columns.get()) : with(whole());
  }

  /** A prefix, and behind it an event of the Common Event Format. */
  private String extensible() {
    List<Words> alike = lines.stream().filter(line -> place(line) == place(lines.get(0))).toList();
    int width = Math.max(0, place(lines.get(0)));
    String head = width == 0 ? "" : new Rendering(alike, true, forms, unsure).template(width) + " ";
    return head + EVENT;
  }

  private static int place(Words line) {
    return (int) line.words().stream().takeWhile(word -> !word.startsWith("CEF:")).count();
  }

  private List<String> with(List<String> whole) {
    Set<String> templates = new LinkedHashSet<>(whole);
    // Who does not speak HTTP is in the log of a web server, too.
    whole.stream()
        .filter(template -> template.contains(REQUEST))
        .map(template -> template.replace(REQUEST, "\"{request?}\""))
        .forEach(templates::add);
    for (Heads.Head head : Heads.of(lines)) {
      Rendering rendering = new Rendering(head.lines(), false, forms, unsure);
      String text = rendering.template(head.width());
      templates.add(text + rendering.rest(head.width()));
    }
    templates.removeIf(template -> template.indexOf('{') < 0 || template.equals(ANY));
    List<String> all = new ArrayList<>(unified(List.copyOf(templates)));
    all.add(ANY);
    return all;
  }

  /** A field that several templates have is of one type in all of them: the widest. */
  private static List<String> unified(List<String> templates) {
    Map<String, Set<String>> types = new HashMap<>();
    for (String template : templates) {
      Matcher field = FIELD.matcher(template);
      while (field.find()) {
        types.computeIfAbsent(field.group(1), n -> new HashSet<>()).add(type(field.group(3)));
      }
    }
    return templates.stream()
        .map(
            template ->
                FIELD
                    .matcher(template)
                    .replaceAll(
                        field ->
                            Matcher.quoteReplacement(unified(field, types.get(field.group(1))))))
        .toList();
  }

  private static String unified(MatchResult field, Set<String> types) {
    if (types.size() == 1) {
      return field.group();
    }
    String optional = field.group(2) == null ? "" : "?";
    String widest =
        types.stream().allMatch(WIDER::contains)
            ? ":" + WIDER.get(types.stream().mapToInt(WIDER::indexOf).max().orElseThrow())
            : "";
    return "{" + field.group(1) + optional + widest + "}";
  }

  private static String type(String spec) {
    String type = spec == null ? "text" : spec.substring(1).replaceAll("[ ?].*", "");
    return type.equals(Rendering.TOKEN) || type.equals(Rendering.LEVEL) ? "text" : type;
  }

  /** Templates of whole lines, if a few of them take nearly all. */
  private List<String> whole() {
    Map<List<String>, List<Words>> byForm = new LinkedHashMap<>();
    for (Words line : lines) {
      if (!line.words().isEmpty()) {
        byForm.computeIfAbsent(form(line), f -> new ArrayList<>()).add(line);
      }
    }
    List<List<Words>> groups = new ArrayList<>();
    long least = Math.max(2, (long) (lines.size() * SMALLEST));
    byForm.values().stream()
        .filter(group -> group.size() >= least || lines.size() < 10)
        .forEach(group -> split(group, groups));
    groups.sort(Comparator.comparing((List<Words> g) -> g.size()).reversed());
    List<List<Words>> large =
        groups.stream()
            .filter(g -> g.size() >= least || lines.size() < 10)
            .limit(MOST_TEMPLATES)
            .toList();
    long covered = large.stream().mapToLong(List::size).sum();
    if (large.isEmpty() || covered < lines.size() * COVERED || isProse(large)) {
      return List.of();
    }
    return large.stream().map(this::template).filter(LineTemplates::tells).distinct().toList();
  }

  /** A template of whole lines; words of prose at their end are the message. */
  private String template(List<Words> group) {
    int all = group.get(0).words().size();
    int width = all;
    while (width > 1 && isProse(group, width - 1)) {
      width--;
    }
    boolean message = all - width > 1;
    Rendering rendering = new Rendering(group, !message, forms, unsure);
    return message ? rendering.template(width) + rendering.rest(width) : rendering.template(all);
  }

  /** Whether what stands at a place differs, and is nearly always a word of a language. */
  private static boolean isProse(List<Words> group, int place) {
    List<String> words = group.stream().map(line -> line.words().get(place)).toList();
    long plain = words.stream().filter(w -> PLAIN.matcher(w).matches()).count();
    boolean same = words.stream().distinct().limit(2).count() == 1;
    return !same && plain >= words.size() * PROSE;
  }

  /** Whether a template says more of a line than how many words it has. */
  private static boolean tells(String template) {
    String bare = template.replaceAll("\\{(?:word|path|message)(?:_\\d+)?\\??\\}", "");
    long words = GENERIC.matcher(template).results().count();
    boolean fields = words <= MOST_GENERIC && template.replace("{{", "").indexOf('{') >= 0;
    return fields && (bare.indexOf('{') >= 0 || bare.matches(".*[A-Za-z]{2}.*"));
  }

  /** Whether lines are alike only because there are so few of them. */
  private boolean isProse(List<List<Words>> groups) {
    return groups.size() > 1 && lines.size() < groups.size() * 4;
  }

  /** What a line has in common with others: its keys, quotes and brackets, by place. */
  private static List<String> form(Words line) {
    return line.words().stream().map(LineTemplates::form).toList();
  }

  private static String form(String word) {
    if (Words.hasTime(word)) {
      return word;
    }
    if (PAIR.matcher(word).matches()) {
      int assign = word.indexOf('=');
      return word.substring(0, assign + 1) + (word.startsWith("\"", assign + 1) ? "\"" : "");
    }
    if (Rendering.isRequest(word)) {
      return "\"request";
    }
    if (word.startsWith("\"")) {
      return "\"";
    }
    Kind kind = Kind.of(word);
    return switch (kind) {
      case BRACKET -> "[";
      case TAG -> "tag";
      case SEPARATOR -> word.equals("-") ? "" : word;
      default -> "";
    };
  }

  /** Splits a group where one plain word decides at least two others. */
  private static void split(List<Words> group, List<List<Words>> into) {
    int width = group.get(0).words().size();
    List<Integer> plain = new ArrayList<>();
    for (int place = 0; place < width; place++) {
      int at = place;
      long matching =
          group.stream()
              .map(l -> l.words().get(at))
              .filter(w -> PLAIN.matcher(w).matches() && Kind.of(w) != Kind.LEVEL)
              .count();
      long distinct =
          group.stream().map(l -> l.words().get(at)).distinct().limit(MOST_CHOICES + 1).count();
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
    Map<String, List<Words>> parts = new LinkedHashMap<>();
    for (Words line : group) {
      parts.computeIfAbsent(line.words().get(best), w -> new ArrayList<>()).add(line);
    }
    parts.values().forEach(part -> split(part, into));
  }

  /** Whether the word at one place tells the word at another, in nearly every line. */
  private static boolean decides(List<Words> group, int place, int other) {
    Map<String, String> told = new HashMap<>();
    long wrong = 0;
    for (Words line : group) {
      String before = told.putIfAbsent(line.words().get(place), line.words().get(other));
      wrong += before != null && !before.equals(line.words().get(other)) ? 1 : 0;
    }
    return wrong <= group.size() * SMALLEST;
  }
}

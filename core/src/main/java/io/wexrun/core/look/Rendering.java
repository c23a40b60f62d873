package io.wexrun.core.look;

import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Optional;
import java.util.Set;
import java.util.regex.MatchResult;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/**
 * Writes what words of alike lines have in common as a template: what is punctuation or a word of
 * the program is text, and what is a time, a number, an address or a name of something is a field,
 * also if it is the same in all lines. For one group of lines, once.
 */
final class Rendering {
  /** The name of the pattern of a field that ends at a blank. */
  static final String TOKEN = "token";

  static final String TOKEN_PATTERN = "\\S+";

  private static final Pattern PAIR = Pattern.compile("([A-Za-z_][\\w.-]*)=(.*)", Pattern.DOTALL);
  private static final Pattern QUOTED = Pattern.compile("\"((?:[^\"\\\\]|\\\\.)*)\"");
  private static final Pattern TAG = Pattern.compile("([^\\s\\[\\]:=\"]+)\\[(\\d+)\\](:?)");
  private static final Pattern COLON = Pattern.compile("([A-Za-z][^\\s:=\",;]*):");
  private static final Pattern PORT =
      Pattern.compile("(\\d{1,3}(?:\\.\\d{1,3}){3}):(\\d{1,5})([,;:]?)");
  private static final Pattern MEASURE =
      Pattern.compile(
          "([-+]?\\d+(?:\\.\\d+)?)(ns|us|µs|ms|s|sec|secs|m|min|h|%|[kKMGT]i?[bB]|[bB]|bytes)([,;:.)]*)");
  private static final Pattern UNIT =
      Pattern.compile(
          "(ns|us|µs|ms|s|sec|secs|seconds|milliseconds|min|minutes|h|hours|%|percent|bytes|[kKMGT]i?B"
              + ")[,;:.)]*");
  static final Pattern REQUEST =
      Pattern.compile("\"([A-Z][A-Z_-]{2,20}) (\\S+) ([A-Z]+/[\\d.]+)\"");
  private static final Pattern METHOD =
      Pattern.compile("GET|HEAD|POST|PUT|PATCH|DELETE|OPTIONS|CONNECT|TRACE|PROPFIND|REPORT");
  private static final Pattern CLOCK = Pattern.compile("\\d{1,2}:\\d\\d:\\d\\d(?:[.,]\\d+)?");
  private static final Pattern UUID =
      Pattern.compile("[0-9a-fA-F]{8}(-[0-9a-fA-F]{4}){3}-[0-9a-fA-F]{12}");
  private static final Pattern THREAD =
      Pattern.compile("(?i)main|.*(thread|pool|exec|worker|nio|scheduler|timer|-\\d+).*");
  private static final Pattern LOGGER = Pattern.compile("[\\w$-]+(\\.[\\w$-]+)+");
  private static final Pattern SOURCE = Pattern.compile("[\\w./-]+\\.\\w+:\\d+");
  private static final Pattern PLAIN = Pattern.compile("[A-Za-z][A-Za-z'_-]*[.,:;!?)]?");
  private static final Set<String> NO_NAMES =
      Set.of(
          "the", "a", "an", "to", "of", "in", "at", "is", "was", "on", "with", "and", "or", "for",
          "by", "as", "after", "before", "be", "has", "had", "not", "no", "than", "via", "using");

  /** The name of the pattern of levels. */
  static final String LEVEL = "level";

  static final String LEVEL_PATTERN =
      "(?i:trace|debug\\d?|dbg|fine\\w*|config|info\\w*|note|notice|log|hint|detail|statement"
          + "|verbose|system|warn|warning|wrn|err|error|crit|critical|fatal|severe|alert|emerg\\w*"
          + "|panic|ftl|[iwefdvt])";

  private static final String BRACKETED_TIME = "[" + Words.TIME + "]";
  private static final Pattern BRACKETS = Pattern.compile("(?:\\[[^\\[\\]]*\\]){2,6}:?");
  private static final Pattern ONE = Pattern.compile("\\[[^\\[\\]]*\\]");

  private final List<Words> lines;
  private final boolean whole;
  private final FieldNames names;
  private final List<TimeForm> forms;
  private final boolean access;
  private boolean afterRequest;
  private boolean timed;
  private boolean timeIsNext;
  private int texts;
  private String before = "";
  private final List<TimeForm.Reading> readings;
  private int time;

  /**
   * For a group of lines.
   *
   * @param names gives names that the group's template has not
   * @param whole whether the template is of whole lines, which nothing else is like
   * @param forms those in which their times are written
   * @param readings takes how times are read of which it is not sure
   */
  Rendering(
      List<Words> lines, boolean whole, List<TimeForm> forms, List<TimeForm.Reading> readings) {
    this.lines = lines;
    this.whole = whole;
    this.names = new FieldNames();
    this.forms = forms;
    this.readings = readings;
    // Client, identity, user, time, and the request in quotes: with the name of a host in front
    // there is one word more.
    this.access =
        lines.stream()
            .map(Words::words)
            .allMatch(
                w ->
                    w.size() > 5
                        && (w.get(3).equals(BRACKETED_TIME) && w.get(4).startsWith("\"")
                            || w.get(4).equals(BRACKETED_TIME) && w.get(5).startsWith("\"")));
  }

  static boolean isRequest(String word) {
    return REQUEST.matcher(word).matches();
  }

  /** The first words as a template. */
  String template(int width) {
    StringBuilder text = new StringBuilder();
    for (int place = 0; place < width; place++) {
      int at = place;
      List<String> values = lines.stream().map(line -> line.words().get(at)).toList();
      List<String> next =
          lines.stream().map(l -> at + 1 < l.words().size() ? l.words().get(at + 1) : "").toList();
      timeIsNext = place + 1 < width && next.stream().allMatch(Words::hasTime);
      String piece = word(values, next, place);
      boolean begins = place == 0 || place > 0 && isNewline(place - 1) || isNewline(place);
      text.append(begins ? "" : " ").append(isNewline(place) ? "\n" : piece);
      boolean literal = piece.replace("{{", "").indexOf('{') < 0;
      before = literal || Words.hasTime(values.get(0)) || isLevel(values) ? values.get(0) : "";
    }
    return text.toString();
  }

  /** The rest of a line behind so many words. */
  String rest(int width) {
    return (isNewline(width - 1) ? "" : " ") + "{" + names.unique("message") + "}";
  }

  private boolean isNewline(int place) {
    return lines.get(0).words().get(place).equals(Words.NEWLINE);
  }

  private static boolean isLevel(List<String> values) {
    return values.stream().allMatch(v -> Kind.of(v) == Kind.LEVEL);
  }

  private boolean all(List<String> values, Pattern pattern) {
    return values.stream().allMatch(v -> pattern.matcher(v).matches());
  }

  private static List<String> group(List<String> values, Pattern pattern, int group) {
    List<String> inside = new ArrayList<>();
    for (String value : values) {
      Matcher matcher = pattern.matcher(value);
      inside.add(matcher.matches() ? matcher.group(group) : value);
    }
    return inside;
  }

  private String word(List<String> values, List<String> next, int place) {
    String first = values.get(0);
    if (all(values, BRACKETS) && values.stream().map(v -> count(v)).distinct().count() == 1) {
      return several(values, next, place);
    }
    if (values.stream().allMatch(Words::hasTime)) {
      return timed(values);
    }
    if (all(values, REQUEST)) {
      afterRequest = true;
      return "\""
          + field(group(values, REQUEST, 1), "method")
          + " "
          + field(group(values, REQUEST, 2), "path")
          + " "
          + field(group(values, REQUEST, 3), "protocol")
          + "\"";
    }
    if (all(values, QUOTED)) {
      String name = access ? accessText() : named("note");
      afterRequest |= access;
      return "\"" + field(group(values, QUOTED, 1), name) + "\"";
    }
    if (access && !afterRequest) {
      return client(values, place);
    }
    if (access && first.matches("\\d+|-") && all(values, Pattern.compile("\\d+(\\.\\d+)?|-"))) {
      return number(values);
    }
    boolean same = values.stream().allMatch(first::equals);
    if (same && Kind.of(first) == Kind.SEPARATOR) {
      return escaped(first);
    }
    if (values.stream().allMatch(v -> PAIR.matcher(v).matches()) && sameKey(values)) {
      return pair(values);
    }
    if (values.stream().allMatch(v -> v.startsWith("[") && v.indexOf(']') > 0)) {
      return bracket(values, place);
    }
    if (values.stream().allMatch(v -> Kind.of(v) == Kind.LEVEL)) {
      return level(values);
    }
    if (all(values, TAG) && same(group(values, TAG, 3))) {
      return token(group(values, TAG, 1), "process")
          + "["
          + field(group(values, TAG, 2), "pid")
          + "]"
          + group(values, TAG, 3).get(0);
    }
    Pattern levelled = Pattern.compile("([^\\s\\[\\]]+)\\[([A-Za-z]+)\\](:?)");
    if (all(values, levelled)
        && group(values, levelled, 2).stream().allMatch(v -> Kind.of(v) == Kind.LEVEL)
        && same(group(values, levelled, 3))) {
      return token(group(values, levelled, 1), "source")
          + "[{"
          + names.unique("level")
          + "}]"
          + group(values, levelled, 3).get(0);
    }
    if (all(values, PORT) && same(group(values, PORT, 3))) {
      String name = named("address");
      return field(group(values, PORT, 1), name)
          + ":"
          + field(group(values, PORT, 2), name.equals("address") ? "port" : name + "_port")
          + group(values, PORT, 3).get(0);
    }
    if (all(values, MEASURE)
        && same(group(values, MEASURE, 2))
        && same(group(values, MEASURE, 3))) {
      String unit = group(values, MEASURE, 2).get(0);
      return field(group(values, MEASURE, 1), measure(unit))
          + escaped(unit)
          + group(values, MEASURE, 3).get(0);
    }
    Optional<String> mixed = mixed(values, named("word"));
    if (mixed.isPresent()) {
      return mixed.get();
    }
    Pattern numbers = Pattern.compile("(\\d+)([#:])(\\w+)(:?)");
    if (all(values, numbers)
        && same(group(values, numbers, 2))
        && same(group(values, numbers, 4))
        && !names.has("pid")
        && place < 4) {
      boolean whole = wholes(group(values, numbers, 3));
      return field(group(values, numbers, 1), "pid")
          + group(values, numbers, 2).get(0)
          + field(group(values, numbers, 3), whole ? "thread" : "role")
          + group(values, numbers, 4).get(0);
    }
    if (same && isText(first) && !isHost(values, next, place)) {
      return escaped(first);
    }
    if (values.stream().allMatch(v -> UNIT.matcher(v).matches()) && same) {
      return escaped(first);
    }
    return plain(values, next, place);
  }

  private static long count(String word) {
    return ONE.matcher(word).results().count();
  }

  /** Brackets that stand side by side. */
  private String several(List<String> values, List<String> next, int place) {
    List<List<String>> parts = new ArrayList<>();
    for (String value : values) {
      parts.add(ONE.matcher(value).results().map(MatchResult::group).toList());
    }
    StringBuilder text = new StringBuilder();
    for (int i = 0; i < parts.get(0).size(); i++) {
      int at = i;
      text.append(word(parts.stream().map(part -> part.get(at)).toList(), next, place));
    }
    return text + (values.get(0).endsWith(":") ? ":" : "");
  }

  private boolean same(List<String> values) {
    return values.stream().allMatch(values.get(0)::equals);
  }

  private boolean sameKey(List<String> values) {
    return same(values.stream().map(v -> v.substring(0, v.indexOf('='))).toList());
  }

  /** Whether a word is one of the program: letters, and no name of something. */
  private static boolean isText(String word) {
    return word.chars().noneMatch(Character::isDigit)
        && !LOGGER.matcher(word).matches()
        && !METHOD.matcher(word).matches()
        && !word.matches("[AP]M");
  }

  /** A word in front of the program's name is the host. */
  private static boolean isHost(List<String> values, List<String> next, int place) {
    return place > 0
        && place < 4
        && values.stream().allMatch(v -> v.matches("[A-Za-z0-9][\\w.-]*"))
        && next.stream()
            .allMatch(
                v -> Kind.of(v) == Kind.TAG || Kind.of(v) == Kind.COLON || v.startsWith("CEF:"));
  }

  private String timed(List<String> values) {
    String first = values.get(0);
    int mark = first.indexOf(Words.TIME);
    String left = first.substring(0, mark + 1);
    boolean same = values.stream().allMatch(v -> v.startsWith(left));
    List<String> tails =
        same ? values.stream().map(v -> v.substring(mark + 1)).toList() : List.of();
    List<String> times =
        lines.stream().map(l -> time < l.times().size() ? l.times().get(time) : "").toList();
    time++;
    if (!same) {
      return field(values.stream().map(v -> v.replace("" + Words.TIME, "")).toList(), "word");
    }
    String name = timed ? "time_2" : "time";
    timed = true;
    return escaped(first.substring(0, mark))
        + "{"
        + names.unique(name)
        + spec(times)
        + "}"
        + behindTime(tails);
  }

  /** What stands behind a time in the same word. */
  private String behindTime(List<String> tails) {
    String first = tails.get(0);
    if (same(tails)) {
      return escaped(first);
    }
    Pattern inner = Pattern.compile("([^A-Za-z0-9]+)(.*[A-Za-z0-9])([^A-Za-z0-9]*)");
    boolean alike =
        all(tails, inner) && same(group(tails, inner, 1)) && same(group(tails, inner, 3));
    if (!alike) {
      return tails.stream().noneMatch(String::isEmpty)
              && !first.isEmpty()
              && tails.stream()
                  .allMatch(
                      v ->
                          v.charAt(0) == first.charAt(0)
                              && !Character.isLetterOrDigit(first.charAt(0)))
          ? escaped(first.substring(0, 1)) + "{" + names.unique("word") + "}"
          : "";
    }
    List<String> cores = group(tails, inner, 2);
    Pattern levelled = Pattern.compile("(\\w+)/(\\S+)");
    boolean level =
        all(cores, levelled)
            && group(cores, levelled, 1).stream().allMatch(v -> Kind.of(v) == Kind.LEVEL);
    String text =
        level
            ? "{" + names.unique("level") + "}/" + field(group(cores, levelled, 2), "thread")
            : field(cores, wholes(cores) && !names.has("pid") ? "pid" : "word");
    return escaped(group(tails, inner, 1).get(0)) + text + escaped(group(tails, inner, 3).get(0));
  }

  private String spec(List<String> times) {
    for (TimeForm form : forms) {
      if (times.stream().allMatch(t -> form.compiled().matcher(t).matches())) {
        Optional<TimeForm.Reading> reading = form.read(times);
        reading.filter(r -> !r.others().isEmpty()).ifPresent(readings::add);
        return reading.map(r -> ":" + r.spec()).orElse("");
      }
    }
    return "";
  }

  /** What stands before the request of an access log. */
  private String client(List<String> values, int place) {
    String first = values.get(0);
    if (timeIsNext && place > 1) {
      return optional("user", values);
    }
    String name =
        switch (place) {
          case 0 -> all(values, Kind.ADDRESSES) || !hosted() ? "client" : "host";
          case 1 -> hosted() ? "client" : "ident";
          default -> first.equals("-") ? "ident" : "user";
        };
    return optional(name, values);
  }

  /** Whether the name of a host stands in front of the client. */
  private boolean hosted() {
    return lines.get(0).words().size() > 4
        && lines.stream().allMatch(l -> Words.hasTime(l.words().get(4)))
        && lines.stream().allMatch(l -> Kind.ADDRESSES.matcher(l.words().get(1)).matches());
  }

  private String optional(String name, List<String> values) {
    boolean nil = values.stream().anyMatch("-"::equals) || name.equals("ident");
    return "{" + names.unique(name) + (nil || name.equals("user") ? "?" : "") + "}";
  }

  private String accessText() {
    texts++;
    return switch (texts) {
      case 1 -> afterRequest ? "referer" : "request";
      case 2 -> afterRequest && texts == 2 && !names.has("referer") ? "referer" : "agent";
      case 3 -> names.has("agent") ? "forwarded" : "agent";
      default -> "text";
    };
  }

  private String number(List<String> values) {
    boolean status = values.stream().allMatch(v -> v.matches("[1-5]\\d\\d|-"));
    String name =
        status && !names.has("status")
            ? "status"
            : !names.has("bytes")
                ? "bytes"
                : values.stream().anyMatch(v -> v.contains(".")) ? "duration_s" : "number";
    String type =
        values.stream().anyMatch(v -> v.contains(".")) ? "double" : status ? "int" : "long";
    return "{" + names.unique(name) + "?:" + type + "}";
  }

  private String pair(List<String> values) {
    String key = values.get(0).substring(0, values.get(0).indexOf('='));
    List<String> inner = values.stream().map(v -> v.substring(key.length() + 1)).toList();
    if (all(inner, QUOTED)) {
      return key + "=\"" + field(group(inner, QUOTED, 1), key) + "\"";
    }
    int tail = common(inner, ",;");
    List<String> cores = inner.stream().map(v -> v.substring(0, v.length() - tail)).toList();
    String end = inner.get(0).substring(inner.get(0).length() - tail);
    if (all(cores, MEASURE) && same(group(cores, MEASURE, 2))) {
      String unit = group(cores, MEASURE, 2).get(0);
      return key + "=" + field(group(cores, MEASURE, 1), unitName(key, unit)) + escaped(unit) + end;
    }
    return key + "=" + mixed(cores, key).orElseGet(() -> field(cores, key)) + end;
  }

  /** Numbers with units that are not all the same: durations in seconds, sizes in bytes. */
  private Optional<String> mixed(List<String> values, String name) {
    for (Measure measure : Measure.values()) {
      if (all(values, measure.pattern) && same(group(values, measure.pattern, 2))) {
        String known = name.equals("word") ? measure.name().toLowerCase(Locale.ROOT) : name;
        String unique = names.unique(unitName(known, measure.unit));
        return Optional.of(
            "{" + unique + measure.spec + "}" + group(values, measure.pattern, 2).get(0));
      }
    }
    return Optional.empty();
  }

  /** What numbers with units measure. */
  private enum Measure {
    DURATION("((?:\\d+(?:\\.\\d+)?(?:ns|us|\u00b5s|ms|s|m|h))+)", "s", ":double 'duration'"),
    SIZE("(\\d+(?:\\.\\d+)?(?:[kKMGT]i?[bB]|[bB]|bytes))", "bytes", ":long 'size'");

    private final Pattern pattern;
    private final String unit;
    private final String spec;

    Measure(String regex, String unit, String spec) {
      this.pattern = Pattern.compile(regex + "([,;:.)]*)");
      this.unit = unit;
      this.spec = spec;
    }
  }

  private String bracket(List<String> values, int place) {
    Pattern whole = Pattern.compile("\\[([^\\[\\]]*)\\]([:,]?)");
    if (!all(values, whole) || !same(group(values, whole, 2))) {
      return field(values, "word");
    }
    List<String> inner = group(values, whole, 1);
    return "[" + inBrackets(inner, place) + "]" + group(values, whole, 2).get(0);
  }

  private String inBrackets(List<String> inner, int place) {
    List<String> trimmed = inner.stream().map(String::strip).toList();
    if (trimmed.stream().allMatch(v -> Kind.of(v) == Kind.LEVEL) && !names.has("level")) {
      return "{" + names.unique("level") + "}";
    }
    Pattern keyed = Pattern.compile("(pid|tid|client|server|remote) ([^\\s:]+)(?::(\\w+) (\\d+))?");
    if (all(inner, keyed) && same(group(inner, keyed, 1)) && same3(inner, keyed)) {
      return keyed(inner, keyed);
    }
    Pattern client = Pattern.compile("(client|remote) (.+):(\\d+)");
    if (all(inner, client) && same(group(inner, client, 1))) {
      // An address of the newer kind has colons itself.
      return group(inner, client, 1).get(0) + " {" + names.unique("client") + "}";
    }
    Pattern module = Pattern.compile("([\\w-]*):(\\w+)");
    if (all(inner, module)
        && group(inner, module, 2).stream().allMatch(v -> Kind.of(v) == Kind.LEVEL)) {
      return "{" + names.unique("module") + "?}:{" + names.unique("level") + "}";
    }
    String name;
    if (all(trimmed, Kind.ADDRESSES)) {
      name = "client";
    } else if (trimmed.stream().allMatch(v -> v.matches("\\d{1,7}"))) {
      name = names.has("pid") ? "thread" : "pid";
    } else if (trimmed.stream().allMatch(v -> v.matches("\\d+\\.\\d+")) && place < 4) {
      name = "uptime_s";
    } else if (all(trimmed, LOGGER)
        && trimmed.stream().noneMatch(v -> THREAD.matcher(v).matches())) {
      name = "logger";
    } else if (trimmed.stream().anyMatch(v -> THREAD.matcher(v).matches())) {
      name = "thread";
    } else if (all(trimmed, Pattern.compile("[0-9a-fA-F-]{8,}"))) {
      name = "id";
    } else {
      name = place < 6 ? "thread" : "word";
    }
    boolean nil = inner.stream().anyMatch(v -> v.isEmpty() || v.equals("-"));
    boolean padded = !inner.equals(trimmed);
    if (padded && !name.equals("uptime_s") && !name.equals("pid")) {
      return "{" + names.unique(name) + "}";
    }
    if (padded) {
      return inner.stream().allMatch(v -> v.startsWith(" "))
          ? " " + field(trimmed, name)
          : "{" + names.unique(name) + "}";
    }
    return nil ? "{" + names.unique(name) + "?}" : field(inner, name);
  }

  private boolean same3(List<String> inner, Pattern keyed) {
    List<String> third = new ArrayList<>();
    for (String each : inner) {
      Matcher matcher = keyed.matcher(each);
      third.add(matcher.matches() ? String.valueOf(matcher.group(3)) : "");
    }
    return same(third);
  }

  private String keyed(List<String> inner, Pattern keyed) {
    Matcher matcher = keyed.matcher(inner.get(0));
    String key = group(inner, keyed, 1).get(0);
    String text = key + " " + field(group(inner, keyed, 2), key);
    if (matcher.matches() && matcher.group(3) != null) {
      text += ":" + matcher.group(3) + " " + field(group(inner, keyed, 4), matcher.group(3));
    }
    return text;
  }

  private String level(List<String> values) {
    int head = values.get(0).length() - values.get(0).replaceFirst("^[\\[(<]", "").length();
    String bare = values.get(0).substring(head);
    String tail = bare.replaceFirst("^[A-Za-z0-9]+", "");
    boolean alike =
        values.stream()
            .allMatch(
                v ->
                    v.length() > head + tail.length()
                        && v.substring(0, head).equals(values.get(0).substring(0, head))
                        && v.endsWith(tail));
    boolean bracketed = head > 0 && !tail.isEmpty();
    String name = "{" + names.unique("level") + (bracketed || whole ? "}" : ":" + LEVEL + "}");
    return alike ? values.get(0).substring(0, head) + name + tail : name;
  }

  private String plain(List<String> values, List<String> next, int place) {
    String opening = "(<'\"";
    int head = commonHead(values, opening);
    int tail = common(values, "])>'\",:;");
    List<String> cores =
        values.stream()
            .map(v -> v.substring(Math.min(head, v.length()), Math.max(head, v.length() - tail)))
            .toList();
    String first = values.get(0);
    String left = escaped(first.substring(0, head));
    String right = escaped(first.substring(first.length() - tail));
    if (same(cores) && isText(cores.get(0)) && !isHost(values, next, place)) {
      boolean tag = place > 0 && timed && texts == 0 && right.startsWith(":");
      if (!tag) {
        return escaped(first);
      }
    }
    return left + core(cores, next, place, right) + right;
  }

  private String core(List<String> cores, List<String> next, int place, String right) {
    if (all(cores, Kind.ADDRESSES)) {
      return field(cores, named(place == 0 ? "client" : "address"));
    }
    if (all(cores, CLOCK)) {
      return field(cores, "clock");
    }
    if (all(cores, UUID)) {
      return field(cores, named("id"));
    }
    boolean numbers = cores.stream().allMatch(v -> v.matches("[-+]?\\d+(\\.\\d+)?"));
    boolean unit = next.stream().allMatch(v -> UNIT.matcher(v).matches()) && same(next) && numbers;
    if (unit) {
      return field(cores, measure(next.get(0).replaceAll("[,;:.)]+$", "")));
    }
    if (numbers && timed && place < 5 && !names.has("pid") && wholes(cores)) {
      boolean head = Kind.of(before) == Kind.LEVEL || Words.hasTime(before);
      return field(cores, head ? "pid" : named("number"));
    }
    if (isHost(cores, next, place)) {
      return token(cores, "host");
    }
    if (right.startsWith(":")
        && place > 0
        && timed
        && !names.has("process")
        && !names.has("logger")) {
      return token(
          cores, all(cores, LOGGER) ? "logger" : all(cores, SOURCE) ? "source" : "process");
    }
    if (all(cores, LOGGER) && cores.stream().noneMatch(v -> v.matches(".*\\d.*")) && place < 7) {
      return field(cores, named("logger"));
    }
    if (all(cores, SOURCE)) {
      return field(cores, "source");
    }
    if (all(cores, METHOD)) {
      return field(cores, "method");
    }
    if (cores.stream().allMatch(v -> v.startsWith("/"))) {
      return field(cores, named("path"));
    }
    return parts(cores);
  }

  private static boolean wholes(List<String> values) {
    return values.stream().allMatch(v -> v.matches("\\d{1,9}"));
  }

  /** A word, or its parts between slashes if all have as many. */
  private String parts(List<String> values) {
    int slashes = slashes(values.get(0));
    boolean same = slashes > 0 && slashes <= 3;
    if (!same || values.stream().anyMatch(v -> slashes(v) != slashes || v.startsWith("/"))) {
      return field(values, named(isEvent(values) ? "event" : "word"));
    }
    StringBuilder text = new StringBuilder();
    for (int part = 0; part <= slashes; part++) {
      int at = part;
      List<String> each = values.stream().map(v -> v.split("/", -1)[at]).toList();
      text.append(part == 0 ? "" : "/").append(field(each, "word"));
    }
    return text.toString();
  }

  /** Right behind the time or a level one of a few words tells what has happened. */
  private boolean isEvent(List<String> values) {
    boolean first = Words.hasTime(before) || Kind.of(before) == Kind.LEVEL;
    return first
        && timed
        && values.stream().allMatch(v -> v.matches("[a-zA-Z][\\w-]*"))
        && values.stream().distinct().limit(21).count() <= 20;
  }

  private static int slashes(String text) {
    return (int) text.chars().filter(c -> c == '/').count();
  }

  /** A name by the word before, if that is one that can be a name. */
  private String named(String otherwise) {
    String word = before.replaceAll("[.,:;=()#]+$", "");
    boolean plain =
        PLAIN.matcher(before.replaceAll("[=#]$", "")).matches()
            && word.length() > 2
            && !NO_NAMES.contains(word.toLowerCase(Locale.ROOT))
            && Kind.of(before) != Kind.LEVEL
            && !METHOD.matcher(word).matches();
    boolean weak = List.of("word", "number", "note", "address", "id").contains(otherwise);
    return plain && weak && (before.equals(word) || before.endsWith(":") || before.endsWith("="))
        ? word
        : otherwise;
  }

  private String measure(String unit) {
    String name = named("word");
    return unitName(name.equals("word") ? unitKind(unit) : name, unit);
  }

  private static String unitKind(String unit) {
    return unit.matches("%|percent")
        ? "share"
        : unit.matches("[kKMGT]?i?[bB]|bytes") ? "size" : "duration";
  }

  /** A name with the unit in it. */
  private static String unitName(String name, String unit) {
    String suffix =
        switch (unit) {
          case "%", "percent" -> "percent";
          case "sec", "secs", "seconds" -> "s";
          case "milliseconds" -> "ms";
          case "µs" -> "us";
          case "b", "B", "bytes" -> "bytes";
          case "m", "min", "minutes" -> "min";
          case "hours" -> "h";
          default -> unit.toLowerCase(Locale.ROOT);
        };
    return name.toLowerCase(Locale.ROOT).endsWith("_" + suffix) || name.equals(suffix)
        ? name
        : name + "_" + suffix;
  }

  private int commonHead(List<String> values, String punctuation) {
    String first = values.get(0);
    int length = 0;
    while (length < first.length() - 1 && punctuation.indexOf(first.charAt(length)) >= 0) {
      int at = length;
      if (!values.stream().allMatch(v -> v.length() > at + 1 && v.charAt(at) == first.charAt(at))) {
        break;
      }
      length++;
    }
    return length;
  }

  /** How many characters at the end are the same punctuation in all values. */
  private static int common(List<String> values, String punctuation) {
    String first = values.get(0);
    int length = 0;
    while (length < first.length() - 1) {
      int at = length;
      char c = first.charAt(first.length() - 1 - at);
      boolean all =
          punctuation.indexOf(c) >= 0
              && values.stream()
                  .allMatch(v -> v.length() > at + 1 && v.charAt(v.length() - 1 - at) == c);
      if (!all) {
        break;
      }
      length++;
    }
    return length;
  }

  static String escaped(String text) {
    return text.replace("{", "{{").replace("}", "}}").replace("" + Words.TIME, "{}");
  }

  private String token(List<String> values, String name) {
    return "{" + names.unique(name) + ":" + TOKEN + "}";
  }

  private String field(List<String> values, String hint) {
    Guess guess = new Guess();
    values.forEach(guess::add);
    String name = names.unique(hint.replace("" + Words.TIME, ""));
    String spec = guess.look(hint, "", true).spec();
    if (spec.equals("text")) {
      return "{" + name + "}";
    }
    return spec.startsWith("text?") ? "{" + name + "?}" : "{" + name + ":" + spec + "}";
  }
}

package io.wexrun.core.look;

import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import java.util.stream.Collectors;

/**
 * Events of which some have several lines, such as an error with its stack trace: each begins with
 * a time, and the lines that do not belong to the event before.
 *
 * @param begins what the first line of an event begins with, an RE2 pattern
 * @param events each with all its lines
 */
record Events(String begins, List<String> events) {
  /** What lines look like that belong to one before. */
  private static final Pattern FURTHER =
      Pattern.compile(
          "\\s.*|Caused by: .*|Traceback .*|[\\w.$]+(?:Exception|Error|Warning)\\b.*|\\.{3}.*"
              + "|[})\\]].*|at .*|#\\d+ .*|-{3,}.*|={3,}.*|>.*|");

  private static final String BETWEEN = " " + Words.NEWLINE + " ";

  /** A part of the lines that must be so. */
  private static final double MANY = 0.5;

  private static final double MOST = 0.6;

  /** The events of lines; empty if each line seems to be a record of its own. */
  static Optional<Events> of(List<String> lines) {
    List<TimeForm> forms = LineTemplates.forms(LineTemplates.some(lines));
    for (TimeForm form : forms) {
      Optional<Events> events = of(lines, form);
      if (events.isPresent()) {
        return events;
      }
    }
    return Optional.empty();
  }

  private static Optional<Events> of(List<String> lines, TimeForm form) {
    // In front of the time there may be a bracket, or a letter that tells the level.
    Pattern begin = Pattern.compile("([\\[(<#]{0,2}|[IWEFDVT]|[^\\d]{2,30} )" + form.pattern());
    String before = null;
    boolean mixed = false;
    Matcher whole = begin.matcher(lines.get(0));
    String words = whole.lookingAt() && whole.group(1).length() > 2 ? whole.group(1) : "";
    List<StringBuilder> events = new ArrayList<>();
    long further = 0;
    long alike = 0;
    long first = 0;
    for (String line : lines) {
      Matcher matcher = begin.matcher(line);
      if (matcher.lookingAt() && isBegin(matcher.group(1), words)) {
        first++;
        String front = matcher.group(1);
        mixed |= before != null && !before.equals(front);
        before = front;
        events.add(new StringBuilder(line));
      } else if (events.isEmpty()) {
        events.add(new StringBuilder(line));
      } else {
        further++;
        alike += FURTHER.matcher(line).matches() ? 1 : 0;
        events.get(events.size() - 1).append('\n').append(line);
      }
    }
    boolean some = further > 0 && first > 1 && first >= lines.size() * 0.02;
    boolean named = !words.isEmpty() && first > 2;
    if (!some || !named && alike < further * MANY && first < lines.size() * MOST) {
      return Optional.empty();
    }
    String front = mixed ? "[\\[(<IWEFDVT]?" : before.replaceAll("([\\[(])", "\\\\$1");
    return Optional.of(
        new Events(
            front + re2(form.pattern()), events.stream().map(StringBuilder::toString).toList()));
  }

  /** Whether what stands before a time is what stands before the first one, if that is a word. */
  private static boolean isBegin(String front, String words) {
    return words.isEmpty() ? front.length() <= 2 : front.equals(words);
  }

  /** The pattern without what RE2 does not know. */
  private static String re2(String pattern) {
    return pattern.replaceAll("\\(\\?[!=][^)]*\\)", "");
  }

  /** The first two lines of each event, with a mark between them. */
  List<String> firstLines() {
    return events.stream()
        .map(event -> event.lines().limit(2).collect(Collectors.joining(BETWEEN)))
        .toList();
  }
}

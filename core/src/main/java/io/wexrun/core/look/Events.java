package io.wexrun.core.look;

import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import java.util.stream.IntStream;

/**
 * Events of which some have several lines, such as an error with its stack trace: each begins with
 * a time, and the lines that do not belong to the event before.
 *
 * @param begins what the first line of an event begins with, an RE2 pattern
 * @param events each with all its lines
 */
record Events(String begins, List<String> events) {
  /** What times look like with which lines begin. */
  private static final List<String> TIMES =
      List.of(
          "\\[?\\d{4}-\\d\\d-\\d\\d[ T]\\d\\d:",
          "\\[?\\d{4}/\\d\\d/\\d\\d \\d\\d:",
          "\\[?\\d\\d[./]\\d\\d[./]\\d{4} \\d\\d:",
          "\\[?[A-Z][a-z]{2} [ \\d]\\d \\d\\d:");

  /** What lines look like that belong to one before. */
  private static final Pattern FURTHER =
      Pattern.compile("\\s.*|Caused by: .*|[\\w.$]+(?:Exception|Error)\\b.*|\\.{3}.*|[})\\]].*");

  private static final Pattern TIME_FIELD = Pattern.compile("(\\W*\\{time[^}]*\\}\\]?)(.*)");
  private static final Pattern LEVEL =
      Pattern.compile("(?:TRACE|DEBUG|INFO|NOTICE|WARN|WARNING|ERROR|FATAL|SEVERE) +\\S.*");

  /** A time has no more words than that, as in {@code May 3 03:00:44}. */
  private static final int MOST_WORDS = 3;

  /** A part of the lines that must be so: most. */
  private static final double MOST = 0.8;

  /** The events of lines; empty if each line seems to be a record of its own. */
  static Optional<Events> of(List<String> lines) {
    for (String time : TIMES) {
      Pattern begin = Pattern.compile(time);
      if (lines.isEmpty() || !begin.matcher(lines.get(0)).lookingAt()) {
        continue;
      }
      List<String> events = new ArrayList<>();
      long further = 0;
      long alike = 0;
      for (String line : lines) {
        if (begin.matcher(line).lookingAt()) {
          events.add(line);
        } else {
          further++;
          alike += FURTHER.matcher(line).matches() ? 1 : 0;
          events.add(events.remove(events.size() - 1) + "\n" + line);
        }
      }
      if (further > 0 && events.size() > 1 && alike >= further * MOST) {
        return Optional.of(new Events(time, events));
      }
    }
    return Optional.empty();
  }

  /** The first line of each event. */
  List<String> firstLines() {
    return events.stream().map(event -> event.lines().findFirst().orElse("")).toList();
  }

  /**
   * A template that takes every event: its time, its level if it has one, and all the rest.
   *
   * @param templates those that were found for the first lines
   * @return empty if none of them begins with a time
   */
  Optional<String> template(List<String> templates) {
    for (String template : templates) {
      Matcher time = TIME_FIELD.matcher(template);
      if (time.matches()) {
        boolean level = IntStream.rangeClosed(1, MOST_WORDS).anyMatch(this::haveLevelBehind);
        return Optional.of(time.group(1) + (level ? " {level}" : "") + " {message}");
      }
    }
    return Optional.empty();
  }

  /** Whether nearly all events have a level behind so many words, which are their time. */
  private boolean haveLevelBehind(int words) {
    long levels =
        firstLines().stream().filter(line -> LEVEL.matcher(behind(line, words)).matches()).count();
    return levels >= events.size() * MOST;
  }

  private static String behind(String line, int words) {
    String rest = line;
    for (int word = 0; word < words; word++) {
      rest = rest.substring(Math.max(0, rest.indexOf(' '))).stripLeading();
    }
    return rest;
  }
}

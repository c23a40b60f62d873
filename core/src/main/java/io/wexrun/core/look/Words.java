package io.wexrun.core.look;

import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/**
 * The words of a line. A time is one word, or a part of one, in which {@link #TIME} stands for it;
 * what stands in quotes or brackets is one word.
 *
 * @param words in order
 * @param times the times that the marks stand for, in order
 */
record Words(List<String> words, List<String> times) {
  /** Stands for the time of an event. */
  static final char TIME = '\uE000';

  /** A word of its own where a line ends and the next one of an event begins. */
  static final String NEWLINE = "\uE001";

  /** No more times of a line are marked. */
  private static final int MOST_TIMES = 2;

  /** A time stands not further on in a line. */
  private static final int REACH = 200;

  private static final int MOST_IN_BRACKETS = 6;

  private static final Pattern WORD =
      Pattern.compile("(?:[^\\s\"]|\"(?:[^\"\\\\]|\\\\.)*\"(?!\\w))+|\\S+");

  /** Splits a line whose times are of some forms. */
  static Words of(String line, List<TimeForm> forms) {
    List<String> times = new ArrayList<>();
    StringBuilder marked = new StringBuilder();
    int at = 0;
    while (times.size() < MOST_TIMES) {
      int[] next = null;
      for (TimeForm form : forms) {
        Optional<int[]> found = form.find(line, at, REACH);
        if (found.isPresent() && (next == null || found.get()[0] < next[0])) {
          next = found.get();
        }
      }
      if (next == null) {
        break;
      }
      marked.append(line, at, next[0]).append(TIME);
      times.add(line.substring(next[0], next[1]));
      at = next[1];
    }
    marked.append(line.substring(at));
    return new Words(split(marked.toString()), times);
  }

  private static List<String> split(String line) {
    List<String> words = new ArrayList<>();
    Matcher matcher = WORD.matcher(line);
    while (matcher.find()) {
      words.add(matcher.group());
    }
    return bracketed(words);
  }

  /** Words in brackets are one. */
  private static List<String> bracketed(List<String> words) {
    List<String> joined = new ArrayList<>();
    for (int i = 0; i < words.size(); i++) {
      String word = words.get(i);
      if (word.startsWith("[") && isOpen(word)) {
        for (int end = i + 1; end < Math.min(words.size(), i + MOST_IN_BRACKETS); end++) {
          String whole = String.join(" ", words.subList(i, end + 1));
          if (!isOpen(whole)) {
            word = whole;
            i = end;
            break;
          }
        }
      }
      joined.add(word);
    }
    return joined;
  }

  private static boolean isOpen(String word) {
    return word.chars().filter(c -> c == '[').count() > word.chars().filter(c -> c == ']').count();
  }

  /** Whether a word is or has a time. */
  static boolean hasTime(String word) {
    return word.indexOf(TIME) >= 0;
  }
}

package io.wexrun.core.look;

import java.util.ArrayList;
import java.util.Collections;
import java.util.EnumMap;
import java.util.IdentityHashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.stream.Collectors;

/**
 * Finds what lines of free text begin with: times, levels, hosts, programs. Lines that begin with
 * words of the same kinds are of one head; there may be several in a log.
 */
final class Heads {
  /**
   * Lines of the same head.
   *
   * @param width how many words it has; the rest is the message
   */
  record Head(List<Words> lines, int width) {}

  private static final int MOST_WORDS = 9;

  /** What is clearly a part of the head gets a head of its own from this share on. */
  private static final double FEW = 0.01;

  /** What need not be a part of it is one if nearly all lines have it. */
  private static final double MOST = 0.9;

  private static final double MANY = 0.8;

  private final List<Head> heads = new ArrayList<>();
  private final int all;

  private Heads(int all) {
    this.all = all;
  }

  /** The heads of lines, those with most words first. */
  static List<Head> of(List<Words> lines) {
    Heads found = new Heads(lines.size());
    found.find(lines, 0);
    found.heads.sort((a, b) -> b.width - a.width);
    return found.heads;
  }

  private void find(List<Words> lines, int width) {
    if (lines.size() < Math.max(1, all * FEW)) {
      return;
    }
    Map<Kind, List<Words>> byKind = new EnumMap<>(Kind.class);
    for (Words line : lines) {
      Kind kind = line.words().size() > width + 1 ? Kind.of(line.words().get(width)) : Kind.OTHER;
      byKind.computeIfAbsent(kind, k -> new ArrayList<>()).add(line);
    }
    Set<Words> taken = Collections.newSetFromMap(new IdentityHashMap<>());
    if (width < MOST_WORDS) {
      for (Kind kind : List.of(Kind.TIME, Kind.LEVEL, Kind.BRACKET)) {
        List<Words> some = byKind.getOrDefault(kind, List.of());
        if (some.size() >= Math.max(1, lines.size() * FEW) && isHead(kind, some, lines, width)) {
          taken.addAll(some);
          // Around a time there may be a letter that tells the level.
          some.stream()
              .collect(
                  Collectors.groupingBy(
                      l -> around(kind, l.words().get(width)),
                      LinkedHashMap::new,
                      Collectors.toList()))
              .values()
              .forEach(alike -> find(alike, width + 1));
        }
      }
      beforeTime(lines, width, taken);
      if (taken.size() < lines.size() * MOST) {
        doubtful(byKind, lines, width, taken);
      }
    }
    List<Words> rest = lines.stream().filter(line -> !taken.contains(line)).toList();
    if (rest.size() >= Math.max(1, all * FEW) && width > 0) {
      heads.add(new Head(rest, width));
    }
  }

  /** What is a part of the head only if nearly all lines have it. */
  private void doubtful(
      Map<Kind, List<Words>> byKind, List<Words> lines, int width, Set<Words> taken) {
    if (lines.stream().noneMatch(line -> line.words().subList(0, width).contains(Words.NEWLINE))) {
      tags(byKind, lines, width, taken);
    }
    if (!taken.isEmpty()) {
      return;
    }
    for (Kind kind : List.of(Kind.NUMBER, Kind.ADDRESS, Kind.LOGGER, Kind.SEPARATOR)) {
      List<Words> some = byKind.getOrDefault(kind, List.of());
      boolean same = kind != Kind.SEPARATOR || distinct(some, width) == 1;
      if (width > 0 && same && some.size() >= lines.size() * MOST) {
        taken.addAll(some);
        find(some, width + 1);
      }
    }
    hosts(byKind.getOrDefault(Kind.WORD, List.of()), lines, width, taken);
  }

  /** What stands around what tells something. */
  private static String around(Kind kind, String word) {
    return switch (kind) {
      case TIME ->
          word.substring(0, word.indexOf(Words.TIME) + 1)
              + word.substring(word.indexOf(Words.TIME) + 1).replaceAll("[A-Za-z0-9-]+", "x");
      case LEVEL -> word.replaceAll("[A-Za-z0-9]+", "x");
      default -> "";
    };
  }

  /** Something in brackets, or a level, may also be a part of the message. */
  private boolean isHead(Kind kind, List<Words> some, List<Words> lines, int width) {
    if (kind == Kind.TIME) {
      return true;
    }
    boolean most = some.size() >= lines.size() * 0.5;
    return kind == Kind.LEVEL ? most || some.size() >= lines.size() * 0.1 : most;
  }

  private void tags(Map<Kind, List<Words>> byKind, List<Words> lines, int width, Set<Words> taken) {
    List<Words> tags = byKind.getOrDefault(Kind.TAG, List.of());
    List<Words> colons = byKind.getOrDefault(Kind.COLON, List.of());
    int both = tags.size() + colons.size();
    boolean few = distinct(colons, width) <= Math.max(8, lines.size() * 0.3);
    if (width == 0 || both < lines.size() * MANY || !few && tags.isEmpty()) {
      return;
    }
    for (List<Words> some : List.of(tags, colons)) {
      if (some.size() >= Math.max(1, all * FEW)) {
        taken.addAll(some);
        find(some, width + 1, true);
      }
    }
  }

  /** Behind a program's name stands its message. */
  private void find(List<Words> lines, int width, boolean ends) {
    if (!ends) {
      find(lines, width);
      return;
    }
    long levels =
        lines.stream()
            .filter(l -> l.words().size() > width + 1)
            .filter(l -> Kind.of(l.words().get(width)) == Kind.LEVEL)
            .count();
    if (levels >= lines.size() * MOST) {
      find(lines, width);
    } else {
      heads.add(new Head(lines, width));
    }
  }

  /** Whatever stands right in front of a time is a part of the head. */
  private void beforeTime(List<Words> lines, int width, Set<Words> taken) {
    List<Words> some =
        lines.stream()
            .filter(line -> !taken.contains(line) && line.words().size() > width + 2)
            .filter(
                line ->
                    Words.hasTime(line.words().get(width + 1))
                        || line.words().size() > width + 3
                            && Words.hasTime(line.words().get(width + 2)))
            .toList();
    boolean next = some.stream().allMatch(line -> Words.hasTime(line.words().get(width + 1)));
    boolean such = next || distinct(some, width) == 1;
    if (some.size() >= lines.size() * MOST && width < 3 && such) {
      taken.addAll(some);
      find(some, width + 1);
    }
  }

  private void hosts(List<Words> words, List<Words> lines, int width, Set<Words> taken) {
    if (width == 0 || words.size() < lines.size() * MOST) {
      return;
    }
    List<Words> longer = words.stream().filter(l -> l.words().size() > width + 2).toList();
    long tagged =
        longer.stream()
            .map(line -> Kind.of(line.words().get(width + 1)))
            .filter(kind -> kind == Kind.TAG || kind == Kind.COLON)
            .count();
    boolean few = distinct(words, width) <= Math.max(5, words.size() * 0.1);
    if (few && tagged >= lines.size() * MANY) {
      taken.addAll(longer);
      find(longer, width + 1);
    }
  }

  private static long distinct(List<Words> lines, int place) {
    return lines.stream().map(line -> line.words().get(place)).distinct().count();
  }
}

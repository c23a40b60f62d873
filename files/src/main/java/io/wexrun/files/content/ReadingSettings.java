package io.wexrun.files.content;

import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.framing.Framings;
import io.wexrun.core.framing.Newline;
import io.wexrun.core.framing.Skipping;
import io.wexrun.core.intake.Framing;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.pipeline.Sizes;
import java.nio.charset.Charset;
import java.nio.file.FileSystems;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.regex.PatternSyntaxException;

/**
 * How settings say that files are read.
 *
 * <pre>{@code
 * framing: see Framings
 * encoding: NAME
 * header: true | {begins: TEXT}
 * skip: {first: LINES, begins: TEXT or [TEXT, ...], matches: PATTERN}
 * members: PATTERN or [PATTERN, ...]
 * line-numbers: true
 * last-line: wait | take | TIME
 * }</pre>
 */
public final class ReadingSettings {
  public static final String LAST_LINE = "last-line";
  public static final String HEADER = "header";
  public static final String FRAMING = "framing";
  private static final String SKIP = "skip";
  private static final String ENCODING = "encoding";
  private static final String MEMBERS = "members";
  private static final String LINE_NUMBERS = "line-numbers";
  private static final String FIRST = "first";
  private static final String BEGINS = "begins";
  private static final String MATCHES = "matches";

  /** The keys of everything but {@code last-line}. */
  public static final List<String> KEYS =
      List.of(FRAMING, ENCODING, HEADER, SKIP, MEMBERS, LINE_NUMBERS, "longest", "blank");

  private static final int MOST_SKIPPED = 1000;

  private final Settings settings;
  private final List<Mistake> mistakes = new ArrayList<>();

  private ReadingSettings(Settings settings) {
    this.settings = settings;
  }

  /**
   * What is wrong with a setting.
   *
   * @param hint what to do; empty for nothing in particular
   */
  private record Mistake(String key, String message, String hint) {}

  /** How files are read, of settings that were checked. */
  public static Reading read(Settings settings) {
    return new ReadingSettings(settings).reading();
  }

  /** Checks how files are read. */
  public static Reading check(Settings settings, KeyPath path, Diagnostics diagnostics) {
    ReadingSettings read = new ReadingSettings(settings);
    Reading reading = read.reading();
    for (Mistake mistake : read.mistakes) {
      diagnostics.error(
          "bad-value",
          path.key(mistake.key()),
          mistake.message(),
          Optional.of(mistake.hint()).filter(hint -> !hint.isEmpty()));
    }
    return reading;
  }

  private void wrong(String key, String message, String hint) {
    mistakes.add(new Mistake(key, message, hint));
  }

  private Reading reading() {
    Framing framing = framing();
    boolean text = Framings.ofLines(framing);
    Optional<Charset> charset = charset();
    Map<?, ?> skip = skip();
    int skipped = skipped(skip);
    List<String> comments = Patterns.texts(skip.get(BEGINS));
    String footer = skip.get(MATCHES) == null ? "" : String.valueOf(skip.get(MATCHES));
    try {
      Skipping.of(comments, footer, framing);
    } catch (IllegalArgumentException e) {
      wrong(SKIP, e.getMessage(), "");
    }
    Head head = head(skipped, framing);
    if (!text) {
      for (String key : List.of(HEADER, SKIP, ENCODING, LINE_NUMBERS)) {
        if (settings.values().containsKey(key) && !settings.text(key).orElse("").equals("false")) {
          wrong(
              key,
              "only lines have this, not records of this framing",
              "remove it, or the framing");
        }
      }
    }
    List<String> members = members();
    return new Reading(
        lastLine(),
        framing,
        head,
        comments,
        footer,
        charset,
        new Unpacking(text, members),
        word(LINE_NUMBERS));
  }

  private Framing framing() {
    try {
      return Framings.read(settings.values().get(FRAMING));
    } catch (IllegalArgumentException e) {
      wrong(FRAMING, e.getMessage(), "");
      return Reading.LINES.framing();
    }
  }

  private Optional<Charset> charset() {
    Optional<String> name = settings.text(ENCODING);
    if (name.isEmpty()) {
      return Optional.empty();
    }
    try {
      Charset charset = Charset.forName(name.get().strip());
      Newline.of(charset);
      return Optional.of(charset);
    } catch (IllegalArgumentException e) {
      boolean known = name.get().matches("[\\w.:+-]+") && Charset.isSupported(name.get());
      wrong(
          ENCODING,
          known
              ? "'" + name.get() + "' cannot be read: " + e.getMessage()
              : "there is no encoding '" + name.get() + "'",
          "such as UTF-16, ISO-8859-1, windows-1252 or Shift_JIS");
      return Optional.empty();
    }
  }

  private Map<?, ?> skip() {
    Object value = settings.values().get(SKIP);
    if (value == null) {
      return Map.of();
    }
    List<String> keys = List.of(FIRST, BEGINS, MATCHES);
    if (value instanceof Map<?, ?> map && map.keySet().stream().allMatch(keys::contains)) {
      return map;
    }
    wrong(SKIP, "it is not a map of " + String.join(", ", keys), "such as skip: {begins: '#'}");
    return Map.of();
  }

  private int skipped(Map<?, ?> skip) {
    Object first = skip.get(FIRST);
    if (first == null) {
      return 0;
    }
    if (first instanceof Long lines && lines >= 0 && lines <= MOST_SKIPPED) {
      return lines.intValue();
    }
    wrong(SKIP, "'first: " + first + "' is not a number of lines, from 0 to " + MOST_SKIPPED, "");
    return 0;
  }

  private Head head(int skipped, Framing framing) {
    Object header = settings.values().get(HEADER);
    if (header instanceof Map<?, ?> map) {
      Object begins = map.get(BEGINS);
      if (map.size() == 1 && begins != null && !String.valueOf(begins).isEmpty()) {
        if (Framings.ofGroups(framing)) {
          wrong(HEADER, "records of several lines have no header", "remove it, or the framing");
        }
        return new Head(skipped, false, String.valueOf(begins));
      }
      wrong(
          HEADER, "it is neither true nor {begins: TEXT}", "such as header: {begins: '#Fields:'}");
      return new Head(skipped, false, "");
    }
    return new Head(skipped, word(HEADER), "");
  }

  private List<String> members() {
    List<String> members = Patterns.texts(settings.values().get(MEMBERS));
    for (String member : members) {
      try {
        FileSystems.getDefault().getPathMatcher("glob:" + member);
      } catch (PatternSyntaxException e) {
        wrong(MEMBERS, "'" + member + "' is not a pattern: " + e.getDescription(), "");
        return List.of();
      }
    }
    return members;
  }

  private boolean word(String key) {
    String word = settings.text(key).orElse("false");
    if (!word.equals("true") && !word.equals("false")) {
      wrong(key, "'" + word + "' is neither true nor false", "");
    }
    return word.equals("true");
  }

  /** When an unfinished record is taken: never, if it is empty. */
  private Optional<Duration> lastLine() {
    String written = settings.text(LAST_LINE).orElse("wait");
    if (written.equals("wait")) {
      return Optional.empty();
    }
    Optional<Duration> time =
        written.equals("take") ? Optional.of(Duration.ZERO) : Sizes.duration(written);
    if (time.isEmpty()) {
      wrong(
          LAST_LINE,
          "'" + written + "' is neither wait nor take, nor a time",
          "write wait, take, or how long to wait for more, such as 5s");
    }
    return time;
  }
}

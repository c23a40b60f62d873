package io.wexrun.files;

import io.wexrun.core.connect.IntakeConnector;
import io.wexrun.core.connect.IntakeOpening;
import io.wexrun.core.connect.Site;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.framing.Framings;
import io.wexrun.core.intake.Framing;
import io.wexrun.core.intake.Intake;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.pipeline.Sizes;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.util.List;
import java.util.Optional;

/**
 * {@code intake: {files: incoming/*.log, longest: 256KB, last-line: wait}}.
 *
 * <p>{@code last-line} says what becomes of bytes after the last whole record: {@code wait} until
 * it ends, {@code take} them as a record at once, or after a time such as {@code 5s} in which no
 * more came. With {@code header: true} the first record of each file is not a record, but goes with
 * the others as their header. {@code framing} says what ends a record, see {@link Framings}.
 */
public final class FilesConnector implements IntakeConnector {
  private static final String LAST_LINE = "last-line";
  private static final String HEADER = "header";
  private static final String FRAMING = "framing";
  private static final String LINKS = "links";

  @Override
  public String kind() {
    return "files";
  }

  @Override
  public List<String> keys() {
    return List.of("files", Patterns.EXCEPT, "longest", "blank", LAST_LINE, HEADER, FRAMING, LINKS);
  }

  @Override
  public void check(Settings settings, Site site, KeyPath path, Diagnostics diagnostics) {
    if (lastLine(settings).isEmpty()) {
      diagnostics.error(
          "bad-value",
          path.key(LAST_LINE),
          "'" + settings.text(LAST_LINE).orElse("") + "' is neither wait nor take, nor a time",
          Optional.of("write wait, take, or how long to wait for more, such as 5s"));
    }
    checkWord(settings, HEADER, List.of("false", "true"), path, diagnostics);
    Optional<Framing> framing = checkFraming(settings, path, diagnostics);
    checkWord(settings, LINKS, List.of("skip", "follow"), path, diagnostics);
    if (settings.text(HEADER).orElse("").equals("true")
        && framing.isPresent()
        && !Framings.ofLines(framing.get())) {
      diagnostics.error(
          "bad-value",
          path.key(HEADER),
          "only lines have a header",
          Optional.of("remove it, or the framing"));
    }
    Patterns patterns = Patterns.of(site.folder(), settings, followsLinks(settings));
    KeyPath at = path.key(Patterns.FILES);
    if (patterns.wanted().isEmpty()) {
      diagnostics.error(
          "missing-key", at, "no file is named", Optional.of("write a pattern such as in/*.log"));
    }
    int before = diagnostics.errors();
    patterns.wanted().forEach(pattern -> checkThere(pattern, at, diagnostics));
    if (diagnostics.errors() > before || patterns.wanted().isEmpty()) {
      return;
    }
    if (patterns.matches().isEmpty()) {
      String names =
          String.join(" or ", patterns.wanted().stream().map(Pattern::toString).toList());
      boolean any = patterns.wanted().stream().anyMatch(pattern -> !pattern.matches().isEmpty());
      diagnostics.warning(
          "no-file-yet",
          at,
          "no file matches " + names + (any ? " that is not excepted" : " yet"),
          Optional.empty());
    } else if (framing.isPresent() && Framings.ofLines(framing.get())) {
      checkPacked(patterns, at, diagnostics);
    }
  }

  private static void checkThere(Pattern pattern, KeyPath at, Diagnostics diagnostics) {
    if (pattern.plain() && !Files.isRegularFile(pattern.folder())) {
      boolean folder = Files.isDirectory(pattern.folder());
      diagnostics.error(
          "missing-file",
          at,
          folder ? pattern.folder() + " is a folder" : "there is no file " + pattern.folder(),
          Optional.of(
              folder
                  ? "write which files of it, such as " + pattern + "/*.log"
                  : "names start from the workspace's folder; a pattern such as *.log may match"
                      + " files that come later"));
    } else if (!pattern.plain() && !Files.isDirectory(pattern.folder())) {
      diagnostics.error(
          "missing-file",
          at,
          "there is no folder " + pattern.folder(),
          Optional.of("make it, or mend the name; names start from the workspace's folder"));
    }
  }

  private static Optional<Framing> checkFraming(
      Settings settings, KeyPath path, Diagnostics diagnostics) {
    try {
      return Optional.of(Framings.read(settings.values().get(FRAMING)));
    } catch (IllegalArgumentException e) {
      diagnostics.error("bad-value", path.key(FRAMING), e.getMessage(), Optional.empty());
      return Optional.empty();
    }
  }

  /** When an unfinished record is taken: never, if the inner one is empty; empty if it is wrong. */
  private static Optional<Optional<Duration>> lastLine(Settings settings) {
    String written = settings.text(LAST_LINE).orElse("wait");
    return switch (written) {
      case "wait" -> Optional.of(Optional.empty());
      case "take" -> Optional.of(Optional.of(Duration.ZERO));
      default -> Sizes.duration(written).map(Optional::of);
    };
  }

  /** Compressed files are passed over; one that is named by itself is a mistake. */
  private static void checkPacked(Patterns patterns, KeyPath at, Diagnostics diagnostics) {
    for (Path path : patterns.matches()) {
      try {
        Optional<Packed> how = Packed.how(path);
        if (how.isPresent() && !how.get().read()) {
          String message = path.getFileName() + " is compressed (" + how.get() + ")";
          Optional<String> hint = Optional.of("unpack it; such files are not read");
          if (patterns.wanted().stream().allMatch(Pattern::plain)) {
            diagnostics.error("packed-file", at, message, hint);
          } else {
            diagnostics.warning("packed-file", at, message + ", and passed over", hint);
          }
          return;
        }
      } catch (IOException e) {
        diagnostics.error(
            "missing-file", at, "cannot read " + path + ": " + e.getMessage(), Optional.empty());
        return;
      }
    }
  }

  private static void checkWord(
      Settings settings, String key, List<String> words, KeyPath path, Diagnostics diagnostics) {
    String word = settings.text(key).orElse(words.get(0));
    if (!words.contains(word)) {
      diagnostics.error(
          "bad-value",
          path.key(key),
          "'" + word + "' is neither " + String.join(" nor ", words),
          Diagnostics.nearest(word, words));
    }
  }

  private static boolean followsLinks(Settings settings) {
    return settings.text(LINKS).orElse("").equals("follow");
  }

  @Override
  public Intake open(IntakeOpening opening) {
    Settings settings = opening.settings();
    boolean header = settings.text(HEADER).orElse("").equals("true");
    Framing framing = Framings.read(settings.values().get(FRAMING));
    Reading reading = new Reading(lastLine(settings).orElse(Optional.empty()), header, framing);
    return new FilesIntake(
        opening.site().folder(),
        Patterns.of(opening.site().folder(), settings, followsLinks(settings)),
        reading,
        opening.known(),
        opening.notices());
  }
}

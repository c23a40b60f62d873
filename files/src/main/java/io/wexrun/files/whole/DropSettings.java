package io.wexrun.files.whole;

import io.wexrun.core.connect.Site;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.pipeline.Sizes;
import io.wexrun.files.content.Pattern;
import io.wexrun.files.content.Patterns;
import java.nio.file.Path;
import java.time.Duration;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.regex.Matcher;

/**
 * How settings say that files of a drop folder are treated.
 *
 * <pre>{@code
 * complete: TIME | named | {marker: NAME}
 * then: leave | delete | {move: FOLDER} | {rename: NAME}
 * again: warn | take | skip
 * changed: tell | take
 * aside: {dead: SHARE, move: FOLDER}
 * }</pre>
 */
final class DropSettings {
  private static final String COMPLETE = "complete";
  private static final String THEN = "then";
  private static final String AGAIN = "again";
  private static final String CHANGED = "changed";
  private static final String ASIDE = "aside";
  private static final String MOVE = "move";
  private static final String DEAD = "dead";

  static final List<String> KEYS = List.of(COMPLETE, THEN, AGAIN, CHANGED, ASIDE);

  private static final Duration QUIET = Duration.ofSeconds(5);
  private static final java.util.regex.Pattern SHARE =
      java.util.regex.Pattern.compile("(\\d{1,3}(?:\\.\\d+)?)\\s*%");

  private final Settings settings;
  private final KeyPath path;
  private final Diagnostics diagnostics;

  private DropSettings(Settings settings, KeyPath path, Diagnostics diagnostics) {
    this.settings = settings;
    this.path = path;
    this.diagnostics = diagnostics;
  }

  /** What settings say that were checked. */
  static Dropping read(Settings settings) {
    return new DropSettings(settings, KeyPath.ROOT, Diagnostics.of("")).dropping();
  }

  /** Checks settings. */
  static void check(Settings settings, Site site, KeyPath path, Diagnostics diagnostics) {
    DropSettings read = new DropSettings(settings, path, diagnostics);
    Dropping dropping = read.dropping();
    if (dropping.then().what() == Afterwards.What.MOVE) {
      read.checkFolder(site, THEN, dropping.then().to());
    }
    if (dropping.then().what() == Afterwards.What.RENAME) {
      read.checkName(site, dropping.then().to());
    }
    dropping.aside().ifPresent(aside -> read.checkFolder(site, ASIDE, aside.folder()));
  }

  private void wrong(String key, String message, String hint) {
    diagnostics.error(
        "bad-value", path.key(key), message, Optional.of(hint).filter(text -> !text.isEmpty()));
  }

  private Dropping dropping() {
    return new Dropping(
        complete(),
        then(),
        Dropping.Again.valueOf(
            word(AGAIN, List.of("warn", "take", "skip")).toUpperCase(Locale.ROOT)),
        word(CHANGED, List.of("tell", "take")).equals("take"),
        aside(),
        true,
        true);
  }

  private String word(String key, List<String> words) {
    String word = settings.text(key).orElse(words.get(0));
    if (!words.contains(word)) {
      wrong(key, "'" + word + "' is none of " + String.join(", ", words), "");
      return words.get(0);
    }
    return word;
  }

  private Completeness.Rule complete() {
    Object value = settings.values().get(COMPLETE);
    if (value == null) {
      return new Completeness.Rule(Optional.of(QUIET), Optional.empty());
    }
    if (value instanceof Map<?, ?> map) {
      String marker = only(map, "marker");
      if (marker.contains("{name}") || marker.contains("{stem}")) {
        return new Completeness.Rule(Optional.empty(), Optional.of(marker));
      }
    } else if (value.equals("named")) {
      return Completeness.Rule.NAMED;
    } else {
      Optional<Duration> quiet = Sizes.duration(String.valueOf(value));
      if (quiet.isPresent()) {
        return new Completeness.Rule(quiet, Optional.empty());
      }
    }
    wrong(
        COMPLETE,
        "it is not when a file is complete",
        "write a time in which it is not changed, such as 5s; 'named' if it gets its name when it"
            + " is complete; or {marker: '{name}.done'}");
    return Completeness.Rule.NAMED;
  }

  /** The text of the only entry of a map; empty if it is not that one. */
  private static String only(Map<?, ?> map, String key) {
    Object text = map.get(key);
    return map.size() == 1 && text != null ? String.valueOf(text) : "";
  }

  private Afterwards then() {
    Object value = settings.values().get(THEN);
    if (value == null || value.equals("leave")) {
      return Afterwards.LEAVE;
    } else if (value.equals("delete")) {
      return new Afterwards(Afterwards.What.DELETE, "");
    } else if (value instanceof Map<?, ?> map) {
      String folder = only(map, MOVE);
      String name = only(map, "rename");
      if (!folder.isEmpty()) {
        return new Afterwards(Afterwards.What.MOVE, folder);
      } else if (!name.contains("/") && (name.contains("{name}") || name.contains("{stem}"))) {
        return new Afterwards(Afterwards.What.RENAME, name);
      }
    }
    wrong(
        THEN,
        "it is not what becomes of a file",
        "write leave, delete, {move: FOLDER} or {rename: '{name}.taken'}");
    return Afterwards.LEAVE;
  }

  private Optional<Dropping.Aside> aside() {
    Object value = settings.values().get(ASIDE);
    if (value == null) {
      return Optional.empty();
    }
    if (value instanceof Map<?, ?> map && map.size() == 2 && map.get(MOVE) != null) {
      Matcher share = SHARE.matcher(String.valueOf(map.get(DEAD)));
      if (share.matches() && Double.parseDouble(share.group(1)) < 100) {
        return Optional.of(
            new Dropping.Aside(
                Double.parseDouble(share.group(1)) / 100, String.valueOf(map.get(MOVE))));
      }
    }
    wrong(
        ASIDE,
        "it does not say when a file is set aside, and where it goes",
        "write {dead: 10%, move: FOLDER}: if more than 10% of its records would die");
    return Optional.empty();
  }

  /** A folder whose files would be taken, too, is none to move files to. */
  private void checkFolder(Site site, String key, String folder) {
    Path to = site.folder().toAbsolutePath().normalize().resolve(folder).normalize();
    Patterns patterns = Patterns.of(site.folder(), settings);
    for (Pattern pattern : patterns.wanted()) {
      Path from = pattern.folder().toAbsolutePath().normalize();
      if (!pattern.plain() && to.startsWith(from) && pattern.matchesIn(to)) {
        wrong(
            key,
            "files in " + folder + " are files of " + pattern + " again",
            "name a folder beside it");
        return;
      }
    }
  }

  private void checkName(Site site, String name) {
    for (Pattern pattern : Patterns.of(site.folder(), settings).wanted()) {
      String text = pattern.toString();
      String last = text.substring(text.lastIndexOf('/') + 1);
      Path example = Path.of(last.replaceAll("\\{[^}]*\\}|[*?]", "x"));
      String renamed = Completeness.named(name, example);
      if (pattern.matchesName(renamed)) {
        wrong(
            THEN,
            "a file named '" + renamed + "' is one of " + pattern + " again",
            "such as {rename: '{name}.taken'}");
        return;
      }
    }
  }
}

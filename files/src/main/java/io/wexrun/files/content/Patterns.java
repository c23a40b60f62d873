package io.wexrun.files.content;

import io.wexrun.core.connect.IntakeOpening;
import io.wexrun.core.connect.Site;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.diagnose.MistakesException;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.path.PathFields;
import io.wexrun.core.pipeline.Settings;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.PathMatcher;
import java.util.ArrayList;
import java.util.Collection;
import java.util.List;
import java.util.Optional;
import java.util.TreeSet;
import java.util.function.Consumer;
import java.util.function.Predicate;
import java.util.stream.Collectors;

/**
 * Names of files that are wanted, and of those among them that are not: {@code {files: [a/*.log,
 * b/*.log], except: '*.tmp'}}. An exception without a slash is looked for in the names of files and
 * folders below a pattern's folder, one with a slash in the path from the workspace.
 *
 * @param wanted in their order; at least one
 * @param except without the pattern's folder
 * @param where tells of a file by its name whether it is wanted
 */
public record Patterns(
    Path workspace, List<Pattern> wanted, List<String> except, Predicate<String> where) {
  public static final String EXCEPT = "except";
  public static final String WHERE = "where";
  public static final String LINKS = "links";

  /** The keys that say which files there are, beside the main one. */
  public static final List<String> KEYS = List.of(EXCEPT, WHERE, LINKS);

  /** The patterns that settings say, whatever their condition. */
  public static Patterns of(Path workspace, Settings settings) {
    Path whole = workspace.toAbsolutePath().normalize();
    boolean links = settings.text(LINKS).orElse("").equals("follow");
    List<Pattern> wanted =
        texts(settings.values().get(settings.kind())).stream()
            .map(text -> new Pattern(whole, text, links))
            .toList();
    return new Patterns(whole, wanted, texts(settings.values().get(EXCEPT)), name -> true);
  }

  /**
   * The patterns of an intake, limited by its condition and by what was chosen.
   *
   * @throws MistakesException if the choice has mistakes
   */
  public static Patterns of(IntakeOpening opening) {
    Settings settings = opening.settings();
    Patterns all = of(opening.site().folder(), settings);
    PathFields fields = PathFields.of(settings);
    Diagnostics diagnostics = Diagnostics.of("--where");
    Predicate<String> where =
        condition(fields, settings.text(WHERE), KeyPath.ROOT, diagnostics)
            .and(condition(fields, opening.choice().where(), KeyPath.ROOT, diagnostics));
    diagnostics.orThrow();
    return new Patterns(all.workspace, all.wanted, all.except, where);
  }

  private static Predicate<String> condition(
      PathFields fields, Optional<String> text, KeyPath path, Diagnostics diagnostics) {
    if (text.isEmpty()) {
      return name -> true;
    }
    if (fields.schema().size() == 0) {
      diagnostics.error(
          "unknown-field",
          path,
          "the paths carry no values of which '" + text.get() + "' could say something",
          Optional.of("name them in the pattern, such as logs/{day:date}/*.log"));
      return name -> true;
    }
    return fields.where(text.get(), path, diagnostics).orElse(name -> true);
  }

  /** Checks which files settings name. */
  public static void check(Settings settings, Site site, KeyPath path, Diagnostics diagnostics) {
    check(settings, site, false, path, diagnostics);
  }

  /**
   * The same.
   *
   * @param mayBeNone whether it is usual that there is no file
   */
  public static void check(
      Settings settings, Site site, boolean mayBeNone, KeyPath path, Diagnostics diagnostics) {
    PathFields fields = PathFields.of(settings, path, diagnostics);
    condition(fields, settings.text(WHERE), path.key(WHERE), diagnostics);
    String links = settings.text(LINKS).orElse("skip");
    if (!links.equals("skip") && !links.equals("follow")) {
      diagnostics.error(
          "bad-value",
          path.key(LINKS),
          "'" + links + "' is neither skip nor follow",
          Diagnostics.nearest(links, List.of("skip", "follow")));
    }
    texts(settings.values().get(EXCEPT)).stream()
        .filter(text -> Pattern.matcher(text).isEmpty())
        .forEach(text -> noPattern(text, path.key(EXCEPT), diagnostics));
    of(site.folder(), settings).check(mayBeNone, path.key(settings.kind()), diagnostics);
  }

  private void check(boolean mayBeNone, KeyPath at, Diagnostics diagnostics) {
    if (wanted.isEmpty()) {
      diagnostics.error(
          "missing-key", at, "no file is named", Optional.of("write a pattern such as in/*.log"));
    }
    int before = diagnostics.errors();
    wanted.stream()
        .filter(pattern -> !pattern.valid())
        .forEach(pattern -> noPattern(pattern.toString(), at, diagnostics));
    wanted.forEach(pattern -> checkThere(pattern, at, diagnostics));
    if (diagnostics.errors() > before || wanted.isEmpty()) {
      return;
    }
    List<Path> found =
        matches(
            new ArrayList<>(),
            path -> diagnostics.warning("no-permission", at, denial(path), Optional.empty()));
    if (!mayBeNone && found.isEmpty()) {
      boolean any = wanted.stream().anyMatch(pattern -> !pattern.matches().isEmpty());
      diagnostics.warning(
          "no-file-yet",
          at,
          "no file matches " + written(" or ") + (any ? " that is not excepted" : " yet"),
          Optional.empty());
    }
  }

  private static void noPattern(String text, KeyPath at, Diagnostics diagnostics) {
    diagnostics.error(
        "bad-pattern",
        at,
        "'" + text + "' is not a pattern",
        Optional.of("brackets and braces are closed: [a-z], {log,txt}; or stand behind a '\\'"));
  }

  /**
   * Requires the files that are named without a pattern: who reads to the end would miss them.
   *
   * @throws OutsideException if one is not there
   */
  public void requireNamed() {
    for (Pattern pattern : wanted) {
      if (pattern.plain() && !Files.exists(pattern.folder())) {
        throw new OutsideException("there is no file " + pattern.folder());
      }
    }
  }

  private static void checkThere(Pattern pattern, KeyPath at, Diagnostics diagnostics) {
    if (pattern.plain() && !Files.isRegularFile(pattern.folder())) {
      boolean folder = Files.isDirectory(pattern.folder());
      diagnostics.error(
          folder ? "bad-pattern" : "missing-file",
          at,
          folder ? pattern.folder() + " is a folder" : "there is no file " + pattern.folder(),
          Optional.of(
              folder
                  ? "write which files of it, such as " + pattern + "/*.log"
                  : "names start from the workspace's folder; a pattern such as *.log may match"
                      + " files that come later"));
    } else if (!pattern.plain() && !Files.isDirectory(pattern.folder())) {
      diagnostics.error(
          "missing-folder",
          at,
          "there is no folder " + pattern.folder(),
          Optional.of("make it, or mend the name; names start from the workspace's folder"));
    }
  }

  /** What is said of something that must not be read. */
  public String denial(Path path) {
    return "cannot read "
        + name(path)
        + ": permission denied; "
        + (Files.isDirectory(path) ? "what is in it" : "it")
        + " is passed over, and tried again";
  }

  /** The patterns as they were written. */
  public String written(String between) {
    return wanted.stream().map(Pattern::toString).collect(Collectors.joining(between));
  }

  /** The name of a file: its path from the workspace if it is in it, else the whole one. */
  public String name(Path file) {
    Path whole = file.toAbsolutePath().normalize();
    Path shown = whole.startsWith(workspace) ? workspace.relativize(whole) : whole;
    return shown.toString().replace('\\', '/');
  }

  /** A setting that is one text or a list of them. */
  public static List<String> texts(Object value) {
    List<String> texts = new ArrayList<>();
    if (value instanceof List<?> list) {
      list.forEach(each -> texts.add(String.valueOf(each)));
    } else if (value != null) {
      texts.add(String.valueOf(value));
    }
    return texts;
  }

  /** The files that match now, each once, sorted by name. */
  public List<Path> matches() {
    return matches(new ArrayList<>(), path -> {});
  }

  /** Whether a file of this path could match. */
  public boolean matches(Path file) {
    return wanted.stream().anyMatch(pattern -> pattern.matches(file));
  }

  /**
   * The files that match now, each once, sorted by name.
   *
   * @param looked takes the folders that were looked into
   * @param denied takes files and folders that this process must not read; such files are left out
   */
  public List<Path> matches(Collection<Path> looked, Consumer<Path> denied) {
    TreeSet<Path> matches = new TreeSet<>();
    for (Pattern pattern : wanted) {
      List<Path> closed = new ArrayList<>();
      for (Path file : pattern.matches(looked, closed)) {
        if (!Files.isReadable(file) && Files.exists(file)) {
          closed.add(file);
          continue;
        }
        if (!excepted(pattern, file) && where.test(name(file))) {
          matches.add(file);
        }
      }
      closed.forEach(denied);
    }
    return List.copyOf(matches);
  }

  private boolean excepted(Pattern pattern, Path file) {
    for (String text : except) {
      Optional<PathMatcher> matcher = Pattern.matcher(text);
      if (matcher.isEmpty()) {
        continue; // The check has told of it.
      }
      if (text.contains("/")) {
        if (matcher.get().matches(Path.of(name(file)))) {
          return true;
        }
        continue;
      }
      Path inside = pattern.plain() ? file.getFileName() : pattern.folder().relativize(file);
      for (Path each : inside) {
        if (matcher.get().matches(each)) {
          return true;
        }
      }
    }
    return false;
  }
}

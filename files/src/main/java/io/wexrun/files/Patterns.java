package io.wexrun.files;

import io.wexrun.core.pipeline.Settings;
import java.nio.file.FileSystems;
import java.nio.file.Path;
import java.nio.file.PathMatcher;
import java.util.ArrayList;
import java.util.List;
import java.util.TreeSet;

/**
 * Names of files that are wanted, and of those among them that are not: {@code {files: [a/*.log,
 * b/*.log], except: '*.tmp'}}. An exception without a slash is looked for in the names of files and
 * folders below a pattern's folder, one with a slash in the path from the workspace.
 *
 * @param wanted in their order; at least one
 * @param except without the pattern's folder
 */
record Patterns(Path workspace, List<Pattern> wanted, List<String> except) {
  static final String FILES = "files";
  static final String EXCEPT = "except";

  /** The patterns that settings say. */
  static Patterns of(Path workspace, Settings settings, boolean links) {
    Path whole = workspace.toAbsolutePath().normalize();
    List<Pattern> wanted =
        texts(settings.values().get(FILES)).stream()
            .map(text -> new Pattern(whole, text, links))
            .toList();
    return new Patterns(whole, wanted, texts(settings.values().get(EXCEPT)));
  }

  /** A setting that is one text or a list of them. */
  static List<String> texts(Object value) {
    List<String> texts = new ArrayList<>();
    if (value instanceof List<?> list) {
      list.forEach(each -> texts.add(String.valueOf(each)));
    } else if (value != null) {
      texts.add(String.valueOf(value));
    }
    return texts;
  }

  /** The files that match now, each once, sorted by name. */
  List<Path> matches() {
    TreeSet<Path> matches = new TreeSet<>();
    for (Pattern pattern : wanted) {
      for (Path file : pattern.matches()) {
        if (!excepted(pattern, file)) {
          matches.add(file);
        }
      }
    }
    return List.copyOf(matches);
  }

  private boolean excepted(Pattern pattern, Path file) {
    for (String text : except) {
      PathMatcher matcher = FileSystems.getDefault().getPathMatcher("glob:" + text);
      if (text.contains("/")) {
        Path whole = file.toAbsolutePath().normalize();
        Path from = whole.startsWith(workspace) ? workspace.relativize(whole) : whole;
        if (matcher.matches(from)) {
          return true;
        }
        continue;
      }
      Path inside = pattern.plain() ? file.getFileName() : pattern.folder().relativize(file);
      for (Path name : inside) {
        if (matcher.matches(name)) {
          return true;
        }
      }
    }
    return false;
  }
}

package io.wexrun.project.yaml;

import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.diagnose.Place;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import org.snakeyaml.engine.v2.api.LoadSettings;
import org.snakeyaml.engine.v2.api.lowlevel.Compose;
import org.snakeyaml.engine.v2.common.ScalarStyle;
import org.snakeyaml.engine.v2.exceptions.Mark;
import org.snakeyaml.engine.v2.exceptions.MarkedYamlEngineException;
import org.snakeyaml.engine.v2.exceptions.YamlEngineException;
import org.snakeyaml.engine.v2.nodes.MappingNode;
import org.snakeyaml.engine.v2.nodes.Node;
import org.snakeyaml.engine.v2.nodes.NodeTuple;
import org.snakeyaml.engine.v2.nodes.ScalarNode;
import org.snakeyaml.engine.v2.nodes.SequenceNode;

/** The text of a YAML 1.2 file, its documents, and where everything in it stands. */
public final class YamlFile {
  private final String name;
  private final List<String> lines;
  private final List<Node> documents = new ArrayList<>();

  /** How many bytes a file may have. */
  public static final int LONGEST = 8 << 20;

  private YamlFile(String name, String text) {
    this.name = name;
    this.lines = text.lines().toList();
  }

  /** Parses a file; a mistake of syntax goes to the diagnostics, with the documents before it. */
  public static YamlFile parse(String name, String text, Diagnostics diagnostics) {
    YamlFile file = new YamlFile(name, text);
    LoadSettings settings =
        LoadSettings.builder().setLabel(name).setUseMarks(true).setCodePointLimit(LONGEST).build();
    try {
      YamlBounds.require(text, settings);
      new Compose(settings).composeAllFromString(text).forEach(file.documents::add);
    } catch (MarkedYamlEngineException e) {
      Place place = e.getProblemMark().map(mark -> file.place(mark, 0, 1)).orElse(file.top());
      String context = e.getContext() == null ? "" : " " + e.getContext();
      file.here(diagnostics, place)
          .error("bad-yaml", KeyPath.ROOT, "not YAML: " + e.getProblem() + context, hint(e));
    } catch (YamlEngineException e) {
      file.here(diagnostics, file.top())
          .error("bad-yaml", KeyPath.ROOT, "not YAML: " + e.getMessage(), Optional.empty());
    }
    return file;
  }

  private static Optional<String> hint(MarkedYamlEngineException e) {
    String problem = String.valueOf(e.getProblem());
    if (problem.contains("\\t") || problem.contains("TAB")) {
      return Optional.of("indent with blanks, not tabs");
    }
    return problem.contains("mapping values are not allowed")
        ? Optional.of("put quotes around a text that holds ': '")
        : Optional.empty();
  }

  public String name() {
    return name;
  }

  public List<Node> documents() {
    return documents;
  }

  /** A collector whose diagnostics stand at the file's first line. */
  public Diagnostics atTop(Diagnostics diagnostics) {
    return here(diagnostics, top());
  }

  private Place top() {
    return new Place(name, 1, 1, 1, lines.isEmpty() ? "" : lines.get(0));
  }

  private Place place(Mark mark, int offset, int length) {
    int line = Math.min(mark.getLine(), Math.max(0, lines.size() - 1));
    String text = lines.isEmpty() ? "" : lines.get(line);
    int column = Math.min(mark.getColumn() + offset, text.length());
    int room = Math.max(1, text.length() - column);
    return new Place(name, line + 1, column + 1, Math.max(1, Math.min(length, room)), text);
  }

  /** A collector whose diagnostics all stand at one place. */
  private Diagnostics here(Diagnostics diagnostics, Place place) {
    return diagnostics.about(name, (path, offset, length) -> Optional.of(place));
  }

  /** A collector whose diagnostics stand at a node itself, whatever their path. */
  public Diagnostics at(Diagnostics diagnostics, Node node) {
    return here(diagnostics, place(node));
  }

  /** A collector that finds places below a document by their paths. */
  public Diagnostics in(Diagnostics diagnostics, String subject, Node document) {
    return diagnostics.about(
        subject,
        (path, offset, length) ->
            Optional.of(
                offset == Diagnostics.KEY
                    ? place(key(document, path))
                    : place(find(document, path), offset, length)));
  }

  private Place place(Node node) {
    return place(node, 0, Integer.MAX_VALUE);
  }

  /** Some characters of a scalar, or a node's first line. */
  private Place place(Node node, int offset, int length) {
    Mark start = node.getStartMark().orElseThrow();
    int width = width(node);
    if (!(node instanceof ScalarNode scalar)) {
      return place(start, 0, width);
    }
    boolean quoted =
        scalar.getScalarStyle() == ScalarStyle.SINGLE_QUOTED
            || scalar.getScalarStyle() == ScalarStyle.DOUBLE_QUOTED;
    if (length == Integer.MAX_VALUE) {
      return place(start, 0, width);
    }
    // Escapes and folded lines move characters; then the place is the scalar's beginning.
    int shift = offset + (quoted ? 1 : 0);
    String value = scalar.getValue();
    String line = lines.get(Math.min(start.getLine(), lines.size() - 1));
    int column = start.getColumn() + shift;
    boolean straight =
        offset <= value.length()
            && column <= line.length()
            && line.startsWith(value.substring(0, offset), start.getColumn() + (quoted ? 1 : 0));
    return straight ? place(start, shift, length) : place(start, 0, width);
  }

  /** How many characters a node takes on its first line. */
  private static int width(Node node) {
    Mark start = node.getStartMark().orElseThrow();
    return node.getEndMark()
        .filter(end -> end.getLine() == start.getLine())
        .map(end -> end.getColumn() - start.getColumn())
        .orElse(Integer.MAX_VALUE);
  }

  /** The node at a path, or the deepest one on the way to it. */
  private static Node find(Node document, KeyPath path) {
    Node node = document;
    for (Object part : path.parts()) {
      Node next = child(node, part);
      if (next == null) {
        return node;
      }
      node = next;
    }
    return node;
  }

  /** The key that a path ends with, or what {@link #find} gives. */
  private static Node key(Node document, KeyPath path) {
    Node holder = find(document, path.parent());
    Object last = path.parts().isEmpty() ? "" : path.parts().get(path.parts().size() - 1);
    if (holder instanceof MappingNode mapping) {
      for (NodeTuple tuple : mapping.getValue()) {
        if (tuple.getKeyNode() instanceof ScalarNode key && key.getValue().equals(last)) {
          return key;
        }
      }
    }
    return find(document, path);
  }

  private static Node child(Node node, Object part) {
    if (node instanceof MappingNode mapping) {
      for (NodeTuple tuple : mapping.getValue()) {
        if (tuple.getKeyNode() instanceof ScalarNode key && key.getValue().equals(part)) {
          return tuple.getValueNode();
        }
      }
    }
    if (node instanceof SequenceNode sequence
        && part instanceof Integer index
        && index < sequence.getValue().size()) {
      return sequence.getValue().get(index);
    }
    // A list of one may be written without brackets: [0] is then the value itself.
    return part.equals(0) && !(node instanceof MappingNode) ? node : null;
  }
}

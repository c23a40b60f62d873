package io.wexrun.project.read;

import com.google.re2j.Pattern;
import com.google.re2j.PatternSyntaxException;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.project.yaml.YamlFile;
import io.wexrun.project.yaml.YamlMap;
import java.time.Instant;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeSet;
import java.util.function.Predicate;
import java.util.regex.Matcher;
import org.snakeyaml.engine.v2.common.ScalarStyle;
import org.snakeyaml.engine.v2.nodes.MappingNode;
import org.snakeyaml.engine.v2.nodes.Node;
import org.snakeyaml.engine.v2.nodes.NodeTuple;
import org.snakeyaml.engine.v2.nodes.ScalarNode;
import org.snakeyaml.engine.v2.nodes.SequenceNode;
import org.snakeyaml.engine.v2.nodes.Tag;

/**
 * The parameters of one pipeline's document, and their values put in the place of {@code ${name}}
 * in every text of it. A document without {@code parameters} is left as it is.
 */
final class Parameters {
  private static final String KEY = "parameters";
  private static final java.util.regex.Pattern USE =
      java.util.regex.Pattern.compile("\\$(\\$\\{)|\\$\\{([^}]*)}");
  private static final Map<String, Predicate<String>> TYPES =
      new LinkedHashMap<>(
          Map.of(
              "text", text -> true,
              "int", text -> text.matches("-?[0-9]{1,18}"),
              "double", text -> text.matches("-?[0-9]+(\\.[0-9]+)?([eE]-?[0-9]+)?"),
              "bool", text -> text.equals("true") || text.equals("false")));
  private static final List<String> KINDS = List.of("text", "int", "double", "bool", "list", "map");

  /** A value: a text, or a node for lists and maps. */
  private record Value(String type, String text, Node node) {}

  private final YamlFile file;
  private final Diagnostics diagnostics;
  private final Map<String, Value> values = new LinkedHashMap<>();
  private final Set<String> declared = new LinkedHashSet<>();
  private final Set<String> used = new TreeSet<>();

  private Parameters(YamlFile file, Diagnostics diagnostics) {
    this.file = file;
    this.diagnostics = diagnostics;
  }

  /**
   * The document with its parameters' values.
   *
   * @param given values for some parameters, by name
   * @param known takes the names of the document's parameters
   * @param now when it is started, by which the values of its start are
   * @return empty if a parameter is wrong: what it makes of the rest would only seem to be
   */
  static Optional<Node> apply(
      YamlFile file,
      Node document,
      Map<String, String> given,
      Set<String> known,
      Instant now,
      Diagnostics diagnostics) {
    Optional<Node> declared = child(document, KEY);
    int before = diagnostics.errors();
    Map<String, String> all = new HashMap<>(StartValues.at(file, document, now, diagnostics));
    all.putAll(given);
    if (declared.isEmpty()) {
      unknown(file, document, List.of(), diagnostics);
      return diagnostics.errors() > before ? Optional.empty() : Optional.of(document);
    }
    Parameters parameters = new Parameters(file, diagnostics);
    YamlMap map = new YamlMap(file, declared.get(), "parameters", diagnostics);
    for (String name : map.keys()) {
      known.add(name);
      map.map(name).ifPresent(written -> parameters.declare(name, written, all));
    }
    unknown(file, document, map.keys(), diagnostics);
    List<NodeTuple> tuples = new ArrayList<>();
    for (NodeTuple tuple : ((MappingNode) document).getValue()) {
      boolean own = isKey(tuple, KEY);
      tuples.add(
          own ? tuple : new NodeTuple(tuple.getKeyNode(), parameters.filled(tuple.getValueNode())));
    }
    for (String name : map.keys()) {
      if (!parameters.used.contains(name)) {
        map.warning(
            name,
            "unused-parameter",
            "nothing in the pipeline uses parameter '" + name + "'",
            Optional.of("write ${" + name + "} where its value belongs, or remove it"));
      }
    }
    return diagnostics.errors() > before
        ? Optional.empty()
        : Optional.of(copy((MappingNode) document, tuples, document));
  }

  /** Tells of values for parameters that there are not. */
  private static void unknown(
      YamlFile file, Node document, List<String> declared, Diagnostics diagnostics) {
    StartValues.of(file, document, diagnostics)
        .ifPresent(
            values ->
                values.keys().stream()
                    .filter(name -> !declared.contains(name))
                    .forEach(
                        name ->
                            values.error(
                                name,
                                "unknown-parameter",
                                "there is no parameter '" + name + "'",
                                declared.isEmpty()
                                    ? Optional.of("declare it under parameters:")
                                    : Diagnostics.nearestOrKnown(
                                        name, declared, all -> "the parameters are " + all))));
  }

  private static boolean isKey(NodeTuple tuple, String name) {
    return tuple.getKeyNode() instanceof ScalarNode key && key.getValue().equals(name);
  }

  /** What stands under a key of a document. */
  static Optional<Node> child(Node document, String name) {
    return document instanceof MappingNode mapping
        ? mapping.getValue().stream()
            .filter(tuple -> isKey(tuple, name))
            .map(NodeTuple::getValueNode)
            .findFirst()
        : Optional.empty();
  }

  private void declare(String name, YamlMap written, Map<String, String> given) {
    declared.add(name);
    written.allow("a parameter", List.of("type", "default", "pattern", "about"));
    if (!PipelineReader.NAME.matcher(name).matches()) {
      written.error(written.node(), "bad-name", "'" + name + "' is not a name", Optional.empty());
    }
    String type = written.text("type").orElse("text");
    if (!KINDS.contains(type)) {
      written.error(
          "type",
          "unknown-type",
          "a parameter has no type '" + type + "'",
          Diagnostics.nearestOrKnown(type, KINDS, all -> "the types are " + all));
      return;
    }
    boolean nested = !TYPES.containsKey(type);
    Optional<Node> byDefault = written.value("default");
    if (given.containsKey(name)) {
      value(name, type, given.get(name), written).ifPresent(v -> values.put(name, v));
    } else if (byDefault.isPresent() && nested) {
      if (isOf(type, byDefault.get())) {
        values.put(name, new Value(type, "", byDefault.get()));
      } else {
        wrong(written, "default", name, "its default", type);
      }
    } else if (byDefault.isPresent()) {
      written
          .text("default")
          .flatMap(text -> value(name, type, text, written))
          .ifPresent(v -> values.put(name, v));
    } else {
      written.error(
          written.node(),
          "missing-parameter",
          "parameter '" + name + "' has no value",
          Optional.of(
              "give one with --set " + name + "=VALUE or with its start, or write a default"));
    }
  }

  private Optional<Value> value(String name, String type, String text, YamlMap written) {
    if (!TYPES.containsKey(type)) {
      Diagnostics reading = Diagnostics.of("parameter " + name);
      YamlFile value = YamlFile.parse("--set " + name, text, reading);
      boolean fits =
          reading.errors() == 0
              && value.documents().size() == 1
              && isOf(type, value.documents().get(0));
      if (!fits) {
        wrong(written, "type", name, "'" + text + "'", type);
        return Optional.empty();
      }
      return Optional.of(new Value(type, "", value.documents().get(0)));
    }
    if (!TYPES.get(type).test(text)) {
      wrong(written, "type", name, "'" + text + "'", type);
      return Optional.empty();
    }
    Optional<String> pattern = written.text("pattern");
    try {
      if (pattern.isPresent() && !Pattern.compile(pattern.get()).matches(text)) {
        written.error(
            "pattern",
            "bad-parameter",
            "'" + text + "' for parameter '" + name + "' does not match its pattern",
            Optional.empty());
        return Optional.empty();
      }
    } catch (PatternSyntaxException e) {
      String message = "this is not a pattern: " + e.getMessage();
      written.error("pattern", "bad-pattern", message, Optional.of("use RE2 syntax"));
    }
    return Optional.of(new Value(type, text, null));
  }

  private static void wrong(YamlMap at, String key, String name, String what, String type) {
    String article = "aeio".indexOf(type.charAt(0)) >= 0 ? "an" : "a";
    String message = what + " for parameter '" + name + "' is not " + article + " " + type;
    at.error(key, "bad-parameter", message, Optional.empty());
  }

  private static boolean isOf(String type, Node node) {
    return type.equals("map") ? node instanceof MappingNode : node instanceof SequenceNode;
  }

  /** A node with the values in place. */
  private Node filled(Node node) {
    if (node instanceof MappingNode mapping) {
      List<NodeTuple> tuples = new ArrayList<>();
      for (NodeTuple tuple : mapping.getValue()) {
        tuples.add(new NodeTuple(filled(tuple.getKeyNode()), filled(tuple.getValueNode())));
      }
      return copy(mapping, tuples, node);
    }
    if (node instanceof SequenceNode sequence) {
      return copy(sequence, sequence.getValue().stream().map(this::filled).toList(), node);
    }
    ScalarNode scalar = (ScalarNode) node;
    Matcher use = USE.matcher(scalar.getValue());
    if (!use.find()) {
      return node;
    }
    if (use.group(2) != null && use.matches()) {
      return whole(use.group(2), scalar);
    }
    return scalar(scalar, inside(scalar), Tag.STR);
  }

  /** A text that is nothing but a parameter: it may stand for a list or a map. */
  private Node whole(String name, ScalarNode scalar) {
    Value value = value(name, scalar);
    if (value == null) {
      return scalar;
    }
    if (value.node != null) {
      return at(value.node, scalar);
    }
    boolean plain = scalar.getScalarStyle() == ScalarStyle.PLAIN;
    Tag tag =
        switch (value.type) {
          case "int" -> Tag.INT;
          case "double" -> Tag.FLOAT;
          case "bool" -> Tag.BOOL;
          default -> Tag.STR;
        };
    return scalar(scalar, value.text, plain ? tag : Tag.STR);
  }

  private String inside(ScalarNode scalar) {
    StringBuilder text = new StringBuilder();
    Matcher use = USE.matcher(scalar.getValue());
    int at = 0;
    while (use.find()) {
      text.append(scalar.getValue(), at, use.start());
      at = use.end();
      if (use.group(1) != null) {
        text.append(use.group(1));
        continue;
      }
      Value value = value(use.group(2), scalar);
      if (value != null && value.node != null) {
        file.at(diagnostics, scalar)
            .error(
                "bad-parameter",
                KeyPath.ROOT,
                "parameter '" + use.group(2) + "' is a " + value.type + ", not part of a text",
                Optional.of("let it stand alone"));
      }
      text.append(value == null ? "" : value.text);
    }
    return text.append(scalar.getValue().substring(at)).toString();
  }

  private Value value(String name, ScalarNode scalar) {
    used.add(name);
    if (!values.containsKey(name) && !declared.contains(name)) {
      file.at(diagnostics, scalar)
          .error(
              "unknown-parameter",
              KeyPath.ROOT,
              "there is no parameter '" + name + "'",
              Diagnostics.nearestOrKnown(
                  name, List.copyOf(declared), all -> "the parameters are " + all));
    }
    return values.get(name);
  }

  /** A value's nodes as if they stood where it is used. */
  private static Node at(Node node, Node place) {
    if (node instanceof MappingNode mapping) {
      List<NodeTuple> tuples = new ArrayList<>();
      for (NodeTuple tuple : mapping.getValue()) {
        tuples.add(new NodeTuple(at(tuple.getKeyNode(), place), at(tuple.getValueNode(), place)));
      }
      return copy(mapping, tuples, place);
    }
    if (node instanceof SequenceNode sequence) {
      return copy(
          sequence, sequence.getValue().stream().map(item -> at(item, place)).toList(), place);
    }
    ScalarNode scalar = (ScalarNode) node;
    return new ScalarNode(
        scalar.getTag(),
        true,
        scalar.getValue(),
        scalar.getScalarStyle(),
        place.getStartMark(),
        place.getEndMark());
  }

  private static ScalarNode scalar(ScalarNode like, String text, Tag tag) {
    return new ScalarNode(
        tag, true, text, like.getScalarStyle(), like.getStartMark(), like.getEndMark());
  }

  private static MappingNode copy(MappingNode like, List<NodeTuple> tuples, Node place) {
    return new MappingNode(
        like.getTag(), true, tuples, like.getFlowStyle(), place.getStartMark(), place.getEndMark());
  }

  private static SequenceNode copy(SequenceNode like, List<Node> items, Node place) {
    return new SequenceNode(
        like.getTag(), true, items, like.getFlowStyle(), place.getStartMark(), place.getEndMark());
  }
}

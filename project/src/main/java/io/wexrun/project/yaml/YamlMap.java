package io.wexrun.project.yaml;

import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.function.Function;
import org.snakeyaml.engine.v2.nodes.MappingNode;
import org.snakeyaml.engine.v2.nodes.Node;
import org.snakeyaml.engine.v2.nodes.NodeTuple;
import org.snakeyaml.engine.v2.nodes.ScalarNode;
import org.snakeyaml.engine.v2.nodes.SequenceNode;
import org.snakeyaml.engine.v2.nodes.Tag;

/** A mapping of a YAML file, read with complaints about what does not belong there. */
public final class YamlMap {
  private final YamlFile file;
  private final Diagnostics diagnostics;
  private final Node node;
  private final Map<String, Node> values = new LinkedHashMap<>();
  private final Map<String, Node> keys = new LinkedHashMap<>();

  /**
   * Reads a node that should be a mapping.
   *
   * @param what what it is, for the complaint if it is not: {@code a pipeline}
   */
  public YamlMap(YamlFile file, Node node, String what, Diagnostics diagnostics) {
    this.file = file;
    this.diagnostics = diagnostics;
    this.node = node;
    if (!(node instanceof MappingNode mapping)) {
      error(node, "wrong-form", what + " is written as 'key: value' lines", Optional.empty());
      return;
    }
    for (NodeTuple tuple : mapping.getValue()) {
      if (!(tuple.getKeyNode() instanceof ScalarNode key)) {
        error(tuple.getKeyNode(), "wrong-form", "a key is a plain word", Optional.empty());
      } else if (values.putIfAbsent(key.getValue(), tuple.getValueNode()) != null) {
        error(key, "duplicate-key", "'" + key.getValue() + "' stands here twice", Optional.empty());
      } else {
        keys.put(key.getValue(), key);
      }
    }
  }

  public Node node() {
    return node;
  }

  /** Complains about keys that are not known. */
  public void allow(String what, List<String> known) {
    keys.forEach(
        (key, at) -> {
          if (!known.contains(key)) {
            error(
                at,
                "unknown-key",
                what + " has no key '" + key + "'",
                Diagnostics.nearestOrKnown(key, known, all -> "the keys are " + all));
          }
        });
  }

  /** The keys in order. */
  public List<String> keys() {
    return List.copyOf(keys.keySet());
  }

  public Optional<Node> value(String key) {
    return Optional.ofNullable(values.get(key));
  }

  /** A scalar's text. */
  public Optional<String> text(String key) {
    return value(key).flatMap(n -> text(n, "'" + key + "'"));
  }

  /** A scalar's text, with a complaint if it is missing. */
  public Optional<String> requiredText(String what, String key) {
    if (!values.containsKey(key)) {
      error(node, "missing-key", what + " needs '" + key + "'", Optional.empty());
    }
    return text(key);
  }

  private Optional<String> text(Node value, String what) {
    if (value instanceof ScalarNode scalar) {
      return Optional.of(scalar.getValue());
    }
    error(value, "wrong-form", what + " is a single value", Optional.empty());
    return Optional.empty();
  }

  /** Texts of a list, or of a single scalar as a list of one. */
  public List<String> texts(String key) {
    List<String> texts = new ArrayList<>();
    Node value = values.get(key);
    if (value instanceof SequenceNode sequence) {
      for (Node item : sequence.getValue()) {
        text(item, "an item of '" + key + "'").ifPresent(texts::add);
      }
    } else if (value != null) {
      text(value, "'" + key + "'").ifPresent(texts::add);
    }
    return texts;
  }

  /** The items of a list; with a complaint if it is none. */
  public List<Node> items(String key) {
    Node value = values.get(key);
    if (value instanceof SequenceNode sequence) {
      return sequence.getValue();
    }
    if (value != null) {
      error(
          value, "wrong-form", "'" + key + "' is a list: one '- ' for each item", Optional.empty());
    }
    return List.of();
  }

  /** A mapping below this one; empty if it is not there or has no value. */
  public Optional<YamlMap> map(String key) {
    return value(key)
        .filter(value -> !value.getTag().equals(Tag.NULL))
        .map(value -> mapAt(value, "'" + key + "'"));
  }

  /** A mapping at a node. */
  public YamlMap mapAt(Node value, String what) {
    return new YamlMap(file, value, what, diagnostics);
  }

  /** A scalar read by a function, with a complaint where it gives nothing. */
  public <T> Optional<T> parsed(String key, Function<String, Optional<T>> parse, String expected) {
    Optional<String> text = text(key);
    Optional<T> value = text.flatMap(parse);
    if (text.isPresent() && value.isEmpty()) {
      String message = "'" + text.get() + "' is not " + expected;
      error(values.get(key), "bad-value", message, Optional.empty());
    }
    return value;
  }

  /** Complains at a value, or at the mapping if it is not there. */
  public void error(String key, String code, String message, Optional<String> hint) {
    error(values.getOrDefault(key, node), code, message, hint);
  }

  /** Says at a key's value that something is probably not meant. */
  public void warning(String key, String code, String message, Optional<String> hint) {
    file.at(diagnostics, values.getOrDefault(key, node)).warning(code, KeyPath.ROOT, message, hint);
  }

  /** Complains at a node. */
  public void error(Node at, String code, String message, Optional<String> hint) {
    file.at(diagnostics, at).error(code, KeyPath.ROOT, message, hint);
  }

  /** A value as plain Java with every leaf as the text that is written. */
  public static Object texts(Node node) {
    if (node instanceof SequenceNode sequence) {
      return sequence.getValue().stream().map(YamlMap::texts).toList();
    }
    if (node instanceof MappingNode mapping) {
      Map<String, Object> map = new LinkedHashMap<>();
      for (NodeTuple tuple : mapping.getValue()) {
        map.put(((ScalarNode) tuple.getKeyNode()).getValue(), texts(tuple.getValueNode()));
      }
      return map;
    }
    ScalarNode scalar = (ScalarNode) node;
    return scalar.getTag().equals(Tag.NULL) ? "" : scalar.getValue();
  }

  /** A value as plain Java: texts, {@code Long}, {@code Double}, {@code Boolean}, lists, maps. */
  public static Object plain(Node node) {
    if (node instanceof SequenceNode sequence) {
      return sequence.getValue().stream().map(YamlMap::plain).toList();
    }
    if (node instanceof MappingNode mapping) {
      Map<String, Object> map = new LinkedHashMap<>();
      for (NodeTuple tuple : mapping.getValue()) {
        map.put(((ScalarNode) tuple.getKeyNode()).getValue(), plain(tuple.getValueNode()));
      }
      return map;
    }
    ScalarNode scalar = (ScalarNode) node;
    String text = scalar.getValue();
    try {
      if (scalar.getTag().equals(Tag.INT)) {
        return Long.parseLong(text);
      }
      if (scalar.getTag().equals(Tag.FLOAT)) {
        return Double.parseDouble(text);
      }
    } catch (NumberFormatException e) {
      return text;
    }
    return scalar.getTag().equals(Tag.BOOL) ? (Object) Boolean.parseBoolean(text) : text;
  }
}

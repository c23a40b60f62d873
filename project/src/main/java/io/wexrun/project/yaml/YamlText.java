package io.wexrun.project.yaml;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import org.snakeyaml.engine.v2.api.Dump;
import org.snakeyaml.engine.v2.api.DumpSettings;
import org.snakeyaml.engine.v2.api.StreamDataWriter;
import org.snakeyaml.engine.v2.common.FlowStyle;
import org.snakeyaml.engine.v2.common.ScalarStyle;
import org.snakeyaml.engine.v2.nodes.MappingNode;
import org.snakeyaml.engine.v2.nodes.Node;
import org.snakeyaml.engine.v2.nodes.NodeTuple;
import org.snakeyaml.engine.v2.nodes.ScalarNode;
import org.snakeyaml.engine.v2.nodes.SequenceNode;
import org.snakeyaml.engine.v2.nodes.Tag;

/** Plain values as YAML that people read and edit. */
public final class YamlText {
  private static final DumpSettings SETTINGS =
      DumpSettings.builder()
          .setWidth(10_000)
          .setIndent(2)
          .setIndicatorIndent(2)
          .setIndentWithIndicator(true)
          .build();

  private YamlText() {}

  /** A value that is written on one line, in brackets or braces. */
  public record Inline(Object value) {}

  /**
   * Values as a document.
   *
   * @param value maps, lists and texts, numbers, booleans, and {@link Inline}
   */
  public static String of(Object value) {
    StringBuilder text = new StringBuilder();
    new Dump(SETTINGS)
        .dumpNode(
            node(value, FlowStyle.BLOCK),
            new StreamDataWriter() {
              @Override
              public void write(String part) {
                text.append(part);
              }

              @Override
              public void write(String part, int offset, int length) {
                text.append(part, offset, offset + length);
              }
            });
    return value instanceof List ? movedLeft(text.toString()) : text.toString();
  }

  /** A list that is a whole document stands at the left edge. */
  private static String movedLeft(String text) {
    return text.replaceAll("(?m)^  ", "");
  }

  private static Node node(Object value, FlowStyle style) {
    if (value instanceof Inline inline) {
      return node(inline.value, FlowStyle.FLOW);
    }
    if (value instanceof Map<?, ?> map) {
      List<NodeTuple> tuples = new ArrayList<>();
      map.forEach((key, item) -> tuples.add(new NodeTuple(node(key, style), node(item, style))));
      return new MappingNode(Tag.MAP, tuples, style);
    }
    if (value instanceof List<?> list) {
      List<Node> items = new ArrayList<>();
      list.forEach(item -> items.add(node(item, style)));
      return new SequenceNode(Tag.SEQ, items, style);
    }
    String text = String.valueOf(value);
    Tag tag =
        value instanceof Boolean
            ? Tag.BOOL
            : value instanceof Long || value instanceof Integer
                ? Tag.INT
                : value instanceof Double ? Tag.FLOAT : Tag.STR;
    boolean lines = tag == Tag.STR && text.indexOf('\n') >= 0;
    return new ScalarNode(tag, text, lines ? ScalarStyle.DOUBLE_QUOTED : ScalarStyle.PLAIN);
  }

  /** Lines moved to the right by some blanks. */
  public static String indented(String text, int blanks) {
    StringBuilder moved = new StringBuilder();
    text.lines().forEach(line -> moved.append(" ".repeat(blanks)).append(line).append('\n'));
    return moved.toString();
  }

  /** A map of names and values in the order in which they are given. */
  public static Map<String, Object> map(Object... namesAndValues) {
    Map<String, Object> map = new LinkedHashMap<>();
    for (int i = 0; i < namesAndValues.length; i += 2) {
      map.put((String) namesAndValues[i], namesAndValues[i + 1]);
    }
    return map;
  }
}

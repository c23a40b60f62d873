package io.wexrun.project.yaml;

import java.util.ArrayDeque;
import java.util.Deque;
import java.util.HashMap;
import java.util.Map;
import org.snakeyaml.engine.v2.api.LoadSettings;
import org.snakeyaml.engine.v2.api.lowlevel.Parse;
import org.snakeyaml.engine.v2.common.Anchor;
import org.snakeyaml.engine.v2.events.AliasEvent;
import org.snakeyaml.engine.v2.events.CollectionEndEvent;
import org.snakeyaml.engine.v2.events.CollectionStartEvent;
import org.snakeyaml.engine.v2.events.Event;
import org.snakeyaml.engine.v2.events.NodeEvent;
import org.snakeyaml.engine.v2.exceptions.ParserException;

/**
 * Finds what no workspace needs and what would take all memory or never end: values inside
 * themselves, values very deep inside each other, and values repeated by aliases without end. Looks
 * at the events of a text, which takes no recursion.
 */
final class YamlBounds {
  private static final int DEEPEST = 100;
  private static final long MOST = 200_000;

  /** A collection that has begun: its anchor, and how many values it has by now. */
  private static final class Open {
    final Anchor anchor;
    long values = 1;

    Open(Anchor anchor) {
      this.anchor = anchor;
    }
  }

  private final Deque<Open> open = new ArrayDeque<>();
  private final Map<Anchor, Long> sizes = new HashMap<>();

  private YamlBounds() {}

  /**
   * Looks at a text.
   *
   * @throws ParserException with the place, if it goes beyond a bound
   * @throws org.snakeyaml.engine.v2.exceptions.YamlEngineException if it is not YAML
   */
  static void require(String text, LoadSettings settings) {
    YamlBounds bounds = new YamlBounds();
    for (Event event : new Parse(settings).parseString(text)) {
      bounds.take(event);
    }
  }

  private void take(Event event) {
    if (event instanceof CollectionStartEvent start) {
      open.push(new Open(start.getAnchor().orElse(null)));
      if (open.size() > DEEPEST) {
        throw new ParserException(
            "values stand more than " + DEEPEST + " deep inside each other", event.getStartMark());
      }
    } else if (event instanceof CollectionEndEvent) {
      Open ended = open.pop();
      if (ended.anchor != null) {
        sizes.put(ended.anchor, ended.values);
      }
      add(ended.values, event);
    } else if (event instanceof AliasEvent alias) {
      Anchor anchor = alias.getAlias();
      if (open.stream().anyMatch(each -> anchor.equals(each.anchor))) {
        throw new ParserException("*" + anchor + " stands inside itself", event.getStartMark());
      }
      add(sizes.getOrDefault(anchor, 1L), event);
    } else if (event instanceof NodeEvent) {
      add(1, event);
    }
  }

  private void add(long values, Event event) {
    if (!open.isEmpty()) {
      open.peek().values += values;
      if (open.peek().values > MOST) {
        throw new ParserException(
            "there are more than " + MOST + " values, with those that aliases repeat",
            event.getStartMark());
      }
    }
  }
}

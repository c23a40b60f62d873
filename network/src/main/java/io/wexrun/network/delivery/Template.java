package io.wexrun.network.delivery;

import io.wexrun.core.field.ValueJson;
import java.util.ArrayList;
import java.util.Collection;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/**
 * JSON with places for values. It is written as YAML: a text that is only a {@code {name}} becomes
 * the value of that name, with its type; one with more around it becomes a text; everything else is
 * what it is. Immutable.
 *
 * @param parts in order
 */
record Template(List<Part> parts) {
  private static final Pattern PLACE = Pattern.compile("\\{([^{}]+)}");

  /** A part of a template. */
  sealed interface Part {
    /** What stands there as it is. */
    record Fixed(String json) implements Part {}

    /**
     * A place for a value.
     *
     * @param quoted whether it stands inside a text
     */
    record Place(String name, boolean quoted) implements Part {}
  }

  /** Gives the values of places. */
  interface Values {
    /** Adds a value as JSON; or, if {@code quoted}, what it is inside a text. */
    void append(String name, boolean quoted, StringBuilder json);
  }

  /** Reads a template: texts, numbers, truth values, lists, maps and nulls. */
  static Template of(Object written) {
    List<Part> parts = new ArrayList<>();
    StringBuilder fixed = new StringBuilder();
    add(written, fixed, parts);
    end(fixed, parts);
    return new Template(List.copyOf(parts));
  }

  private static void add(Object written, StringBuilder fixed, List<Part> parts) {
    if (written instanceof Map<?, ?> map) {
      String before = "{";
      for (Map.Entry<?, ?> entry : map.entrySet()) {
        fixed.append(before);
        ValueJson.quoted(String.valueOf(entry.getKey()), fixed);
        fixed.append(':');
        add(entry.getValue(), fixed, parts);
        before = ",";
      }
      fixed.append(map.isEmpty() ? "{}" : "}");
    } else if (written instanceof Collection<?> list) {
      fixed.append('[');
      int before = 0;
      for (Object each : list) {
        fixed.append(before++ == 0 ? "" : ",");
        add(each, fixed, parts);
      }
      fixed.append(']');
    } else if (written instanceof Number || written instanceof Boolean || written == null) {
      fixed.append(written);
    } else {
      text(String.valueOf(written), fixed, parts);
    }
  }

  private static void text(String text, StringBuilder fixed, List<Part> parts) {
    Matcher place = PLACE.matcher(text);
    if (place.matches()) {
      end(fixed, parts);
      parts.add(new Part.Place(place.group(1).strip(), false));
      return;
    }
    fixed.append('"');
    int at = 0;
    place.reset();
    while (place.find()) {
      ValueJson.inside(text.substring(at, place.start()), fixed);
      end(fixed, parts);
      parts.add(new Part.Place(place.group(1).strip(), true));
      at = place.end();
    }
    ValueJson.inside(text.substring(at), fixed);
    fixed.append('"');
  }

  private static void end(StringBuilder fixed, List<Part> parts) {
    if (!fixed.isEmpty()) {
      parts.add(new Part.Fixed(fixed.toString()));
      fixed.setLength(0);
    }
  }

  /** The names of its places. */
  Set<String> names() {
    Set<String> names = new LinkedHashSet<>();
    for (Part part : parts) {
      if (part instanceof Part.Place place) {
        names.add(place.name());
      }
    }
    return names;
  }

  /** Adds its parts from one place on, and before another. */
  void append(int from, int to, Values values, StringBuilder json) {
    for (Part part : parts.subList(from, to)) {
      if (part instanceof Part.Place place) {
        values.append(place.name(), place.quoted(), json);
      } else {
        json.append(((Part.Fixed) part).json());
      }
    }
  }

  /** Adds all of it. */
  void append(Values values, StringBuilder json) {
    append(0, parts.size(), values, json);
  }
}

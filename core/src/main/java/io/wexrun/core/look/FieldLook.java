package io.wexrun.core.look;

import java.util.List;

/**
 * What was seen of a field.
 *
 * @param name a name for it
 * @param spec how to read it: a type, with what is needed behind it
 * @param from where it stands in a record, if not under its name; else empty
 * @param present in how many records it has a value
 * @param distinct how many different values, at most {@link #MOST_DISTINCT}
 * @param examples some values
 */
public record FieldLook(
    String name, String spec, String from, long present, int distinct, List<String> examples) {
  /** Different values are counted up to this many. */
  public static final int MOST_DISTINCT = 1000;

  /** The spec with its place, as it is written with a step. */
  public String written() {
    return from.isEmpty() ? spec : spec + " from " + from;
  }

  /** The same field as a text, which takes any value. */
  FieldLook wider() {
    String type = spec.startsWith("json") || spec.startsWith("text") ? spec : "text?";
    return new FieldLook(name, type, from, present, distinct, examples);
  }

  /** The same field, which may be absent. */
  FieldLook optional() {
    String may = spec.replaceFirst("^(\\w+(?:\\([^)]*\\))?)\\??", "$1?");
    return new FieldLook(name, may, from, present, distinct, examples);
  }

  /** The type alone. */
  public String type() {
    return spec.replaceAll("[ ?].*", "");
  }
}

package io.wexrun.core.parse;

import io.wexrun.core.field.Field;
import io.wexrun.core.field.FieldParser;
import io.wexrun.core.pattern.Literal;
import io.wexrun.core.written.Written;
import java.util.ArrayList;
import java.util.HashSet;
import java.util.IdentityHashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/**
 * Reads the text of a template.
 *
 * <pre>
 * Template --&gt; (Literal | "{{" | "}}" | Field | Choice)*
 * Field    --&gt; "{" Name? "?"? (":" FieldSpec)? "}"     FieldSpec as in {@link FieldParser}
 * Choice   --&gt; "{(" Template ("|" Template)* ")" "?"? "}"     in which "||" is a bar itself
 * </pre>
 *
 * <p>A choice is one of several ways, the earlier ones rather; with a question mark it may be left
 * out.
 */
final class TemplateParser {
  /** Everything a field's inside may hold. */
  private static final Pattern FIELD =
      Pattern.compile("([^:?]*)(\\?)?(?::(" + FieldParser.FORM + "))?");

  private static final int MOST_WAYS = 64;

  private final String text;
  private final Written at;
  private final FieldParser fields;
  private final Map<Field, Integer> offsets = new IdentityHashMap<>();
  private int place;

  TemplateParser(Written at, Map<String, String> patterns) {
    this.text = at.text();
    this.at = at;
    this.fields = new FieldParser(at, "bad-template", patterns);
  }

  /**
   * The ways in which a line may be laid out, in their order: {@link Literal}s and {@link Field}s
   * in turn. Mistakes are in the diagnostics.
   */
  List<List<Object>> parse() {
    int before = at.diagnostics().errors();
    List<List<Object>> ways = ways(false);
    if (at.diagnostics().errors() == before) {
      checkNames(ways);
    }
    if (at.diagnostics().errors() == before) {
      ways.stream().filter(this::hasFieldsSideBySide).findFirst();
    }
    return ways.stream().filter(way -> !way.isEmpty()).toList();
  }

  private void checkNames(List<List<Object>> ways) {
    for (List<Object> way : ways) {
      Set<String> names = new HashSet<>();
      boolean any = false;
      for (Object piece : way) {
        if (!(piece instanceof Field field)) {
          continue;
        }
        any = true;
        if (!field.name().isEmpty() && !names.add(field.name())) {
          error(
              offsets.get(field),
              field.name().length(),
              "a second field is named '" + field.name() + "'",
              "rename one of them");
          return;
        }
      }
      if (!any) {
        error(
            0,
            Math.max(1, text.length()),
            ways.size() == 1
                ? "the template names no field"
                : "one way to read the template names no field",
            "name one, as in '{time:timestamp} {message}'");
        return;
      }
    }
  }

  private boolean hasFieldsSideBySide(List<Object> way) {
    for (int i = 1; i < way.size(); i++) {
      if (way.get(i) instanceof Field field && way.get(i - 1) instanceof Field) {
        error(
            offsets.get(field) - 1,
            Math.max(2, field.name().length() + 2),
            "two fields stand side by side, so nothing says where the first one ends",
            "put the text between them that the lines have there");
        return true;
      }
    }
    return false;
  }

  /** Reads up to the end, or inside a choice up to a bar or the end of it. */
  private List<List<Object>> ways(boolean inside) {
    List<List<Object>> ways = new ArrayList<>();
    ways.add(List.of());
    StringBuilder literal = new StringBuilder();
    while (place < text.length()) {
      char c = text.charAt(place);
      boolean twice = text.startsWith("" + c + c, place);
      if (inside && (isChoiceEnd() || c == '|' && !twice)) {
        break;
      } else if (twice && (c == '{' || c == '}' || inside && c == '|')) {
        literal.append(c);
        place += 2;
      } else if (c == '{') {
        ways = joined(ways, ended(literal));
        ways = joined(ways, text.startsWith("{(", place) ? choice() : field());
      } else if (c == '}') {
        error(place, 1, "this closing brace opens nowhere", "write '}}' for a brace itself");
        place++;
      } else {
        literal.append(c);
        place++;
      }
    }
    return joined(ways, ended(literal));
  }

  private boolean isChoiceEnd() {
    return text.startsWith(")}", place) || text.startsWith(")?}", place);
  }

  private List<List<Object>> choice() {
    int open = place;
    place += 2;
    List<List<Object>> ways = new ArrayList<>(ways(true));
    while (place < text.length() && text.charAt(place) == '|') {
      place++;
      ways.addAll(ways(true));
    }
    if (place >= text.length()) {
      error(
          open,
          2,
          "this choice has no end",
          "end it with ')}', or with ')?}' if it may be missing");
      return ways;
    }
    if (text.startsWith(")?}", place)) {
      ways.add(List.of());
      place++;
    }
    place += 2;
    return ways;
  }

  private static List<List<Object>> ended(StringBuilder literal) {
    List<Object> pieces = literal.isEmpty() ? List.of() : List.of(new Literal(literal.toString()));
    literal.setLength(0);
    return List.of(pieces);
  }

  /** Each way of one list, followed by each of another. */
  private List<List<Object>> joined(List<List<Object>> first, List<List<Object>> second) {
    if ((long) first.size() * second.size() > MOST_WAYS) {
      error(
          Math.min(place, text.length()) - 1,
          1,
          "there are more than " + MOST_WAYS + " ways to read the template up to here",
          "write several templates, or fewer choices");
      return first;
    }
    List<List<Object>> all = new ArrayList<>();
    for (List<Object> begin : first) {
      for (List<Object> end : second) {
        List<Object> pieces = new ArrayList<>(begin);
        int last = begin.size() - 1;
        if (last >= 0
            && !end.isEmpty()
            && begin.get(last) instanceof Literal a
            && end.get(0) instanceof Literal b) {
          pieces.set(last, new Literal(a.text() + b.text()));
          pieces.addAll(end.subList(1, end.size()));
        } else {
          pieces.addAll(end);
        }
        all.add(pieces);
      }
    }
    return all;
  }

  /**
   * The brace that closes the one at {@code open}; braces inside a format's quotes do not count.
   */
  private int close(int open) {
    boolean quoted = false;
    for (int i = open + 1; i < text.length(); i++) {
      char c = text.charAt(i);
      quoted ^= c == '\'';
      if (c == '}' && !quoted) {
        return i;
      }
    }
    return -1;
  }

  private List<List<Object>> field() {
    int close = close(place);
    if (close < 0) {
      error(place, 1, "this field has no closing brace", "write '{{' for a brace itself");
      place = text.length();
      return List.of(List.of());
    }
    int offset = place + 1;
    String inside = text.substring(offset, close);
    place = close + 1;
    Matcher matcher = FIELD.matcher(inside);
    if (!matcher.matches()) {
      error(
          offset,
          inside.length(),
          "'{" + inside + "}' is not a field",
          "a field looks like {name}, {name:int}, {name:timestamp 'dd/MMM/yyyy HH:mm:ss Z'} or {}");
      return List.of(List.of());
    }
    String name = matcher.group(1);
    if (!name.isEmpty() && !FieldParser.NAME.matcher(name).matches()) {
      error(offset, name.length(), "'" + name + "' is not a name", "use letters, digits and '_'");
    }
    String spec = matcher.group(3) == null ? "" : matcher.group(3);
    int start = offset + Math.max(0, matcher.start(3));
    Field field = fields.parse(name, matcher.group(2) != null, spec, start).field();
    offsets.put(field, offset);
    return List.of(List.of(field));
  }

  private void error(int offset, int length, String message, String hint) {
    at.error("bad-template", offset, length, message, hint);
  }
}

package io.wexrun.core.parse;

import io.wexrun.core.field.Field;
import io.wexrun.core.field.FieldParser;
import io.wexrun.core.pattern.Literal;
import io.wexrun.core.written.Written;
import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/**
 * Reads the text of a template.
 *
 * <pre>
 * Template --&gt; (Literal | "{{" | "}}" | Field)*
 * Field    --&gt; "{" Name? "?"? (":" FieldSpec)? "}"     FieldSpec as in {@link FieldParser}
 * </pre>
 */
final class TemplateParser {
  /** Everything a field's inside may hold. */
  private static final Pattern FIELD =
      Pattern.compile("([^:?]*)(\\?)?(?::(" + FieldParser.FORM + "))?");

  private final String text;
  private final Written at;
  private final FieldParser fields;
  private final List<Object> pieces = new ArrayList<>();
  private final StringBuilder literal = new StringBuilder();
  private final Set<String> names = new HashSet<>();

  TemplateParser(Written at, Map<String, String> patterns) {
    this.text = at.text();
    this.at = at;
    this.fields = new FieldParser(at, "bad-template", patterns);
  }

  /** {@link Literal}s and {@link Field}s in order; mistakes are in the diagnostics. */
  List<Object> parse() {
    int place = 0;
    int before = at.diagnostics().errors();
    while (place < text.length()) {
      char c = text.charAt(place);
      if ((c == '{' || c == '}') && text.startsWith("" + c + c, place)) {
        literal.append(c);
        place += 2;
      } else if (c == '{') {
        int close = close(place);
        if (close < 0) {
          error(place, 1, "this field has no closing brace", "write '{{' for a brace itself");
          return pieces;
        }
        endLiteral();
        field(place + 1, text.substring(place + 1, close));
        place = close + 1;
      } else if (c == '}') {
        error(place, 1, "this closing brace opens nowhere", "write '}}' for a brace itself");
        place++;
      } else {
        literal.append(c);
        place++;
      }
    }
    endLiteral();
    if (names.isEmpty() && at.diagnostics().errors() == before) {
      error(
          0,
          Math.max(1, text.length()),
          "the template names no field",
          "name one, as in '{time:timestamp} {message}'");
    }
    return pieces;
  }

  /**
   * The brace that closes the one at {@code open}; braces inside a format's quotes do not count.
   */
  private int close(int open) {
    boolean quoted = false;
    for (int place = open + 1; place < text.length(); place++) {
      char c = text.charAt(place);
      quoted ^= c == '\'';
      if (c == '}' && !quoted) {
        return place;
      }
    }
    return -1;
  }

  private void endLiteral() {
    if (!literal.isEmpty()) {
      pieces.add(new Literal(literal.toString()));
      literal.setLength(0);
    }
  }

  private void field(int offset, String inside) {
    if (!pieces.isEmpty() && pieces.get(pieces.size() - 1) instanceof Field) {
      error(
          offset - 1,
          inside.length() + 2,
          "two fields stand side by side, so nothing says where the first one ends",
          "put the text between them that the lines have there");
    }
    Matcher matcher = FIELD.matcher(inside);
    if (!matcher.matches()) {
      error(
          offset,
          inside.length(),
          "'{" + inside + "}' is not a field",
          "a field looks like {name}, {name:int}, {name:timestamp 'dd/MMM/yyyy HH:mm:ss Z'} or {}");
      return;
    }
    String name = matcher.group(1);
    if (!name.isEmpty() && !FieldParser.NAME.matcher(name).matches()) {
      error(offset, name.length(), "'" + name + "' is not a name", "use letters, digits and '_'");
    }
    if (!name.isEmpty() && !names.add(name)) {
      error(offset, name.length(), "a second field is named '" + name + "'", "rename one of them");
    }
    String spec = matcher.group(3) == null ? "" : matcher.group(3);
    int start = offset + Math.max(0, matcher.start(3));
    pieces.add(fields.parse(name, matcher.group(2) != null, spec, start).field());
  }

  private void error(int offset, int length, String message, String hint) {
    at.error("bad-template", offset, length, message, hint);
  }
}

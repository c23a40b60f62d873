package io.wexrun.core.shape;

import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.Path;
import io.wexrun.core.schema.Type;
import java.time.DateTimeException;
import java.time.ZoneId;
import java.time.format.DateTimeFormatter;
import java.time.format.ResolverStyle;
import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import java.util.Locale;
import java.util.Optional;
import java.util.Set;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/**
 * Reads the text of a template.
 *
 * <pre>
 * Template --&gt; (Literal | "{{" | "}}" | Field)*
 * Field    --&gt; "{" Name? "?"? (":" Type "?"? Format? Zone?)? "}"
 * Format   --&gt; " '" pattern of java.time.format.DateTimeFormatter "'"
 * Zone     --&gt; " @" zone id such as UTC, +02:00 or Europe/Berlin
 * </pre>
 */
final class TemplateParser {
  /** Everything a field's inside may hold. */
  private static final Pattern FIELD =
      Pattern.compile(
          "([^:?]*)(\\?)?(?::([a-z]+(?:\\([^)]*\\))?)(\\?)?(?:\\s+'([^']*)')?(?:\\s+@(\\S+))?)?");

  private static final Pattern NAME = Pattern.compile("[A-Za-z_][A-Za-z0-9_]*");
  private static final List<String> TYPES =
      List.of(
          "text", "int", "long", "double", "bool", "timestamp", "date", "uuid", "json", "decimal");

  private final String text;
  private final Path path;
  private final Diagnostics diagnostics;
  private final List<Object> pieces = new ArrayList<>();
  private final StringBuilder literal = new StringBuilder();
  private final Set<String> names = new HashSet<>();

  TemplateParser(String text, Path path, Diagnostics diagnostics) {
    this.text = text;
    this.path = path;
    this.diagnostics = diagnostics;
  }

  /** {@link Literal}s and {@link Field}s in order; mistakes are in the diagnostics. */
  List<Object> parse() {
    int at = 0;
    while (at < text.length()) {
      char c = text.charAt(at);
      if ((c == '{' || c == '}') && text.startsWith("" + c + c, at)) {
        literal.append(c);
        at += 2;
      } else if (c == '{') {
        int close = close(at);
        if (close < 0) {
          error(at, 1, "this field has no closing brace", "write '{{' for a brace itself");
          return pieces;
        }
        endLiteral();
        field(at + 1, text.substring(at + 1, close));
        at = close + 1;
      } else if (c == '}') {
        error(at, 1, "this closing brace opens nowhere", "write '}}' for a brace itself");
        at++;
      } else {
        literal.append(c);
        at++;
      }
    }
    endLiteral();
    if (names.isEmpty() && diagnostics.errors() == 0) {
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
    for (int at = open + 1; at < text.length(); at++) {
      char c = text.charAt(at);
      quoted ^= c == '\'';
      if (c == '}' && !quoted) {
        return at;
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
    if (!name.isEmpty() && !NAME.matcher(name).matches()) {
      error(offset, name.length(), "'" + name + "' is not a name", "use letters, digits and '_'");
    }
    if (!name.isEmpty() && !names.add(name)) {
      error(offset, name.length(), "a second field is named '" + name + "'", "rename one of them");
    }
    boolean optional = matcher.group(2) != null || matcher.group(4) != null;
    Type type = type(offset, matcher);
    Zone zone = zone(offset, matcher);
    Optional<Field.Format> format = format(offset, matcher, type, zone != null);
    pieces.add(new Field(name, type, optional, format, zone));
  }

  private Type type(int offset, Matcher matcher) {
    String spelling = matcher.group(3);
    if (spelling == null) {
      return Type.Scalar.TEXT;
    }
    Optional<Type> type = Type.parse(spelling);
    if (type.isEmpty()) {
      diagnostics.error(
          "unknown-type",
          path,
          offset + matcher.start(3),
          spelling.length(),
          "there is no type '" + spelling + "'",
          Diagnostics.nearestOrKnown(spelling, TYPES, all -> "the types are " + all));
    }
    return type.orElse(Type.Scalar.TEXT);
  }

  private Zone zone(int offset, Matcher matcher) {
    String id = matcher.group(6);
    if (id == null) {
      return null;
    }
    try {
      return new Zone(ZoneId.of(id));
    } catch (DateTimeException e) {
      error(
          offset + matcher.start(6),
          id.length(),
          "there is no time zone '" + id + "'",
          "use UTC, an offset such as +02:00, or an id such as Europe/Berlin");
      return null;
    }
  }

  private Optional<Field.Format> format(int offset, Matcher matcher, Type type, boolean hasZone) {
    String pattern = matcher.group(5);
    boolean timed = type == Type.Scalar.TIMESTAMP || type == Type.Scalar.DATE;
    if (!timed && (pattern != null || hasZone)) {
      error(offset, 1, "only timestamps and dates have a format or a zone", "remove it");
    }
    if (pattern == null || !timed) {
      return Optional.empty();
    }
    int place = offset + matcher.start(5);
    DateTimeFormatter formatter;
    try {
      // yyyy means the year of the calendar here; strict resolving needs it without an era.
      String strict = pattern.replace("yyyy", "uuuu");
      formatter =
          DateTimeFormatter.ofPattern(strict, Locale.ENGLISH)
              .withResolverStyle(ResolverStyle.STRICT);
    } catch (IllegalArgumentException e) {
      error(place, pattern.length(), "this is not a date pattern: " + e.getMessage(), "");
      return Optional.empty();
    }
    String letters = pattern.replaceAll("\\[|]", "");
    if (type == Type.Scalar.TIMESTAMP && !hasZone && !letters.matches(".*[zZXxVO].*")) {
      error(
          place,
          pattern.length(),
          "the format has no zone, so the instant is not known",
          "add a zone, as in {" + matcher.group(1) + ":timestamp '" + pattern + "' @UTC}");
    }
    return Optional.of(new Field.Format(pattern, formatter));
  }

  private void error(int offset, int length, String message, String hint) {
    diagnostics.error(
        "bad-template",
        path,
        offset,
        length,
        message,
        hint.isEmpty() ? Optional.empty() : Optional.of(hint));
  }
}

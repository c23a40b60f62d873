package io.wexrun.core.schema;

import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/** Reads the spelling of a type; see {@link Type#parse}. */
final class TypeText {
  private static final Pattern DECIMAL =
      Pattern.compile("decimal\\(\\s*(\\d{1,2})\\s*,\\s*(\\d{1,2})\\s*\\)");
  private static final Pattern MEMBER =
      Pattern.compile("\\s*([A-Za-z_][A-Za-z0-9_]*)\\s*:(.*)", Pattern.DOTALL);

  private TypeText() {}

  static Optional<Type> parse(String text) {
    String spelling = text.strip();
    if (spelling.startsWith("list<") && spelling.endsWith(">")) {
      return parse(spelling.substring(5, spelling.length() - 1)).map(Type.ListOf::new);
    }
    if (spelling.startsWith("{") && spelling.endsWith("}")) {
      return struct(spelling.substring(1, spelling.length() - 1));
    }
    for (Type.Scalar scalar : Type.Scalar.values()) {
      if (scalar.toString().equals(spelling)) {
        return Optional.of(scalar);
      }
    }
    Matcher decimal = DECIMAL.matcher(spelling);
    if (decimal.matches()) {
      int precision = Integer.parseInt(decimal.group(1));
      int scale = Integer.parseInt(decimal.group(2));
      if (precision >= 1 && precision <= 18 && scale <= precision) {
        return Optional.of(new Type.Decimal(precision, scale));
      }
    }
    return Optional.empty();
  }

  private static Optional<Type> struct(String inside) {
    Schema fields = Schema.EMPTY;
    for (String member : split(inside)) {
      Matcher matcher = MEMBER.matcher(member);
      Optional<Type> type = matcher.matches() ? parse(matcher.group(2)) : Optional.empty();
      if (type.isEmpty() || fields.find(matcher.group(1)).isPresent()) {
        return Optional.empty();
      }
      fields = fields.with(Column.of(matcher.group(1), type.get()));
    }
    return Optional.of(new Type.Struct(fields.columns()));
  }

  /** Parts between the commas that stand in no brackets. */
  private static List<String> split(String text) {
    List<String> parts = new ArrayList<>();
    int depth = 0;
    int from = 0;
    for (int at = 0; at < text.length(); at++) {
      char c = text.charAt(at);
      depth += "({<".indexOf(c) >= 0 ? 1 : ")}>".indexOf(c) >= 0 ? -1 : 0;
      if (c == ',' && depth == 0) {
        parts.add(text.substring(from, at));
        from = at + 1;
      }
    }
    parts.add(text.substring(from));
    return parts;
  }
}

package io.wexrun.core.path;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.batch.Vectors;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.expression.Expression;
import io.wexrun.core.expression.Expressions;
import io.wexrun.core.field.Field;
import io.wexrun.core.field.FieldParser;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.written.Written;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.function.Predicate;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/**
 * The values that paths carry by the patterns of an intake, such as {@code
 * archive/{year:int}/{month:int}/depot={depot}/*.log}. They are read out of the names of source
 * partitions, so that they are the same wherever a record is by now. Immutable, for any number of
 * threads.
 *
 * <pre>{@code
 * Pattern --> (Text | "*" | "?" | "**" | "[" Characters "]" | "{" Text "," Text "}" | Value)*
 * Value   --> "{" Name (":" FieldSpec)? "}"     FieldSpec as in FieldParser
 * }</pre>
 *
 * <p>A value stands within one name of the path, or in as many as the format of its time has
 * slashes. What is no value of its type is absent.
 */
public final class PathFields {
  private static final Pattern VALUE =
      Pattern.compile("\\{([A-Za-z_][A-Za-z0-9_]*)(?::(" + FieldParser.FORM + "))?\\}");
  private static final Pattern FORMAT = Pattern.compile("'([^']*)'");
  private static final Pattern AGAIN = Pattern.compile("#[^/#]*$");

  private final List<Form> forms;
  private final Schema schema;

  private record Form(Pattern pattern, List<Field> fields) {}

  private PathFields(List<Form> forms, Schema schema) {
    this.forms = forms;
    this.schema = schema;
  }

  /** Those of an intake; its main value is a pattern or a list of them. Mistakes are left out. */
  public static PathFields of(Settings intake) {
    return of(intake, KeyPath.ROOT, Diagnostics.of(""));
  }

  /**
   * Those of an intake.
   *
   * @param path where its settings stand
   */
  public static PathFields of(Settings intake, KeyPath path, Diagnostics diagnostics) {
    // What comes through a queue has been somewhere else: there is no path to its files.
    boolean queued = intake.values().containsKey(Settings.QUEUE);
    Object main = queued ? null : intake.values().get(intake.kind());
    Written at = new Written(main, path.key(intake.kind()), diagnostics);
    List<Form> forms = new ArrayList<>();
    Schema schema = Schema.EMPTY;
    for (Object text : main instanceof List<?> list ? list : List.of(main == null ? "" : main)) {
      Form form = form(String.valueOf(text), at);
      forms.add(form);
      for (Field field : form.fields()) {
        boolean other =
            schema.find(field.name()).isPresent()
                && !schema.column(schema.find(field.name()).getAsInt()).type().equals(field.type());
        if (other) {
          at.error("two-types", "'" + field.name() + "' has two types", "give it one");
        } else if (schema.find(field.name()).isEmpty()) {
          schema = schema.with(new Column(field.name(), field.type(), false));
        }
      }
    }
    return new PathFields(List.copyOf(forms), schema);
  }

  private static Form form(String text, Written at) {
    FieldParser parser = new FieldParser(at, "bad-field", Map.of());
    List<Field> fields = new ArrayList<>();
    StringBuilder regex = new StringBuilder("(?:.*/)?");
    Matcher value = VALUE.matcher(text);
    // What leads out of the workspace is not in the names of sources.
    int done = text.length() - text.replaceFirst("^(?:\\.\\.?/)+", "").length();
    while (value.find()) {
      regex.append(regex(text.substring(done, value.start())));
      String spec = value.group(2) == null ? "text" : value.group(2);
      fields.add(parser.parse(value.group(1), false, spec, 0).field());
      regex.append("([^/]+?").append("/[^/]+?".repeat(slashes(spec))).append(')');
      done = value.end();
    }
    regex.append(regex(text.substring(done)));
    return new Form(Pattern.compile(regex.toString()), fields);
  }

  private static int slashes(String spec) {
    Matcher format = FORMAT.matcher(spec);
    return format.find() ? (int) format.group(1).chars().filter(c -> c == '/').count() : 0;
  }

  /** A part of a glob pattern as a regular expression. */
  private static String regex(String glob) {
    StringBuilder regex = new StringBuilder();
    int braces = 0;
    for (int i = 0; i < glob.length(); i++) {
      char c = glob.charAt(i);
      if (glob.startsWith("**/", i)) {
        regex.append("(?:.*/)?");
        i += 2;
      } else if (glob.startsWith("**", i)) {
        regex.append(".*");
        i++;
      } else if (c == '*' || c == '?') {
        regex.append(c == '*' ? "[^/]*" : "[^/]");
      } else if (c == '[' && glob.indexOf(']', i) > 0) {
        int end = glob.indexOf(']', i);
        String set = glob.substring(i + 1, end).replace("\\", "\\\\").replace("[", "\\[");
        regex.append('[').append(set.replaceFirst("^!", "^")).append(']');
        i = end;
      } else if (c == '{' || c == '}' && braces > 0) {
        braces += c == '{' ? 1 : -1;
        regex.append(c == '{' ? "(?:" : ")");
      } else if (c == ',' && braces > 0) {
        regex.append('|');
      } else {
        regex.append(Pattern.quote(String.valueOf(c)));
      }
    }
    return regex.append(")".repeat(Math.max(0, braces))).toString();
  }

  /** A pattern as a plain glob, in which values are anything. */
  public static String glob(String pattern) {
    return VALUE
        .matcher(pattern)
        .replaceAll(
            value -> "*" + "/*".repeat(value.group(2) == null ? 0 : slashes(value.group(2))));
  }

  /** The fields, none of which need be there. */
  public Schema schema() {
    return schema;
  }

  /** The name of a file that a source partition is, without what tells it from those before. */
  public static String file(String source) {
    return AGAIN.matcher(source).replaceFirst("");
  }

  /** The values of a source partition, as the only row of a batch. */
  public Batch values(String source) {
    String file = file(source);
    List<Vector> columns = new ArrayList<>();
    for (Column column : schema.columns()) {
      columns.add(value(file, column));
    }
    return Batch.ofNoRecords(schema, columns, 1);
  }

  /**
   * The values of a source partition as they stand in its name; those that are not are left out.
   */
  public Map<String, String> texts(String source) {
    String file = file(source);
    Map<String, String> texts = new LinkedHashMap<>();
    for (Form form : forms) {
      Matcher matcher = form.pattern().matcher(file);
      if (matcher.matches()) {
        for (int i = 0; i < form.fields().size(); i++) {
          texts.putIfAbsent(form.fields().get(i).name(), matcher.group(i + 1));
        }
      }
    }
    return texts;
  }

  private Vector value(String file, Column column) {
    Vector vector = Vectors.forType(column.type(), 1);
    for (Form form : forms) {
      Matcher matcher = form.pattern().matcher(file);
      if (!matcher.matches()) {
        continue;
      }
      for (int i = 0; i < form.fields().size() && vector.size() == 0; i++) {
        if (form.fields().get(i).name().equals(column.name())) {
          byte[] text = matcher.group(i + 1).getBytes(StandardCharsets.UTF_8);
          form.fields().get(i).append(text, 0, text.length, vector, 0);
        }
      }
      if (vector.size() > 0) {
        return vector;
      }
    }
    vector.appendAbsent();
    return vector;
  }

  /**
   * A condition on these fields, as a condition on the names of source partitions. One that fails
   * for a name does not hold.
   *
   * @param text CEL
   * @return empty if it has mistakes, which are told
   */
  public Optional<Predicate<String>> where(String text, KeyPath path, Diagnostics diagnostics) {
    Optional<Expression> condition = new Expressions(schema).condition(text, path, diagnostics);
    return condition.map(
        where ->
            source -> {
              var value = where.evaluate(values(source));
              return !value.failed(0) && Expression.holds(value, 0);
            });
  }
}
